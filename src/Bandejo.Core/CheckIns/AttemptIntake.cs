using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Takes in how attempts began and ended.</summary>
public static class AttemptIntake
{
    private const int LongestMessage = 1000;

    /// <summary>Takes a report of an attempt; one that was taken before changes nothing.</summary>
    public static void Take(Decision decision, DeviceEntry device, AttemptTold told, ToldBefore before)
    {
        var world = decision.World;
        var deployment = world.Deployments[told.Deployment];
        var open = world.OpenAttempts.GetValueOrDefault(told.Id);
        if (open is null && IsKept(decision, device, told, before))
        {
            // Both reports of this attempt are kept already; this is a repetition.
            return;
        }

        var isRestore = told.Kind == AttemptTold.RestoreKind;
        var attempt = (
            open
                ?? new AttemptRecord(
                    told.Id, deployment.Id, device.Id, told.Kind, deployment.Plan.Version.Text, told.StartedAt, null, null, told.Phase, null, "", false)) with
        {
            EndedAt = told.EndedAt,
            Outcome = told.HasEnded ? told.Outcome : null,
            Phase = told.Phase,
            ExitCode = told.ExitCode,
            Message = told.Message.Length > LongestMessage ? told.Message[..LongestMessage] : told.Message,
            HasLog = told.HasLog,
        };
        if (open is null)
        {
            Moving.Happen(decision, deployment, device, new Happening(TargetEvent.Began, new Reason(
                isRestore ? ReasonCode.BringingBack : told.Kind == "remove" ? ReasonCode.TakingAway : ReasonCode.Installing)));
        }

        var target = deployment.Targets[device];
        if (!isRestore && target.Before is null && told.Before is not null)
        {
            target = target with { Before = told.Before, BeforePackage = told.BeforePackage };
            Moving.Replace(decision, deployment, device, target);
        }

        decision.Do(new PutAttempt(attempt));
        if (!told.HasEnded)
        {
            TellProgress(decision, deployment, device, attempt, open?.Message);
            return;
        }

        CheckIn.Remember(decision, device.Id, memory => memory with { LastReported = [.. memory.LastReported, told.Id] });
        Moving.Happen(decision, deployment, device, Attempts.Judge(
            target, isRestore, Attempts.Outcomes[told.Outcome!], attempt.Message, deployment.Plan.Retry, told.EndedAt ?? decision.Now));
        if (told.Kind == "install" && target.Variant is { } variant && Attempts.Outcomes[told.Outcome!] is AttemptOutcome.Done or AttemptOutcome.Restart)
        {
            RestartsAhead.Learn(decision, deployment.Package, variant, Attempts.Outcomes[told.Outcome!]);
            TimeNeeded.Learn(decision, deployment.Package, variant, (told.EndedAt ?? decision.Now) - told.StartedAt);
        }

        if (told.Phase == Attempts.CalledBack)
        {
            // It does not wait for anything there: as soon as it may, it starts.
            Moving.Replace(decision, deployment, device, deployment.Targets[device] with { WaitsFor = null });
        }

        if (isRestore)
        {
            // What it was to be given may have been withdrawn while it was at it.
            RollingBack.FindAgain(decision, deployment, device);
        }
        else if (deployment.Targets[device] is { IsGoingBack: true, State: not TargetState.Undone })
        {
            // It ended only now, after going back was asked for: that is done upon it.
            RollingBack.Bring(decision, deployment, device);
        }
    }

    private static void TellProgress(Decision decision, DeploymentEntry deployment, DeviceEntry device, AttemptRecord attempt, string? before)
    {
        if (attempt.Message.Length > 0 && attempt.Message != before && deployment.Targets[device] is { State: TargetState.Working } target)
        {
            Moving.Replace(decision, deployment, device, target with { Reason = new Reason(ReasonCode.Told, attempt.Message) });
            decision.Event("target", "takes-long", $"{device.Name}: {attempt.Message}.", null, device.Id, deployment.Id);
        }
    }

    /// <summary>Whether a report of an attempt that is not open was taken before.</summary>
    private static bool IsKept(Decision decision, DeviceEntry device, AttemptTold told, ToldBefore before)
    {
        var newest = device.Memory.NewestAttempt ?? before.NewestAttempt;
        if (told.StartedAt > newest)
        {
            CheckIn.Remember(decision, device.Id, memory => memory with { NewestAttempt = told.StartedAt });
            return false;
        }

        CheckIn.Remember(decision, device.Id, memory => memory with { NewestAttempt = newest });
        return decision.World.Devices[device.Id].Memory.LastReported.Contains(told.Id) || before.Attempts.Contains(told.Id);
    }
}
