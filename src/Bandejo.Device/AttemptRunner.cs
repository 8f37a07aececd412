using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;

namespace Bandejo.Device;

/// <summary>How an attempt ended, before it is written down.</summary>
/// <param name="Outcome">How.</param>
/// <param name="Message">What a person should read.</param>
/// <param name="Code">The exit code of the step that decided, or null.</param>
/// <param name="Proof">What was proven at the end, or null where nobody looked.</param>
/// <param name="Phase">The phase that decided, where it is not the last one entered.</param>
public sealed record AttemptEnd(AttemptOutcome Outcome, string Message, int? Code, PresenceResult? Proof, string? Phase = null)
{
    /// <summary>What was there before was put back, and only a restart is missing.</summary>
    public bool HasPutBack { get; init; }

    /// <summary>Of a trial, its steps; null otherwise.</summary>
    public IReadOnlyList<Contract.Api.TrialStepInfo>? Steps { get; init; }
}

/// <summary>
/// Takes one attempt through its phases. Each phase is in the journal before it is entered, so that it can be taken up again after the agent stopped.
/// </summary>
/// <param name="mayEnd">Whether programs that do not close for an order are ended.</param>
/// <param name="inTheWay">What keeps an order from being started at this moment, for people; null for nothing.</param>
internal sealed partial class AttemptRunner(
    PackageKeeper packages, Prover prover, IMachineProcesses processes, Surroundings surroundings, DeviceJournalKeeper journal, TimeProvider time, Action tell,
    Func<Order, bool> mayEnd, Func<Order, CancellationToken, Task<string?>> inTheWay)
{
    /// <summary>A step that takes so many times as long as its package expects is told of.</summary>
    private const int TakesLong = 2;

    private static readonly TimeSpan ClosePatience = TimeSpan.FromSeconds(20);

    /// <summary>The phases in which nothing was changed on the device yet.</summary>
    private static readonly string[] BeforeSteps = ["fetch", "check", "close"];

    private static readonly AttemptEnd Refused = new(AttemptOutcome.Withdrawn, "The package was withdrawn; this device refuses it", null, null);

    /// <summary>A step of the attempt in hand was begun.</summary>
    private bool _hasChanged;

    /// <summary>
    /// How the attempt in hand ends that was cut off before it had changed anything: whoever may start by then may be somebody else, or nobody. Null where it
    /// has changed something, or is a trial, and so goes on.
    /// </summary>
    public AttemptEnd? LaidAside() => journal.State.Current! is { Order.Kind: not "trial" } attempt && !HasChanged(attempt)
        ? new AttemptEnd(AttemptOutcome.Waits, "It was cut off before anything was changed here, and begins anew", null, null, Attempts.CalledBack)
        : null;

    /// <summary>Runs the attempt that is in hand, from the phase it is in.</summary>
    /// <param name="trial">Carries out what is not an attempt at a deployment but a trial.</param>
    public async Task<AttemptEnd> Run(Trials.DeviceTrial trial, CancellationToken cancellation)
    {
        var attempt = journal.State.Current!;
        _hasChanged = HasChanged(attempt);
        try
        {
            if (journal.State.Withdrawn.Contains(attempt.Order.Package.Digest) && attempt.Order.Kind is "install" or "trial")
            {
                return Refused;
            }

            return attempt.Order.Kind switch
            {
                "install" => await Install(attempt, cancellation),
                "remove" => await Remove(attempt, cancellation),
                "restore" => await Restore(attempt, cancellation),
                "trial" => await trial.Run(attempt, cancellation),
                _ => new AttemptEnd(AttemptOutcome.Refused, $"This agent does not know the order '{attempt.Order.Kind}'; update it", null, null),
            };
        }
        catch (LinkException error)
        {
            return new AttemptEnd(AttemptOutcome.NotFetched, error.Message, null, null);
        }
        catch (SealException error)
        {
            return new AttemptEnd(AttemptOutcome.BadSignature, error.Message, null, null);
        }
        catch (PackageException error)
        {
            return new AttemptEnd(AttemptOutcome.Failed, error.Message, null, null);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            // No room, or a folder that somebody locked away. Before the step ran, that is a matter of fetching.
            var outcome = journal.State.Current!.Phase == "fetch" ? AttemptOutcome.NotFetched : AttemptOutcome.Failed;
            return new AttemptEnd(outcome, $"The device could not be written to: {error.Message}", null, null);
        }
        catch (Exception error) when (Unforeseen.Is(error))
        {
            return new AttemptEnd(AttemptOutcome.Failed, $"The agent cannot carry this out: {error.Message}", null, null);
        }
    }

    private async Task<AttemptEnd> Install(Attempt attempt, CancellationToken cancellation)
    {
        var order = attempt.Order;
        Move("fetch");
        var document = await packages.Get(order.Package, order.Variant, cancellation);
        var written = Filling.Written(document, order.Settings);
        var variant = Filling.Handle(Filling.Fill(PackageKeeper.VariantOf(document, order.Variant), written), order.Handling);
        var name = new[] { "change", "repair" }.FirstOrDefault(HasRunStep) ?? "run";
        var installed = ReceiptOf(order.Package.App);
        if (!HasRunStep(name))
        {
            Move("check");
            var before = Filling.Weigh(await prover.Prove(document, variant, installed, cancellation), variant, order, written, installed);
            if (before.Answer == PresenceAnswer.NotKnown)
            {
                return new AttemptEnd(AttemptOutcome.Failed, before.Why, null, before);
            }

            if (IsMet(before, order))
            {
                return new AttemptEnd(AttemptOutcome.Done, before.Why, null, before);
            }

            Move("check", before.Version ?? "", installed?.Link.Digest);
            if (before.Answer == PresenceAnswer.Incomplete)
            {
                return await Complete(document, variant, installed, cancellation);
            }

            // What is there and broken is mended once; where that does not help, the next try installs it anew.
            var isBroken = installed?.Link.Digest == order.Package.Digest && attempt.Try == 1 && variant.Repair is not null;
            name = before.Answer == PresenceAnswer.Different ? "change" : isBroken ? "repair" : "run";
            if (
                (
                    await Close(order, variant, cancellation) ?? await TakeAwayReplaced(attempt, document, cancellation)
                        ?? await TakeAwayOthers(attempt, document, variant, "install", cancellation)) is { } stopped)
            {
                return stopped;
            }
        }

        Move("run");
        var step = name switch { "change" => variant.Change!, "repair" => variant.Repair!, _ => variant.Install };
        var end = await RunStep(attempt, name, document, variant, step, cancellation);
        if (end.ExitCode is { } ended && ExitCodes.Meaning(ended, Steps.Codes(step)) is ExitMeaning.Done or ExitMeaning.RestartNeeded or ExitMeaning.Restarting)
        {
            surroundings.Put(document, variant, await VariantAsInstalled(installed));
        }

        var after = NewReceipt(document, order.Package, variant, written);
        // The version was there before its settings were changed, so its proof says nothing of the change: there the code counts too.
        var isTold = name != "change" || (end.ExitCode is { } code && ExitCodes.Meaning(code, Steps.Codes(step)) == ExitMeaning.Done);
        var result = await Judge(attempt, document, variant, step, end, after, proof => isTold && IsMet(proof, order), cancellation);
        if (result.Outcome == AttemptOutcome.Done)
        {
            journal.Append(new ReceiptKept(after));
        }
        else if (result.Outcome is AttemptOutcome.Failed or AttemptOutcome.NoProof or AttemptOutcome.TimedOut && variant.PutBack)
        {
            return await PutBack(attempt, variant, result, cancellation);
        }

        return result;
    }

    /// <summary>The software is there as it was asked for; what goes with it is not.</summary>
    private async Task<AttemptEnd> Complete(PackageDocument document, DocumentVariant variant, Receipt? receipt, CancellationToken cancellation)
    {
        if (await MayNotStart(cancellation) is { } stopped)
        {
            return stopped;
        }

        Move("companions");
        surroundings.Put(document, variant);
        var proof = await prover.Prove(document, variant, receipt, cancellation);
        return proof.IsMet ? new AttemptEnd(AttemptOutcome.Done, proof.Why, null, proof) : new AttemptEnd(AttemptOutcome.NoProof, proof.Why, null, proof);
    }

    private async Task<AttemptEnd> Remove(Attempt attempt, CancellationToken cancellation)
    {
        // What we installed ourselves knows best how to go; the order's own package serves for the rest.
        var link = ReceiptOf(attempt.Order.Package.App) is { } receipt && await packages.Known(receipt.Link) is not null
            ? (receipt.Link, receipt.Variant)
            : (attempt.Order.Package, attempt.Order.Variant);
        return await TakeAway(attempt, "run", link.Item1, link.Item2, cancellation);
    }

    private async Task<AttemptEnd> TakeAway(Attempt attempt, string step, PackageLink link, string variantName, CancellationToken cancellation)
    {
        Move("fetch");
        var document = await packages.Get(link, variantName, cancellation);
        var written = ReceiptOf(document.App) is { } ours && ours.Link.Digest == link.Digest ? ours.Written : null;
        var variant = Filling.Handle(
            Filling.Fill(PackageKeeper.VariantOf(document, variantName), written ?? Filling.Written(
                document, attempt.Order.Package.Digest == link.Digest ? attempt.Order.Settings : null)),
            attempt.Order.Handling);
        if (!HasRunStep(step))
        {
            Move("check");
            var before = await prover.Prove(document, variant, ReceiptOf(document.App), cancellation);
            if ((await MayNotStart(cancellation) ?? await TakeAwayOthers(attempt, document, variant, "remove", cancellation)) is { } stopped)
            {
                return stopped;
            }

            if (before.Answer == PresenceAnswer.Absent)
            {
                Forget(document, variant);
                journal.Append(new ReceiptDropped(document.App));
                return new AttemptEnd(AttemptOutcome.Done, $"{document.Name} is not there", null, before);
            }

            Move("check", before.Version ?? "", ReceiptOf(document.App)?.Link.Digest);
            if (variant.Remove is null)
            {
                return new AttemptEnd(AttemptOutcome.Refused, $"{document.Name} {document.Version} has no 'remove' step", null, before);
            }

            if (await Close(attempt.Order, variant, cancellation) is { } busy)
            {
                return busy;
            }
        }

        Move("run");
        var end = await RunStep(attempt, step, document, variant, variant.Remove!, cancellation);
        if (end.ExitCode is not null)
        {
            surroundings.Clear(document, variant);
        }

        var result = await Judge(attempt, document, variant, variant.Remove!, end, null, proof => proof.Answer == PresenceAnswer.Absent, cancellation);
        if (result.Outcome == AttemptOutcome.Done)
        {
            journal.Append(new ReceiptDropped(document.App));
            return result with { Message = $"{document.Name} was taken away" };
        }

        return result;
    }

    private async Task<AttemptEnd?> TakeAwayReplaced(Attempt attempt, PackageDocument document, CancellationToken cancellation)
    {
        foreach (var app in document.Replaces)
        {
            if (ReceiptOf(app) is not { } receipt)
            {
                continue;
            }

            Move("replace");
            var result = await TakeAway(attempt, "replace-" + app, receipt.Link, receipt.Variant, cancellation);
            if (result.Outcome != AttemptOutcome.Done)
            {
                return result with { Message = $"{receipt.Name}, which this replaces, could not be taken away: {result.Message}" };
            }
        }

        return null;
    }

    /// <summary>Takes away what no package of ours has put there, or what goes in another way. Null where nothing stands in the way any more.</summary>
    private async Task<AttemptEnd?> TakeAwayOthers(
        Attempt attempt, PackageDocument document, DocumentVariant variant, string moment, CancellationToken cancellation)
    {
        foreach (var (number, removal) in Surroundings.Others(variant, moment))
        {
            var name = string.Create(System.Globalization.CultureInfo.InvariantCulture, $"other-{number}");
            var isThere = surroundings.IsThere(removal, journal.State.Receipts.Values);
            if (isThere == Truth.NotKnown)
            {
                return new AttemptEnd(AttemptOutcome.Failed, $"Nobody could tell whether {removal.What} is there, which has to go first", null, null);
            }

            if (isThere == Truth.False && !HasRunStep(name))
            {
                continue;
            }

            Move("replace");
            var end = await RunStep(attempt, name, document, variant, removal.Step, cancellation);
            if (surroundings.IsThere(removal, journal.State.Receipts.Values) != Truth.False)
            {
                var meaning = end.ExitCode is { } code ? ExitCodes.Meaning(code, Steps.Codes(removal.Step)) : ExitMeaning.Failed;
                var outcome = meaning switch
                {
                    ExitMeaning.Busy or ExitMeaning.RestartNeeded or ExitMeaning.Restarting => AttemptOutcome.Busy,
                    _ => end.TimedOut ? AttemptOutcome.TimedOut : AttemptOutcome.Failed,
                };
                return new AttemptEnd(
                    outcome,
                    $"{removal.What}, which has to go first, is still there{(end.ExitCode is { } said ? $" (code {ExitCodes.Written(said)})" : "")}"
                        + $"{Steps.LastWords(Steps.LastLines(processes, attempt.Id, 1))}",
                    end.ExitCode, null);
            }
        }

        return null;
    }

    /// <summary>Whatever took the software away, what came with it goes too; what was never ours is left alone.</summary>
    private void Forget(PackageDocument document, DocumentVariant variant)
    {
        if (ReceiptOf(document.App) is not null)
        {
            surroundings.Clear(document, variant);
        }
    }

    private async Task<DocumentVariant?> VariantAsInstalled(Receipt? receipt) =>
        receipt is not null && await packages.Known(receipt.Link) is { } document ? PackageKeeper.VariantOf(document, receipt) : null;

    /// <summary>Maps the exit code and takes the proof. Proof decides in the end.</summary>
    private async Task<AttemptEnd> Judge(
        Attempt attempt, PackageDocument document, DocumentVariant variant, DocumentStep step, StepEnd end, Receipt? receiptAfter, Func<PresenceResult,
        bool> holds, CancellationToken cancellation)
    {
        if (end.TimedOut && !step.EndAtLimit)
        {
            return new AttemptEnd(
                AttemptOutcome.Stuck,
                $"The step still ran after {Units.FormatDuration(TimeSpan.FromSeconds(step.LimitSeconds))} and was left alone; "
                    + "somebody must look at the device",
                null, null);
        }

        Move("prove");
        // A receipt says what the step would have made true; it is kept or dropped only after everything else has proven so.
        var receipt = end.ExitCode == 0 ? receiptAfter : ReceiptOf(document.App);
        var proof = await prover.Prove(document, variant, receipt, cancellation);
        var meaning = end.ExitCode is { } code ? ExitCodes.Meaning(code, Steps.Codes(step)) : ExitMeaning.Failed;
        var restart = variant.Handling?.Restart;
        if (meaning is ExitMeaning.RestartNeeded or ExitMeaning.Restarting && restart == "never")
        {
            meaning = ExitMeaning.Done;
        }

        if (meaning is ExitMeaning.RestartNeeded or ExitMeaning.Restarting
            || (restart == "always" && receiptAfter is not null && meaning == ExitMeaning.Done && holds(proof)))
        {
            return new AttemptEnd(AttemptOutcome.Restart, $"{document.Name} is in place but for a restart", end.ExitCode, proof);
        }

        if (holds(proof))
        {
            var warning = meaning == ExitMeaning.Done ? ""
                : end.TimedOut ? ", although the step had to be ended at its limit"
                : end.ExitCode is { } odd ? $", although the step ended with code {ExitCodes.InWords(odd)}"
                : ", although nobody saw the step end";
            return new AttemptEnd(AttemptOutcome.Done, proof.Why + warning, end.ExitCode, proof);
        }

        if (end.TimedOut)
        {
            return new AttemptEnd(
                AttemptOutcome.TimedOut,
                $"The step was ended with everything it had started after {Units.FormatDuration(TimeSpan.FromSeconds(step.LimitSeconds))}", null, proof, "run");
        }

        if (end.ExitCode is null)
        {
            return new AttemptEnd(
                end.Problem is null ? AttemptOutcome.Interrupted : AttemptOutcome.Failed,
                end.Problem ?? "The device or its agent stopped in the middle of the step", null, proof, "run");
        }

        return Steps.Unproven(end.ExitCode.Value, meaning, proof, Steps.LastWords(Steps.LastLines(processes, attempt.Id, 1)));
    }

    /// <summary>Runs a step, or goes on with it where it was begun before the agent stopped.</summary>
    private async Task<StepEnd> RunStep(
        Attempt attempt, string name, PackageDocument document, DocumentVariant variant, DocumentStep step, CancellationToken cancellation)
    {
        if (step.Run.Count == 0)
        {
            return Steps.NothingToRun;
        }

        _hasChanged = true;
        var limit = TimeSpan.FromSeconds(step.LimitSeconds);
        using var told = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        var telling = TellIfLong(attempt, step, told.Token);
        StepEnd end;
        try
        {
            end = processes.Find(attempt.Id, name) switch
            {
                StepTrace.Running or StepTrace.Ended => await processes.Await(attempt.Id, name, limit, step.EndAtLimit, cancellation),
                StepTrace.Gone => new StepEnd(null, null, false),
                _ => await processes.Run(Steps.Run(attempt.Id, name, document, variant, step), limit, step.EndAtLimit, cancellation),
            };
        }
        finally
        {
            told.Cancel();
            await telling;
        }

        surroundings.KeepLog(attempt.Id, variant);
        return end;
    }

    private async Task TellIfLong(Attempt attempt, DocumentStep step, CancellationToken cancellation)
    {
        var expected = TimeSpan.FromSeconds(Math.Max(1, step.ExpectedSeconds));
        await Task.Delay(expected * TakesLong, time, cancellation)
            .ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing | ConfigureAwaitOptions.ContinueOnCapturedContext);
        if (!cancellation.IsCancellationRequested)
        {
            journal.Append(new StepTakesLong(
                attempt.Id,
                $"It takes much longer than the {Units.FormatDuration(expected)} that were expected; "
                    + $"{(step.EndAtLimit ? "it is ended after" : "it is watched for")} {Units.FormatDuration(TimeSpan.FromSeconds(step.LimitSeconds))}"));
            tell();
        }
    }

    private bool HasChanged(Attempt attempt) =>
        processes.HasBegun(attempt.Id) || (attempt.Phase != "run" && !BeforeSteps.Contains(attempt.Phase));

    /// <summary>
    /// While its files were fetched the service may have called the order back, or not been heard for too long, or its window may have closed: as long as
    /// nothing was changed here, nothing is. Null where it goes on.
    /// </summary>
    private async Task<AttemptEnd?> MayNotStart(CancellationToken cancellation)
    {
        var order = journal.State.Current!.Order;
        if (_hasChanged || order.Kind == "trial")
        {
            return null;
        }

        if (order.Kind == "install" && journal.State.Withdrawn.Contains(order.Package.Digest))
        {
            return Refused;
        }

        if (!journal.State.Orders.Any(
            each => each.MayStart && each.Package.Digest == order.Package.Digest && DeviceState.KeyOf(each) == DeviceState.KeyOf(order)))
        {
            return new AttemptEnd(AttemptOutcome.Waits, "It was called back before anything was changed here", null, null, Attempts.CalledBack);
        }

        if (!journal.State.IsLeased(order, journal.Now))
        {
            return new AttemptEnd(
                AttemptOutcome.Waits,
                $"The service was not heard for {Units.FormatDuration(TimeSpan.FromSeconds(order.LeaseSeconds))} before anything was changed here", null, null,
                Attempts.CalledBack);
        }

        return await inTheWay(order, cancellation) is { } why ? new AttemptEnd(AttemptOutcome.Waits, why, null, null) : null;
    }

    private bool HasRunStep(string name) => processes.Find(journal.State.Current!.Id, name) is not StepTrace.NeverStarted;

    private async Task<AttemptEnd?> Close(Order order, DocumentVariant variant, CancellationToken cancellation)
    {
        if (await MayNotStart(cancellation) is { } stopped)
        {
            return stopped;
        }

        if (surroundings.InTheWay(variant) is { } who)
        {
            return new AttemptEnd(AttemptOutcome.Waits, who, null, null);
        }

        if (variant.Close.Count == 0)
        {
            return null;
        }

        Move("close");
        var left = await processes.Close(variant.Close, ClosePatience, mayEnd(order), cancellation);
        return left.Count == 0 ? await MayNotStart(cancellation)
            : new AttemptEnd(AttemptOutcome.Busy, $"{string.Join(", ", left)} could not be closed", null, null);
    }

    private Receipt NewReceipt(PackageDocument document, PackageLink link, DocumentVariant variant, IReadOnlyDictionary<string, string> written) =>
        new(document.App, document.Name, document.Version, link, variant.Name, journal.Now, written);

    private Receipt? ReceiptOf(string app) => journal.State.Receipts.GetValueOrDefault(app);

    private static bool IsMet(PresenceResult proof, Order order) =>
        proof.Answer == PresenceAnswer.Present || (proof.Answer == PresenceAnswer.Newer && !order.AllowDowngrade);

    private void Move(string phase, string? before = null, string? beforePackage = null) => journal.Append(new AttemptMoved(phase, before, beforePackage));
}
