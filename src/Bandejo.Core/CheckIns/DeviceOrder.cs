using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>What a device is to do for one deployment, or for a trial.</summary>
/// <param name="Id">The deployment, or the trial.</param>
/// <param name="Number">Raised when what it asks for is another.</param>
/// <param name="Kind"><c>install</c>, <c>remove</c>, <c>restore</c>, <c>offer</c> or <c>trial</c>.</param>
/// <param name="MayStart">It may be started.</param>
/// <param name="Previous">What puts back what was there before, or what a trial begins with; null for none.</param>
/// <param name="Lease">How long it may be started unheard.</param>
/// <param name="Handling">How it is to be handled; null for as the package has it.</param>
public sealed record DeviceOrder(
    string Id, int Number, string Kind, bool MayStart, PackageEntry Package, string Variant, PackageEntry? Previous, TimeSpan Lease, DateTimeOffset? Deadline,
    bool AllowsDowngrade, RetryRule Retry,
    IReadOnlyDictionary<string, string>? Settings, KeptHandling? Handling = null)
{
    /// <summary>The deployment's own calendars, by their short names.</summary>
    public IReadOnlyList<string> Calendars { get; init; } = [];

    public AfterDeadline AfterDeadline { get; init; }

    /// <summary>So long before it starts for its deadline alone, or closes programs, whoever is signed in is told.</summary>
    public TimeSpan Notice { get; init; }

    /// <summary>Its user took it from the shelf: it waits for no window.</summary>
    public bool IsTaken { get; init; }

    /// <summary>What must be so on the device when it is started.</summary>
    public StartWhen StartWhen { get; init; } = StartWhen.Any;

    /// <summary>When the device is restarted, where it needs that.</summary>
    public RestartChoice Restart { get; init; } = RestartChoice.LeftToPeople;

    /// <summary>When in each day the device is reset; null for never.</summary>
    public TimeOnly? ResetsAt { get; init; }

    /// <summary>How long it takes; a start has to leave so much room before its window closes.</summary>
    public TimeSpan Takes { get; init; }

    /// <summary>The rules by which its files are fetched, those of the device's groups among them.</summary>
    public IReadOnlyList<FetchRule> Fetch { get; init; } = [];

    /// <summary>Others of its site fetch first.</summary>
    public bool FetchesLater { get; init; }

    private static readonly TimeSpan TrialLease = TimeSpan.FromDays(1);
    private static readonly RetryRule Once = new(1, TimeSpan.FromMinutes(1), TimeSpan.FromMinutes(1));

    /// <summary>All that a device is to do.</summary>
    public static IEnumerable<DeviceOrder> Of(FleetWorld world, DeviceEntry device)
    {
        foreach (var deployment in world.Active)
        {
            if (deployment.Targets.Of(device) is { } target && Of(world, device, deployment, target) is { } order)
            {
                yield return order;
            }
        }

        if (world.DeviceTrials.GetValueOrDefault(device.Id) is { EndedAt: null } trial && world.Packages.TryGetValue(trial.Package, out var package)
            && package.Record.State != PackageState.Withdrawn)
        {
            yield return new DeviceOrder(
                trial.Id, 0, AttemptTold.TrialKind, true, package, trial.Variant,
                trial.Earlier is { } earlier ? world.Packages.GetValueOrDefault(earlier) : null, TrialLease, null, false, Once, trial.Settings);
        }
    }

    /// <summary>Whether content is of a package that an order of the device names: its document, or a file of it.</summary>
    public static bool Names(FleetWorld world, DeviceEntry device, string sha256) =>
        Of(world, device).Any(order => Holds(order.Package, sha256) || Holds(order.Previous, sha256));

    private static bool Holds(PackageEntry? package, string sha256) => package is not null && (package.Digest == sha256 || package.Content.Contains(sha256));

    private static IReadOnlyList<FetchRule> FetchRules(FleetWorld world, DeviceEntry device, DeploymentPlan plan)
    {
        List<FetchRule>? rules = plan.Fetch == FetchRule.Usual ? null : [plan.Fetch];
        foreach (var group in world.Groups.Values)
        {
            if (group.Fetch is { } rule && group.In[device.Row])
            {
                (rules ??= []).Add(rule);
            }
        }

        return rules ?? (IReadOnlyList<FetchRule>)[];
    }

    private static DeviceOrder? Of(FleetWorld world, DeviceEntry device, DeploymentEntry deployment, Target target)
    {
        if (target.Variant is null || !target.State.Has(TargetTrait.Order))
        {
            return null;
        }

        var plan = deployment.Plan;
        if (target.IsGoingBack && !target.IsOrdered)
        {
            return null;
        }

        var previous = target is { IsGoingBack: true, BeforePackage: { } digest } && world.Packages.TryGetValue(digest, out var package)
            && package.Record.State != PackageState.Withdrawn
            ? package
            : null;

        // Going back is asked for by a person and goes on whatever the deployment does, also from what was withdrawn; never to less than what was there.
        var mayStart = target.IsOrdered && (target.IsGoingBack
            ? target.Before is "" || previous is not null
            : !target.IsToGoBack && (deployment.Package.Record.State != PackageState.Withdrawn || plan.Wish == Wish.Gone)
                && deployment.State.MayStart(target.Wave));
        return new DeviceOrder(
            plan.Id, target.Order + Restored.OrderLead(world),
            target.IsGoingBack ? AttemptTold.RestoreKind : target.State == TargetState.Choice ? "offer" : plan.Wish == Wish.Gone ? "remove" : "install",
            mayStart, deployment.Package, target.Variant, previous,
            plan.Lease, Lateness.DeadlineOf(world, deployment, device, target.Wave), plan.AllowsDowngrade, plan.Retry,
            plan.Settings.Count == 0 ? null : plan.Settings,
            world.HandlingOf(plan.App, plan.Handling)?.Values)
        {
            ResetsAt = Timetables.ResetOf(world, device),
            Restart = plan.Restart, StartWhen = plan.StartWhen,
            Fetch = FetchRules(world, device, plan),
            FetchesLater = plan.Fetch.AtOnce is not null && target is { MayFetch: false, HasFiles: false, IsOrdered: true },
            Calendars = plan.Calendars, AfterDeadline = plan.AfterDeadline,
            Notice = plan.StartsAfterDeadline ? plan.Notice ?? UserNotice.Usual : TimeSpan.Zero, IsTaken = target.TakenAt is not null,
            Takes = target.IsGoingBack
                ? TimeNeeded.ToPutBack(deployment.Package, target.Variant, previous)
                : TimeNeeded.Of(world, plan, target.Variant),
        };
    }
}
