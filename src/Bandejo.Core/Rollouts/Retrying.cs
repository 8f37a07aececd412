using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Devices that something does not reach, and why.</summary>
/// <param name="Reason">For people.</param>
/// <param name="Count">How many.</param>
/// <param name="Sample">A few of their names.</param>
public sealed record Outsiders(string Reason, int Count, IReadOnlyList<string> Sample);

/// <summary>Sets another try where one can be set, and says of the others why not.</summary>
public static class Retrying
{
    private const int SampleSize = 8;

    /// <summary>Whom another try can be set for, and whom not.</summary>
    /// <param name="Devices">Those that get one.</param>
    /// <param name="Not">The others, by reason.</param>
    public sealed record Choice(IReadOnlyList<DeviceEntry> Devices, IReadOnlyList<Outsiders> Not)
    {
        /// <summary>Why nobody gets one; null where somebody does.</summary>
        public Failure? Failure { get; init; }
    }

    /// <summary>Looks whom another try can be set for. <see cref="Do"/> goes through the same.</summary>
    /// <param name="names">Names or identities; null for all that failed or are lost.</param>
    public static Choice Choose(FleetWorld world, DeploymentEntry deployment, IReadOnlyList<string>? names)
    {
        var devices = new List<DeviceEntry>();
        var not = new Dictionary<string, List<string>>(StringComparer.Ordinal);
        Failure? first = null;
        foreach (var name in names?.Distinct(StringComparer.Ordinal) ?? deployment.Targets.With(TargetTraits.With(TargetTrait.Fails)).Select(
            target => target.Device))
        {
            var device = Named.Device(world, name, isWhole: true) is { Ok: true } named ? named.Value : null;
            if (Against(world, deployment, device, name) is not { } against)
            {
                devices.Add(device!);
                continue;
            }

            first ??= against;
            (not.TryGetValue(against.Message, out var same) ? same : not[against.Message] = []).Add(device?.Name ?? name);
        }

        return new Choice(devices, [.. not.OrderByDescending(pair => pair.Value.Count).Select(pair => new Outsiders(
            pair.Key, pair.Value.Count, [.. pair.Value.Take(SampleSize)]))])
        {
            Failure = devices.Count > 0 ? null
                : first is null ? new Failure(ErrorKind.Conflict, $"Nothing of '{deployment.Plan.Name}' has failed or is lost.")
                : first with
                {
                    Message = string.Join(" ", not.Select(
                        pair => $"{string.Join(", ", pair.Value.Take(3))}{(pair.Value.Count > 3 ? $" and {pair.Value.Count - 3} more" : "")}: {pair.Key}")),
                },
        };
    }

    /// <summary>Sets another try for the devices named, or for all that failed or are lost.</summary>
    /// <inheritdoc cref="Choose" path="/param"/>
    /// <param name="reason">Why; stays in the journal.</param>
    public static Outcome<ActDone> Do(Decision decision, string named, IReadOnlyList<string>? names, string? reason)
    {
        var found = Named.Deployment(decision.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var deployment = found.Value;
        var choice = Choose(decision.World, deployment, names);
        if (choice.Failure is { } failure)
        {
            return failure;
        }

        deployment.Pending.RetryAskedBy = decision.By!;
        Due.ForEach(
            decision, deployment, deployment.Pending.ToRetry, choice.Devices.Aggregate(new Bitmap(), (rows, device) => rows.With(device.Row)),
            device => Again(decision, deployment, device, decision.By!));
        var count = choice.Devices.Count;
        decision.Event(
            "journal", "retry",
            $"Another try was set for {count} device{(count == 1 ? "" : "s")}: {string.Join(", ", choice.Devices.Take(5).Select(device => device.Name))}"
                + $"{(count > 5 ? ", …" : "")}.",
            reason, null, deployment.Id, decision.By);
        decision.Audit("deployment-retry", $"'{deployment.Plan.Name}': another try for {count}.", reason, null, deployment.Id);
        Looking.Look(decision, deployment);
        return new ActDone(count, deployment) { Not = choice.Not };
    }

    /// <summary>Sets another try for one device.</summary>
    internal static void Again(Decision decision, DeploymentEntry deployment, DeviceEntry device, string by)
    {
        if (deployment.Targets.Has(device))
        {
            Moving.Happen(decision, deployment, device, new Happening(TargetEvent.RetryAsked, new Reason(ReasonCode.TryAsked, by)));
            Weighing.WeighDevice(decision, device, deployment);
        }
    }

    private static Failure? Against(FleetWorld world, DeploymentEntry deployment, DeviceEntry? device, string name)
    {
        if (device is null || deployment.Targets.Of(device) is not { } target)
        {
            return new Failure(ErrorKind.NotFound, $"'{name}' is no target of '{deployment.Plan.Name}'.");
        }

        if (!deployment.IsActive)
        {
            return new Failure(ErrorKind.Conflict, $"'{deployment.Plan.Name}' has ended; nothing is tried again.");
        }

        if (!target.State.Has(TargetTrait.Retry))
        {
            return new Failure(
                ErrorKind.Conflict,
                $"It is {StateNames.Of(target.State)}; only what failed, is lost, waits for its next try or was rolled back can be tried again.");
        }

        if (target.IsGoingBack && target.State != TargetState.Undone)
        {
            return RollingBack.WayOf(world, deployment, target) is { Kind: WayBackKind.Impossible, Why: var why }
                ? new Failure(ErrorKind.Conflict, $"It cannot go back: {why}.")
                : null;
        }

        return Acting.WhyOver(deployment)
            ?? (deployment.State.TakesIn ? null
                : new Failure(ErrorKind.Conflict, $"'{deployment.Plan.Name}' is {DeploymentMachine.InWords(deployment.State.Status)}"
                    + $"{(deployment.State.Status == DeploymentStatus.RollingBack ? "; nothing starts anew there." : "; resume it first, then try again.")}"));
    }
}
