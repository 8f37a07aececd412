using System.Collections.Frozen;
using System.Diagnostics;
using System.Diagnostics.Metrics;

namespace Bandejo.Server.Http;

/// <summary>
/// How long requests took, for monitoring; name, unit, tags and limits of the buckets are those of the OpenTelemetry conventions for HTTP servers
/// (https://opentelemetry.io/docs/specs/semconv/http/http-metrics/). Taken here and not by the web server, whose own costs a check-in more than what the
/// check-in itself says costs to read.
/// </summary>
internal sealed class RequestFigures(IMeterFactory meters)
{
    // Whoever invents methods makes no series of them.
    private static readonly FrozenSet<string> Methods = FrozenSet.Create("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS");

    private readonly Histogram<double> _durations = meters.Create(Gauges.MeterName).CreateHistogram(
        "http.server.request.duration", "s", "How long requests took", tags: null,
        advice: new InstrumentAdvice<double> { HistogramBucketBoundaries = [0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10] });

    /// <summary>A request was answered.</summary>
    /// <param name="context">The request.</param>
    /// <param name="route">Which route, with names in braces for what varies; null where none was found.</param>
    /// <param name="began">When it began, as <see cref="Stopwatch.GetTimestamp"/> gives it.</param>
    public void Took(HttpContext context, string? route, long began) => _durations.Record(
        Stopwatch.GetElapsedTime(began).TotalSeconds,
        new("http.request.method", Methods.Contains(context.Request.Method) ? context.Request.Method : "_OTHER"),
        new("http.route", route ?? ""),
        new("http.response.status_code", context.Response.StatusCode));
}

internal static class RequestFiguresUse
{
    /// <summary>Takes how long everything took that comes after this.</summary>
    public static void UseRequestFigures(this WebApplication app)
    {
        var figures = app.Services.GetRequiredService<RequestFigures>();
        app.Use(async (context, next) =>
        {
            var began = Stopwatch.GetTimestamp();
            try
            {
                await next(context);
            }
            finally
            {
                figures.Took(context, (context.GetEndpoint() as RouteEndpoint)?.RoutePattern.RawText, began);
            }
        });
    }
}
