using Bandejo.Contract.Device;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>The network of a played device: the real protocol, with what networks do to it.</summary>
internal sealed class PlayedLink(HttpLink inner, PlayedLife life, DeviceKind kind, FleetScript script, Chance chance) : IServiceLink
{
    private readonly string _name = life.Name;
    private string _slowed = "";
    private int _checkIns;

    public Task<JoinAnswer> Join(JoinRequest request, CancellationToken cancellation) => inner.Join(request, cancellation);

    public async Task<CheckInAnswer> CheckIn(CheckInRequest request, CancellationToken cancellation)
    {
        Reach();
        var number = ++_checkIns;
        var answer = await inner.CheckIn(request, cancellation);
        if (script.Repeats > 0 && chance.Share($"{_name}/repeat/{number}") < script.Repeats)
        {
            answer = await inner.CheckIn(request, cancellation);
        }

        if (script.LostAnswers > 0 && chance.Share($"{_name}/lose/{number}") < script.LostAnswers)
        {
            throw new LinkException("The answer was lost on the way.", 0);
        }

        life.HeardAt = life.Now;
        return answer;
    }

    public async Task AwaitHail(CancellationToken cancellation)
    {
        if (!script.Listens)
        {
            await Task.Delay(Timeout.InfiniteTimeSpan, cancellation);
        }

        while (AwayUntil() is { } back)
        {
            await Task.Delay(life.Left(back), life.Time, cancellation);
        }

        var heard = inner.HailsHeard;
        await inner.AwaitHail(cancellation);
        if (inner.HailsHeard > heard)
        {
            life.Hailed();
        }

        Reach();
    }

    public async Task Fetch(string sha256, long most, IContentCache cache, FetchPace? pace, CancellationToken cancellation)
    {
        Reach();
        await inner.Fetch(sha256, most, cache, pace, cancellation);
        if (kind.Network > 0 && life.Engine?.State.Current is { } attempt && attempt.Order.Package.Digest != sha256 && _slowed != attempt.Id
            && script.Apps.TryGetValue(attempt.Order.Package.App, out var app))
        {
            // The payloads of the script are small; how long a real one would take, the app's room says.
            _slowed = attempt.Id;
            await life.Sleep(TimeSpan.FromSeconds(app.Room * 0.4 / kind.Network), cancellation);
        }
    }

    public Task SendLog(string attempt, Stream log, CancellationToken cancellation)
    {
        Reach();
        return inner.SendLog(attempt, log, cancellation);
    }

    private void Reach()
    {
        if (AwayUntil() is not null)
        {
            throw new LinkException("There is no network where the device is.", 0);
        }
    }

    /// <summary>When the device comes back into reach; null where it is in reach.</summary>
    private DateTimeOffset? AwayUntil()
    {
        if (kind.Away is not { } trips)
        {
            return null;
        }

        var cycle = trips.Every + trips.Longest;
        var phase = cycle * chance.Share($"{_name}/trips");
        var since = life.Now - DateTimeOffset.UnixEpoch + phase;
        var trip = since.Ticks / cycle.Ticks;
        var begun = DateTimeOffset.UnixEpoch + (cycle * trip) - phase;
        var back = begun + chance.Between($"{_name}/trip/{trip}", trips.Shortest, trips.Longest);
        return life.Now < back ? back : null;
    }
}
