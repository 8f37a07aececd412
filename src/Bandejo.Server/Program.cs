using Bandejo.Server;
using Bandejo.Server.World;
using Bandejo.Store;

if (args is ["--help" or "-h"])
{
    Console.WriteLine("bandejo-service: keeps packages, groups and deployments, and speaks with devices and people.\n");
    foreach (var (name, standard, meaning) in ServiceOptions.All)
    {
        Console.WriteLine($"  --{name,-22} {meaning} [{standard}]");
    }

    return 0;
}

var read = ServiceOptions.Read(args, Environment.GetEnvironmentVariable);
if (!read.Ok)
{
    Console.Error.WriteLine(read.Failure!.Message);
    return 2;
}

try
{
    var app = Setup.Build(read.Value);
    await Setup.Prepare(app, read.Value);
    await app.RunAsync();
    return 0;
}
catch (Exception error) when (error is StoreException or IOException or UnauthorizedAccessException)
{
    Console.Error.WriteLine(error.Message);
    return 4;
}
