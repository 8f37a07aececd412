using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;

namespace Bandejo.Device;

/// <summary>
/// Fetches what orders need before they may start, beside all other work: what waits for its window, so that it starts in it whether the service can be reached
/// then or not, and what may not be fetched as fast as it goes, so that no attempt stands over it.
/// </summary>
internal sealed class Fetching(DeviceParts parts, PackageKeeper packages, OrderHours hours, Func<DeviceState> known)
{
    /// <summary>Where it could not be fetched, it is tried again after this; where something keeps it from being fetched, it is looked again.</summary>
    private static readonly TimeSpan Again = TimeSpan.FromMinutes(2);

    /// <summary>Nothing is to be fetched, until something else is known.</summary>
    private static readonly TimeSpan LongRest = TimeSpan.FromDays(1);

    /// <summary>In steps of so many hundredths it is told how much is there, so that not every look tells something else.</summary>
    private const int Step = 10;

    private readonly HashSet<string> _told = new(StringComparer.Ordinal);

    // Orders are heard on another thread than the one that fetches.
    private readonly Lock _lock = new();
    private (Order For, CancellationTokenSource Ending)? _underway;

    /// <summary>The deployments whose orders wait and whose files are there.</summary>
    public IReadOnlyList<string> There { get; private set; } = [];

    /// <summary>Ends what is underway for an order that does not ask for it any more; what came of it is kept.</summary>
    public void Heard()
    {
        lock (_lock)
        {
            EndUnasked();
        }
    }

    private void EndUnasked()
    {
        if (_underway is var (fetched, ending) && !known().Orders.Any(
            order => order is { MayStart: true, FetchesLater: false } && order.Deployment == fetched.Deployment
                && order.Package.Digest == fetched.Package.Digest))
        {
            ending.Cancel();
        }
    }

    private void Begin(Order order, CancellationTokenSource ending)
    {
        lock (_lock)
        {
            // Other orders may have come since those that are gone through were read.
            _underway = (order, ending);
            EndUnasked();
        }
    }

    private void End()
    {
        lock (_lock)
        {
            _underway = null;
        }
    }

    /// <summary>Fetches what is to be fetched now. Returns when to look again, and whether anything came that others wait for.</summary>
    public async Task<(DateTimeOffset Next, bool HasNews)> Fetch(DeviceState state, CancellationToken cancellation)
    {
        var (next, there) = (parts.Time.GetUtcNow() + LongRest, new List<string>());
        foreach (var order in state.Orders.Where(each => each is { MayStart: true, Kind: "install" }))
        {
            var now = parts.Time.GetUtcNow();
            var progress = state.Progress.GetValueOrDefault(DeviceState.KeyOf(order));
            if ((progress is not null && progress.NextTry is null) || !state.IsLeased(order, now)
                || (!IsLimited(order) && hours.Closed(state.Calendars, order, now) is null))
            {
                continue;
            }

            if (await packages.Has(order.Package, order.Variant))
            {
                there.Add(order.Deployment);
                continue;
            }

            if (Held(order, now) is not null)
            {
                next = Sooner(next, OrderWords.Fetch(order).At(parts.Clocks, now).Until ?? now + Again, now + Again);
                continue;
            }

            using var ending = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
            try
            {
                Begin(order, ending);
                await packages.Get(order.Package, order.Variant, PaceOf(order), ending.Token);
                there.Add(order.Deployment);
                if (_told.Add(order.Package.Digest))
                {
                    parts.Says($"The files of {order.Package.App} {order.Package.Version} are here, ahead of its start");
                }
            }
            catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
            {
                next = parts.Time.GetUtcNow();
            }
            catch (Exception error) when (
                error is LinkException or SealException or PackageException or IOException or UnauthorizedAccessException || Unforeseen.Is(error))
            {
                // It may start without, where nothing limits how it is fetched, and finds the same then.
                parts.Says($"Cannot fetch {order.Package.App} ahead: {error.Message}");
                next = Sooner(next, parts.Time.GetUtcNow() + Again);
            }
            finally
            {
                End();
            }
        }

        var hasNews = !there.SequenceEqual(There);
        There = there;
        return (next, hasNews);
    }

    /// <summary>What of its files an order has to wait for before it starts, for people; null for nothing.</summary>
    public async Task<string?> InTheWay(Order order, DateTimeOffset now)
    {
        if (order.Kind != "install" || !IsLimited(order) || await packages.Has(order.Package, order.Variant))
        {
            return null;
        }

        if (Held(order, now) is { } held)
        {
            return held;
        }

        var (here, all) = await packages.Amount(order.Package, order.Variant);
        var part = all is { } bytes and > 0 ? $" ({here * 100 / bytes / Step * Step} % of {Units.FormatSize(bytes)})" : "";
        return $"Its files are being fetched{part}{Limit(order, now)}";
    }

    /// <summary>Whether something limits how the files of an order are fetched.</summary>
    private bool IsLimited(Order order)
    {
        var rule = OrderWords.Fetch(order);
        return order.FetchesLater || rule.Rates.Count > 0 || rule.AtOnce is not null || (parts.Network.IsMetered == true && !rule.OverMetered);
    }

    /// <summary>Why nothing of an order is fetched now; null where it may be.</summary>
    private string? Held(Order order, DateTimeOffset now)
    {
        var rule = OrderWords.Fetch(order);
        return order.FetchesLater ? "It fetches its files when it is its turn: others of its site do first"
            : parts.Network.IsMetered == true && !rule.OverMetered ? "Its files are not there, and it fetches none over a metered link"
            : rule.At(parts.Clocks, now).BytesPerSecond == 0 ? $"It fetches no files at this time{Until(rule, now)}"
            : null;
    }

    private FetchPace? PaceOf(Order order)
    {
        var rule = OrderWords.Fetch(order);
        return rule.Rates.Count == 0 && rule.OverMetered ? null : new FetchPace(
            parts.Time, () => parts.Network.IsMetered == true && !rule.OverMetered ? 0 : rule.At(parts.Clocks, parts.Time.GetUtcNow()).BytesPerSecond);
    }

    private string Limit(Order order, DateTimeOffset now) =>
        OrderWords.Fetch(order) is var rule && rule.At(parts.Clocks, now).BytesPerSecond is { } rate ? $", {FetchRule.Said(rate)}{Until(rule, now)}" : "";

    private string Until(FetchRule rule, DateTimeOffset now) => rule.At(parts.Clocks, now).Until is { } until
        ? $" until {(until + parts.Clocks(until)).ToString("ddd HH:mm", CultureInfo.InvariantCulture)}"
        : "";

    private static DateTimeOffset Sooner(params ReadOnlySpan<DateTimeOffset> moments)
    {
        var soonest = moments[0];
        foreach (var moment in moments)
        {
            soonest = moment < soonest ? moment : soonest;
        }

        return soonest;
    }
}
