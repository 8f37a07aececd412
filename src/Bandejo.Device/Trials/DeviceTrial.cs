using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;

namespace Bandejo.Device.Trials;

/// <summary>Tries a package on this very device, as an order asks for it, and leaves the device as it was. For devices that are kept for trials.</summary>
/// <param name="ground">Looks at the device as it is now, so that it can be told later what was changed.</param>
internal sealed class DeviceTrial(PackageKeeper packages, TrialMachine machine, Func<ITrialGround> ground, DeviceJournalKeeper journal, TimeProvider time)
{
    private const int MostLine = 400;
    private const int MostSteps = 200;

    public async Task<AttemptEnd> Run(Attempt attempt, CancellationToken cancellation)
    {
        if (attempt.Phase != "fetch")
        {
            return new AttemptEnd(
                AttemptOutcome.Interrupted, "The device or its agent stopped in the middle of the trial; see what is left on it before the next one", null,
                null);
        }

        var order = attempt.Order;
        var document = await packages.Get(order.Package, order.Variant, cancellation);
        var variant = Filling.Fill(PackageKeeper.VariantOf(document, order.Variant), Filling.Written(document, order.Settings));
        var earlier = order.Previous is null ? null : await packages.Get(order.Previous, order.Variant, cancellation);
        journal.Append(new AttemptMoved("trial", null, null));
        var steps = new List<TrialStepInfo>();
        var plan = new TrialPlan(
            new TrialPackage(document, ""), earlier is null ? null : new TrialPackage(earlier, ""), [], [order.Variant], null, true, [], order.Settings);
        var runner = new TrialRunner(plan, variant, machine with { Ground = ground() }, time, step => steps.Add(
            step with { Says = Cut(step.Says), Log = [.. step.Log.Select(Cut)] }))
        {
            Prefix = attempt.Id, Receipts = journal.State.Receipts,
        };
        await runner.RunAndLeaveClean(cancellation);
        var (hasPassed, says) = TrialResult.Of([.. steps.Select(step => (step.Name, TrialRunner.StateOf(step), step.Says))]);
        return new AttemptEnd(hasPassed ? AttemptOutcome.Done : AttemptOutcome.Failed, $"The trial {says}", null, null) { Steps = [.. steps.Take(MostSteps)] };
    }

    private static string Cut(string text) => text.Length > MostLine ? text[..MostLine] + "…" : text;
}
