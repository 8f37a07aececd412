using System.Globalization;
using Bandejo.Clock;

namespace Bandejo.Fleet;

/// <summary>Plays a whole fleet.</summary>
internal sealed class Playing
{
    private readonly IReadOnlyList<PlayedLife> _lives;
    private readonly FleetParts _parts;
    private long _rung;
    private long _expected;

    private Playing(FleetParts parts, IReadOnlyList<PlayedLife> lives) => (_parts, _lives) = (parts, lives);

    public IReadOnlyList<PlayedLife> Lives => _lives;

    /// <summary>Makes the devices of the script and lets them take over what the record says of them.</summary>
    public static Playing Prepare(FleetParts parts, IReadOnlyList<RecordLine> lines)
    {
        var lives = new Dictionary<string, PlayedLife>(StringComparer.Ordinal);
        foreach (var kind in parts.Script.Kinds)
        {
            foreach (var (name, site) in Names(kind))
            {
                if (!lives.TryAdd(name, new PlayedLife(parts, kind, name, site)))
                {
                    throw new InvalidDataException($"Two devices of the script are named '{name}'; give '{kind.Name}' other names.");
                }
            }
        }

        foreach (var line in lines)
        {
            if (lives.TryGetValue(line.Device, out var life))
            {
                life.Replay(line);
            }
        }

        return new Playing(parts, [.. lives.Values]);
    }

    /// <summary>Plays until cancelled. A device that cannot go on ends the whole, with its reason.</summary>
    public async Task Play(CancellationToken cancellation)
    {
        using var ending = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        var playing = _lives.Select(life => Task.Run(() => life.Live(ending.Token), CancellationToken.None)).ToList();
        try
        {
            await foreach (var ended in Task.WhenEach(playing))
            {
                await ended;
            }
        }
        finally
        {
            await ending.CancelAsync();
            await Task.WhenAll(playing.Select(task => task.ContinueWith(_ => { }, TaskScheduler.Default)));
        }
    }

    /// <summary>Leads the clock wherever somebody asks it to go: step by step, each only when every device and the service have done what was due.</summary>
    public async Task Lead(string clockFile, DemoClock clock, CancellationToken cancellation)
    {
        var changed = new SemaphoreSlim(0, 1);
        clock.Changed += () =>
        {
            if (changed.CurrentCount == 0)
            {
                changed.Release();
            }
        };
        while (true)
        {
            if (clock.Reading.Goal is not { } goal)
            {
                await changed.WaitAsync(TimeSpan.FromMilliseconds(200), cancellation);
                continue;
            }

            await AllIdle(cancellation);
            var now = clock.GetUtcNow();
            var least = now + (_lives.Any(life => life.IsAtWork) ? WorkStep : RestStep);
            var due = clock.NextDue;
            var to = due is null || due > now + LongStep ? now + LongStep : due > least ? due.Value : least;
            to = to < goal ? to : goal;
            ClockFile.Change(clockFile, (before, real) => before with { At = to, Since = real, Goal = to >= goal ? null : before.Goal });
            clock.Reread();
            await ServiceLooked(cancellation);
        }
    }

    private static readonly TimeSpan WorkStep = TimeSpan.FromSeconds(20);
    private static readonly TimeSpan RestStep = TimeSpan.FromMinutes(10);
    private static readonly TimeSpan LongStep = TimeSpan.FromMinutes(30);

    private async Task AllIdle(CancellationToken cancellation)
    {
        // Quiet work is done in microseconds, a round trip in a millisecond: let others have their turn a few times before waiting for the next millisecond.
        var checkedUpTo = 0;
        for (var turns = 0; ; turns++)
        {
            // Whoever is idle stays so until the clock moves, but for a call from the service, which can as well be heard a step later.
            while (checkedUpTo < _lives.Count && _lives[checkedUpTo].IsIdle)
            {
                checkedUpTo++;
            }

            if (checkedUpTo == _lives.Count)
            {
                return;
            }

            cancellation.ThrowIfCancellationRequested();
            if (turns < 50)
            {
                await Task.Yield();
            }
            else
            {
                await Task.Delay(TimeSpan.FromMilliseconds(1), cancellation);
            }
        }
    }

    /// <summary>Waits until the service has done what was due, and until its calls have come to the devices.</summary>
    private async Task ServiceLooked(CancellationToken cancellation)
    {
        try
        {
            var text = await _parts.Http.GetStringAsync(new Uri("healthz/looked", UriKind.Relative), cancellation);
            var rung = long.Parse(text, CultureInfo.InvariantCulture);
            var more = rung - _rung;
            _rung = rung;
            _expected += Math.Max(0, more);
            for (var patience = 0; patience < 40 && _parts.Hails < _expected; patience++)
            {
                await Task.Delay(TimeSpan.FromMilliseconds(1), cancellation);
            }

            if (more > 0)
            {
                // A device that has heard the call needs a moment to wake.
                await Task.Delay(TimeSpan.FromMilliseconds(1), cancellation);
            }

            // A call on a line that nobody holds any more is not waited for again.
            _expected = _parts.Hails;
        }
        catch (HttpRequestException)
        {
            // A service that is away catches up by itself when it is back.
        }
    }

    private static IEnumerable<(string Name, string Site)> Names(DeviceKind kind)
    {
        var chance = kind.Sites;
        var total = chance.Sum(site => site.Weight);
        var counts = new Dictionary<string, int>(StringComparer.Ordinal);
        var owed = chance.ToDictionary(site => site.Text, _ => 0.0, StringComparer.Ordinal);
        for (var i = 0; i < kind.Count; i++)
        {
            // Shared out so that at every number the sites have their shares, as near as whole devices can.
            foreach (var site in chance)
            {
                owed[site.Text] += site.Weight / total;
            }

            var next = owed.MaxBy(pair => pair.Value).Key;
            owed[next] -= 1;
            var number = counts[next] = counts.GetValueOrDefault(next) + 1;
            yield return (NameOf(kind.Named, next, number), next);
        }
    }

    private static string NameOf(string pattern, string site, int number)
    {
        var name = pattern.Replace("{site}", site, StringComparison.Ordinal);
        var at = name.IndexOf("{n", StringComparison.Ordinal);
        var end = at < 0 ? -1 : name.IndexOf('}', at);
        return end < 0
            ? name
            : name[..at] + number.ToString(name[(at + 2)..end].TrimStart(':') is { Length: > 0 } form ? form : "0", CultureInfo.InvariantCulture)
                + name[(end + 1)..];
    }
}
