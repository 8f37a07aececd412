using System.Globalization;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Deployments;

/// <summary>What going back means for one device.</summary>
public enum WayBackKind
{
    /// <summary>It goes back to what it had.</summary>
    Goes,

    /// <summary>It is at work; what it had is known when that has ended, and it goes back then.</summary>
    AfterWork,

    /// <summary>It is going back already.</summary>
    OnItsWay,

    /// <summary>It has gone back.</summary>
    Back,

    /// <summary>The deployment changed it, and nothing can take that back.</summary>
    Impossible,

    /// <summary>The deployment did not change it.</summary>
    Untouched,
}

/// <summary>The package that puts back what a device had.</summary>
/// <param name="Package">Its digest; null where there is none that could.</param>
/// <param name="Why">Why there is none; null where there is one.</param>
public sealed record EarlierPackage(string? Package, Reason? Why);

/// <summary>How one device goes back to what it had before a deployment changed it. Whoever asks beforehand and whoever does it ask here.</summary>
/// <param name="Kind">What going back means for it.</param>
/// <param name="To">The version that it goes back to; empty for none.</param>
/// <param name="Package">The digest of the package that puts it back; null where nothing is put back.</param>
/// <param name="Why">Of <see cref="WayBackKind.Impossible"/>: why; null otherwise.</param>
public sealed record WayBack(WayBackKind Kind, string To = "", string? Package = null, Reason? Why = null)
{
    /// <summary>Finds the way back.</summary>
    /// <param name="target">The device under the deployment.</param>
    /// <param name="installed">The version of the app that the device has now; null where nobody knows, or where it has none.</param>
    /// <param name="takesAway">Null where the deployment's package can be taken away from this device; why not otherwise.</param>
    /// <param name="earlier">Finds the package for a version that was there before; asked with the version, and the package that the device named.</param>
    public static WayBack Of(DeploymentPlan plan, Target target, AppVersion? installed, Reason? takesAway, Func<string, string?, EarlierPackage> earlier)
    {
        switch (target)
        {
            case { State: TargetState.Undone }:
                return new WayBack(WayBackKind.Back);
            case { IsToGoBack: true } when target.State.Has(TargetTrait.Underway):
                return new WayBack(WayBackKind.OnItsWay);
            case { IsGoingBack: true } when target.State == TargetState.Waiting || target.State.Has(TargetTrait.Wanted):
                return new WayBack(WayBackKind.OnItsWay);
            case { State: TargetState.Working }:
            case { State: TargetState.Lost, Before: null }:
                return new WayBack(WayBackKind.AfterWork);
            case { HasBegun: false } or { Before: null }:
                return new WayBack(WayBackKind.Untouched);
        }

        var before = target.Before!;
        if (installed is not null && installed.Text != before && (plan.Wish == Wish.Gone || installed.CompareTo(plan.Version) > 0))
        {
            return new WayBack(WayBackKind.Impossible, before, null, new Reason(ReasonCode.NewerIsThere, plan.AppName, installed.ToString()));
        }

        if (plan.Wish == Wish.Gone && before.Length == 0)
        {
            return new WayBack(WayBackKind.Untouched);
        }

        if (plan.Wish != Wish.Gone && takesAway is not null)
        {
            return new WayBack(WayBackKind.Impossible, before, null, takesAway);
        }

        if (before.Length == 0)
        {
            return new WayBack(WayBackKind.Goes);
        }

        var found = earlier(before, target.BeforePackage);
        return found.Package is null ? new WayBack(WayBackKind.Impossible, before, null, found.Why) : new WayBack(WayBackKind.Goes, before, found.Package);
    }
}

/// <summary>What a roll back comes to for one kind of devices.</summary>
/// <param name="Kind">What going back means for them.</param>
/// <param name="Says">What happens to them, with their number, as one sentence.</param>
/// <param name="Devices">Their identities.</param>
public sealed record WaysBackPart(WayBackKind Kind, string Says, IReadOnlyList<string> Devices);

/// <summary>What a roll back comes to for many devices.</summary>
/// <param name="Parts">What happens to whom, the greatest first, those that cannot at the end.</param>
public sealed record WaysBack(IReadOnlyList<WaysBackPart> Parts)
{
    /// <summary>How many go back, now or when their work has ended.</summary>
    public int Going => Count(WayBackKind.Goes) + Count(WayBackKind.AfterWork);

    /// <summary>All of it in one line.</summary>
    public string Says => string.Join(" ", Parts.Where(part => part.Kind is not (WayBackKind.Untouched or WayBackKind.Back)).Select(part => part.Says));

    /// <summary>How many devices there are of a kind.</summary>
    public int Count(WayBackKind kind) => Parts.Where(part => part.Kind == kind).Sum(part => part.Devices.Count);

    /// <summary>Gathers the ways back of single devices.</summary>
    public static WaysBack Of(DeploymentPlan plan, IEnumerable<(string Device, WayBack Way)> ways)
    {
        // One line for one reason: which package puts it back is not asked, nor, of what cannot go, what it would have gone back to.
        var parts = ways.GroupBy(each => each.Way with { Package = null, To = each.Way.Kind == WayBackKind.Goes ? each.Way.To : "" }, each => each.Device)
            .Select(group => new WaysBackPart(group.Key.Kind, Sentence(plan, group.Key, group.Count()), [.. group]));
        return new WaysBack([.. parts.OrderBy(part => part.Kind).ThenByDescending(part => part.Devices.Count).ThenBy(
            part => part.Says, StringComparer.Ordinal)]);
    }

    private static string Sentence(DeploymentPlan plan, WayBack way, int count)
    {
        var one = count == 1;
        var devices = string.Create(CultureInfo.InvariantCulture, $"{count} device{(one ? "" : "s")}");
        return way.Kind switch
        {
            WayBackKind.Goes when way.To.Length == 0 => $"{devices} had nothing before: {plan.AppName} is taken away there.",
            WayBackKind.Goes => $"{devices} {(one ? "goes" : "go")} back to {plan.AppName} {way.To}.",
            WayBackKind.AfterWork => $"{devices} {(one ? "is" : "are")} at work: {(one ? "it finishes and goes" : "they finish and go")} back then.",
            WayBackKind.OnItsWay => $"{devices} {(one ? "is on its" : "are on their")} way back already.",
            WayBackKind.Back => $"{devices} {(one ? "has" : "have")} gone back already.",
            WayBackKind.Impossible => $"{devices} cannot go back: {way.Why}.",
            _ => $"{devices} {(one ? "was" : "were")} not changed by it; nothing is taken back there.",
        };
    }
}
