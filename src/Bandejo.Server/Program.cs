using System.Net.Sockets;
using System.Security.Cryptography;
using Bandejo.Core;
using Bandejo.Server;
using Bandejo.Server.World;
using Bandejo.Store;
using Serilog;
using Serilog.Events;
using Serilog.Formatting.Compact;

if (args is ["--help" or "-h"])
{
    Console.WriteLine("bandejo-service: keeps packages, groups and deployments, and speaks with devices and people.\n");
    foreach (var (name, standard, meaning) in ServiceOptions.All)
    {
        Console.WriteLine($"  --{name,-22} {meaning} [{standard}]");
    }

    Console.WriteLine("\nbandejo-service COMMAND does something with what it keeps instead, with the same settings:\n");
    foreach (var (name, meaning) in StoreCommands.All)
    {
        Console.WriteLine($"  {name,-24} {meaning}");
    }

    return 0;
}

if (StoreCommands.Are(args))
{
    return StoreCommands.Run(args, Console.Out, Console.Error);
}

var read = ServiceOptions.Read(args, Environment.GetEnvironmentVariable);
if (!read.Ok)
{
    Console.Error.WriteLine(read.Failure!.Message);
    return 2;
}

try
{
    // Keys, and secrets of settings, lie in it.
    OwnFolder.CloseToOthers(read.Value.Data);
    await using var app = Setup.Build(
        read.Value, log => log.Console(new CompactJsonFormatter(), standardErrorFromLevel: LogEventLevel.Verbose));
    await Setup.Prepare(app, read.Value);
    try
    {
        await app.StartAsync();
    }
    catch (Exception error) when (error is IOException or SocketException or InvalidOperationException or CryptographicException)
    {
        Console.Error.WriteLine($"The service cannot listen at {read.Value.Listen}: {WhyNot(error.GetBaseException())}");
        return 4;
    }

    Console.WriteLine($"Bandejo listens at {string.Join(", ", app.Urls)}");
    if (Setup.Identity(app) is { } identity)
    {
        Console.WriteLine($"Over TLS it is {identity}");
    }

    await app.WaitForShutdownAsync();
    return 0;
}
catch (Exception error) when (error is StoreException or IOException or UnauthorizedAccessException)
{
    Console.Error.WriteLine(error is StoreException ? error.Message : Troubles.AsSentence(error));
    return 4;
}

static string WhyNot(Exception error) => error switch
{
    SocketException { SocketErrorCode: SocketError.AddressAlreadyInUse } =>
        "another program listens there. End that one, or give another address with --listen.",
    SocketException { SocketErrorCode: SocketError.AddressNotAvailable } => "this machine has no such address. Give one that it has with --listen.",
    SocketException { SocketErrorCode: SocketError.AccessDenied } =>
        "that port is not for every user. Give one above 1023 with --listen, or start the service as one who may.",
    _ => error.Message.Split('\n')[0],
};
