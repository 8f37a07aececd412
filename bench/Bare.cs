using System.Diagnostics;
using System.Text.Json;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>The limits: the same web server with an endpoint that reads 300 bytes of JSON and answers 150, and one that answers with a file.</summary>
internal static class Bare
{
    public sealed record Question(long Sequence, string FactsDigest, string OrdersTag, string[] Proofs, string[] Attempts, string Said);

    public sealed record Answer(string[] Acknowledged, bool WantsFacts, string OrdersTag, int NextSeconds, string Withdrawn);

    /// <summary>The variable of the environment that says which file is answered with.</summary>
    public const string FileVariable = "BANDEJO_BENCH_FILE";

    private static readonly string Filling = new('w', 49);

    /// <summary>The question, 300 bytes of JSON.</summary>
    public static string Asked { get; } = JsonSerializer.Serialize(
        new Question(1_900_000_000_000, new string('a', 64), new string('b', 16), [], [], new string('s', 126)), JsonSerializerOptions.Web);

    /// <summary>Starts it as a process of its own, and returns when it answers.</summary>
    public static async Task<(string Address, Process Process)> Start(Dictionary<string, string>? environment = null)
    {
        const string Address = "http://127.0.0.1:7467";
        var process = Programs.Start(Environment.ProcessPath!, ["bare", Address], environment);
        await process.StandardOutput.ReadLineAsync();
        return (Address, process);
    }

    public static Task Run(string address)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls(address);
        builder.Logging.ClearProviders();
        var app = builder.Build();
        app.MapPost("/bare", (Question question) => new Answer([], false, question.OrdersTag, 60, Filling));
        app.MapGet("/file", () => Results.File(Environment.GetEnvironmentVariable(FileVariable)!, "application/octet-stream", enableRangeProcessing: true));
        app.Lifetime.ApplicationStarted.Register(() => Console.WriteLine("listens"));
        return app.RunAsync();
    }
}
