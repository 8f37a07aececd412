using System.Net;
using Bandejo.Kit;

namespace Bandejo.Chaos.Tests;

/// <summary>
/// People who look at lists and figures all the while. Each must be answered with what there is, or told that the service cannot say it now; none may be kept
/// waiting, whatever breaks.
/// </summary>
public sealed class Onlookers : IAsyncDisposable
{
    /// <summary>How many there are: more than the threads that a service has at first on any machine that this runs on.</summary>
    private const int Many = 48;

    /// <summary>Whoever waits longer than this was forgotten. A commit waits 5 s for a lock that somebody else holds.</summary>
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(60);

    /// <summary>How often each of them asks.</summary>
    private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(400);

    private static readonly string[] Pages = [
        "/api/v1/devices?limit=50", "/api/v1/deployments", "/api/v1/today", "/api/v1/groups", "/api/v1/journal?topic=any&limit=20", "/metrics"];

    private readonly CancellationTokenSource _enough = new();
    private readonly ApiClient _api;
    private readonly List<Task<Seen>> _looking;

    public Onlookers(string address, ApiClient person)
    {
        _api = new ApiClient(address);
        _api.Http.Timeout = Longest;
        _api.Http.DefaultRequestHeaders.Authorization = person.Http.DefaultRequestHeaders.Authorization;
        _looking = [.. Enumerable.Range(0, Many).Select(Look)];
    }

    /// <summary>Lets them go, and returns what they saw.</summary>
    public async Task<Seen> Leave()
    {
        await _enough.CancelAsync();
        var all = await Task.WhenAll(_looking);
        return new Seen(all.Sum(each => each.Answers), all.Sum(each => each.Refusals), [.. all.SelectMany(each => each.Wrongs)]);
    }

    public async ValueTask DisposeAsync()
    {
        await _enough.CancelAsync();
        await Task.WhenAll(_looking);
        _enough.Dispose();
        _api.Dispose();
    }

    private async Task<Seen> Look(int which)
    {
        using var pace = new PeriodicTimer(Pace);
        var (answers, refusals, wrongs) = (0, 0, new List<string>());
        for (var i = which; !_enough.IsCancellationRequested; i++)
        {
            var page = Pages[i % Pages.Length];
            try
            {
                var (status, body) = await _api.Send(HttpMethod.Get, page);
                (answers, refusals) = (answers + (status == HttpStatusCode.OK ? 1 : 0), refusals + (status == HttpStatusCode.ServiceUnavailable ? 1 : 0));
                if (status is not (HttpStatusCode.OK or HttpStatusCode.ServiceUnavailable))
                {
                    wrongs.Add($"{page} was answered with {(int)status}: {body}");
                }
            }
            catch (TaskCanceledException)
            {
                wrongs.Add($"{page} was not answered in {Longest.TotalSeconds:0} s");
            }
            catch (Exception error) when (error is HttpRequestException or IOException)
            {
                // The service was killed.
            }

            try
            {
                await pace.WaitForNextTickAsync(_enough.Token);
            }
            catch (OperationCanceledException)
            {
                break;
            }
        }

        return new Seen(answers, refusals, wrongs);
    }

    /// <summary>What was seen.</summary>
    /// <param name="Answers">How often somebody was told what there is.</param>
    /// <param name="Refusals">How often somebody was told that it cannot be said now.</param>
    /// <param name="Wrongs">What should never be.</param>
    public sealed record Seen(int Answers, int Refusals, IReadOnlyList<string> Wrongs);
}
