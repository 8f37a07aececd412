namespace Bandejo.Bench;

/// <summary>The limit for check-ins: the same web server, an endpoint that reads 300 bytes of JSON and answers 150.</summary>
internal static class Bare
{
    public sealed record Question(long Sequence, string FactsDigest, string OrdersTag, string[] Proofs, string[] Attempts);

    public sealed record Answer(string[] Acknowledged, bool WantsFacts, string OrdersTag, int NextSeconds);

    public static Task Run(string address)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls(address);
        builder.Logging.ClearProviders();
        var app = builder.Build();
        app.MapPost("/bare", (Question question) => new Answer([], false, question.OrdersTag, 60));
        app.MapGet("/file", () => Results.File(Environment.GetEnvironmentVariable("BANDEJO_BENCH_FILE")!, "application/octet-stream", enableRangeProcessing: true));
        app.Lifetime.ApplicationStarted.Register(() => Console.WriteLine("listens"));
        return app.RunAsync();
    }
}
