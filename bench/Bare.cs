using System.Text.Json;

namespace Bandejo.Bench;

/// <summary>The limit for check-ins: the same web server, an endpoint that reads 300 bytes of JSON and answers 150.</summary>
internal static class Bare
{
    public sealed record Question(long Sequence, string FactsDigest, string OrdersTag, string[] Proofs, string[] Attempts, string Said);

    public sealed record Answer(string[] Acknowledged, bool WantsFacts, string OrdersTag, int NextSeconds, string Withdrawn);

    private static readonly string Filling = new('w', 49);

    /// <summary>The question, 300 bytes of JSON.</summary>
    public static string Asked { get; } = JsonSerializer.Serialize(new Question(1_900_000_000_000, new string('a', 64), new string('b', 16), [], [], new string('s', 126)), JsonSerializerOptions.Web);

    public static Task Run(string address)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls(address);
        builder.Logging.ClearProviders();
        var app = builder.Build();
        app.MapPost("/bare", (Question question) => new Answer([], false, question.OrdersTag, 60, Filling));
        app.MapGet("/file", () => Results.File(Environment.GetEnvironmentVariable("BANDEJO_BENCH_FILE")!, "application/octet-stream", enableRangeProcessing: true));
        app.Lifetime.ApplicationStarted.Register(() => Console.WriteLine("listens"));
        return app.RunAsync();
    }
}
