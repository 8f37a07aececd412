using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;

namespace Bandejo.Device.Trials;

/// <summary>What a trial runs on: the machine, and how what was changed on it is seen.</summary>
public sealed record TrialMachine(
    ITrialGround Ground, Prover Prover, IMachineFiles Files, IMachineProcesses Processes, IMachineFacts Facts, Surroundings Surroundings)
{
    /// <summary>The text of a file of the package, by its digest; null where it is not at hand.</summary>
    public Func<string, string?> Payload { get; init; } = _ => null;
}

/// <summary>
/// Tries one variant of a package, its settings filled in, on a clean machine, in the way in which a device would install it: what it needs first, install,
/// proof, launch, install
/// again while it runs, remove, leftovers; then upgrade from the earlier version and the way back. Each step is told as it ends.
/// </summary>
public sealed partial class TrialRunner(TrialPlan plan, DocumentVariant variant, TrialMachine machine, TimeProvider time, Action<TrialStepInfo> tell)
{
    private const int LogLines = 30;
    private const int ShownLeftovers = 20;

    private static readonly Dictionary<string, string> None = [];

    private static readonly Dictionary<TrialState, string> Words = new()
    {
        [TrialState.Passed] = "passed", [TrialState.Warned] = "warned", [TrialState.LeftOut] = "left-out", [TrialState.Failed] = "failed",
    };

    private static readonly TimeSpan ClosePatience = TimeSpan.FromSeconds(10);

    private readonly TrialNoise _noise = new(plan.Noise);
    private readonly IReadOnlyList<string> _secrets = Filling.Secrets(plan.Package.Document, Filling.Written(plan.Package.Document, plan.Settings));
    private readonly Dictionary<string, (PackageDocument Document, DocumentVariant With)> _placed = [];
    private readonly List<string> _names = [];
    private Dictionary<string, Receipt> _receipts = [];
    private int _runs;
    private string _attempt = "";

    /// <summary>Stands in front of the names of its runs, so that they are not taken for those of another trial.</summary>
    public string Prefix { get; init; } = "";

    /// <summary>What was installed before, by app.</summary>
    public IReadOnlyDictionary<string, Receipt> Receipts { init => _receipts = value.ToDictionary(); }

    /// <summary>The first variant that is meant for a machine and may be installed on it; null where none is.</summary>
    public static DocumentVariant? VariantFor(PackageDocument document, FactReport report) =>
        Targeting.Weigh(
            [.. document.Variants.Select(each => new VariantRules(each.Name, Rule.Parse(each.Fits).Value, Rule.Parse(each.Requires).Value))],
            new ReportedFacts(report)) is { Event: TargetEvent.Due, Variant: { } name }
            ? document.Variants.First(each => each.Name == name)
            : null;

    /// <summary>The state that a step says.</summary>
    public static TrialState StateOf(TrialStepInfo step) => Words.First(word => word.Value == step.State).Key;

    /// <summary>Runs all steps, and takes away whatever is left in place at their end; whether none failed.</summary>
    public async Task<bool> RunAndLeaveClean(CancellationToken cancellation)
    {
        var held = await Run(cancellation);
        foreach (var (document, with) in _placed.Values.ToList())
        {
            if (with.Remove is not null)
            {
                var (end, seconds, log) = await Step("clean up", document, with, with.Remove, cancellation);
                machine.Surroundings.Clear(document, with);
                var proof = await machine.Prover.Prove(document, with, null, cancellation);
                Tell(
                    "clean up", proof.Answer == PresenceAnswer.Absent ? TrialState.Passed : TrialState.Failed,
                    proof.Answer == PresenceAnswer.Absent
                        ? $"{document.Name} {document.Version} was taken away again"
                        : $"{document.Name} {document.Version} is still there: {Steps.Lower(proof.Why)}",
                    seconds, end?.ExitCode, log);
                held &= proof.Answer == PresenceAnswer.Absent;
            }
        }

        _names.ForEach(machine.Processes.Forget);
        return held;
    }

    /// <summary>Runs all steps; whether none failed.</summary>
    public async Task<bool> Run(CancellationToken cancellation)
    {
        var package = plan.Package.Document;
        if (Fit() is { Event: TargetEvent.NotMeant } not)
        {
            Tell("clean", TrialState.LeftOut, $"{not.Reason}. Try it on a device of its kind.");
            return true;
        }

        LeaveServicesOut();
        foreach (var before in plan.Before)
        {
            if (!await Install("needs", before.Document, VariantOf(before.Document), cancellation))
            {
                return false;
            }
        }

        foreach (var need in (package.Needs ?? []).Where(need => !_receipts.ContainsKey(need.App)))
        {
            Tell(
                "needs", TrialState.Failed,
                $"It needs {need.App}{(need.AtLeast is null ? "" : $" {need.AtLeast} or newer")} first; give a package of it with --with.");
            return false;
        }

        if (Fit() is { Event: TargetEvent.Blocked } blocked)
        {
            Tell("requires", TrialState.Warned, $"{blocked.Reason}. It is tried all the same; a device like this one would not get it.");
        }

        var clean = await machine.Prover.Prove(package, variant, null, cancellation);
        if (clean.Answer != PresenceAnswer.Absent)
        {
            Tell(
                "clean", TrialState.Failed,
                $"{machine.Ground.Name} is not clean for it: {Steps.Lower(clean.Why)}. Where it really is there, try it upon a root without it (--upon); "
                    + $"where it is not, choose a presence check that only this software makes true.");
            return false;
        }

        Tell("clean", TrialState.Passed, clean.Why);
        var original = new CleanLook([.. machine.Ground.Changes().Select(file => file.Path)], Leftovers.Read.ToDictionary(
            path => path, machine.Ground.Now, StringComparer.Ordinal));
        if (!await Install(TrialResult.Decisive, package, variant, cancellation))
        {
            TellLeft(original, isAfterRemoval: false);
            return false;
        }

        // What did not hold hides nothing of what comes behind it.
        var placed = TellPlace(original);
        var held = TellCaptured();
        await TellServices(placed, cancellation);
        var isRunning = await Launch(cancellation);
        if (isRunning == true && variant.Close.Count == 0)
        {
            Tell(
                "close", TrialState.Warned,
                "Nothing is named under 'close': it goes on running while it is installed over and removed, which many programs do not survive.");
        }

        held &= isRunning is not null;
        held &= await Install("again", package, variant, cancellation);
        held &= variant.Change is not { } change || await Install("change", package, variant with { Install = change }, cancellation);
        held &= variant.Repair is not { } repair || await Repair(package, repair, cancellation);
        if (!await Remove(package, variant, original, cancellation))
        {
            return false;
        }

        if (plan.Earlier is not { } earlier)
        {
            return held;
        }

        if (variant.Remove is null)
        {
            Tell(
                "earlier", TrialState.LeftOut,
                "What cannot be taken away again leaves no clean machine for the earlier version; upgrade and way back were not tried.");
            return held;
        }

        return await Change(earlier.Document, cancellation) && held;
    }

    /// <summary>Where no service manager runs, nobody can say whether a service does: that is left for a device, and said.</summary>
    private void LeaveServicesOut()
    {
        var services = variant.Present.Where(check => check.Kind == "service").Select(check => check.Subject).ToList();
        if (services.Count > 0 && services.Count < variant.Present.Count && !machine.Files.Exists(Prover.ServiceManager))
        {
            variant = variant with { Present = [.. variant.Present.Where(check => check.Kind != "service")] };
            Tell(
                "service", TrialState.LeftOut,
                $"No service manager runs here, so whether {string.Join(" and ", services)} start{(services.Count == 1 ? "s" : "")} and "
                    + $"stay{(services.Count == 1 ? "s" : "")} up was not tried; try it on a device (--on).");
        }
    }

    /// <summary>Takes away a file that proves it, so that there is something to repair, and has it repaired.</summary>
    private async Task<bool> Repair(PackageDocument package, DocumentStep repair, CancellationToken cancellation)
    {
        var file = variant.Present.FirstOrDefault(check => check.Kind is "file" or "version-in" && machine.Files.Exists(check.Subject))?.Subject;
        if (file is null)
        {
            Tell(
                "break", TrialState.LeftOut,
                "None of its presence checks looks at a file, so there was nothing to take away: the repair is tried on what is whole.");
        }
        else
        {
            machine.Files.Delete(file);
            var broken = await machine.Prover.Prove(package, variant, _receipts.GetValueOrDefault(package.App), cancellation);
            Tell(
                "break", broken.Answer == PresenceAnswer.Present ? TrialState.Warned : TrialState.Passed,
                broken.Answer == PresenceAnswer.Present
                    ? $"{file} was taken away, and it still counts as whole: {Steps.Lower(broken.Why)}"
                    : $"{file} was taken away, so that there is something to repair");
        }

        return await Install("repair", package, variant with { Install = repair }, cancellation);
    }

    /// <summary>Whether the variant is meant for this machine, and may be installed on it as it stands now.</summary>
    private Fit Fit()
    {
        var report = machine.Facts.Gather();
        var programs = report.Programs is null
            ? null
            : (IReadOnlyList<ProgramReport>)[.. report.Programs, .. _receipts.Values.Select(receipt => new ProgramReport(
                receipt.App, receipt.Version, "receipt"))];
        return Targeting.Weigh([new VariantRules(variant.Name, Rule.Parse(variant.Fits).Value, Rule.Parse(variant.Requires).Value)], new ReportedFacts(
            report with { Programs = programs }));
    }

    /// <summary>The variant of another package that belongs beside this one: the one of its name, or the first.</summary>
    private DocumentVariant VariantOf(PackageDocument document) =>
        Filling.Fill(document.Variants.FirstOrDefault(each => each.Name == variant.Name) ?? document.Variants[0], Filling.Written(document, null));

    private async Task<bool> Install(string name, PackageDocument document, DocumentVariant with, CancellationToken cancellation)
    {
        if (!await Close(name, with, cancellation))
        {
            return false;
        }

        var earlier = _placed.GetValueOrDefault(document.App).With;
        _placed[document.App] = (document, with);
        var (end, seconds, log) = await Step(name, document, with, with.Install, cancellation);
        if (end is null)
        {
            return false;
        }

        if (ExitCodes.Meaning(end.ExitCode!.Value, Steps.Codes(with.Install)) is ExitMeaning.Done or ExitMeaning.RestartNeeded or ExitMeaning.Restarting)
        {
            seconds += Took(() => machine.Surroundings.Put(document, with, earlier));
        }

        var receipt = new Receipt(
            document.App, document.Name, document.Version, new PackageLink("", document.App, document.Version, ""), with.Name, time.GetUtcNow());
        var proof = await machine.Prover.Prove(document, with, end.ExitCode == 0 ? receipt : _receipts.GetValueOrDefault(document.App), cancellation);
        var meaning = ExitCodes.Meaning(end.ExitCode!.Value, Steps.Codes(with.Install));
        if (proof.Answer != PresenceAnswer.Present)
        {
            Tell(name, TrialState.Failed, $"{Ended(with.Install, end, meaning)}, but {Steps.Lower(proof.Why)}", seconds, end.ExitCode, log);
            return false;
        }

        _receipts[document.App] = receipt;
        var isWhole = meaning is ExitMeaning.Done or ExitMeaning.RestartNeeded or ExitMeaning.Restarting;
        Tell(name, isWhole ? TrialState.Passed : TrialState.Warned, $"{Ended(with.Install, end, meaning)}; {proof.Why}", seconds, end.ExitCode, log);
        return true;
    }

    private async Task<bool> Remove(PackageDocument package, DocumentVariant with, CleanLook original, CancellationToken cancellation)
    {
        if (with.Remove is null)
        {
            Tell("remove", TrialState.Warned, "There is no 'remove' step: what this package installs cannot be taken away.");
            return true;
        }

        // It is started once more, so that removal too is tried while it runs.
        if (with.Launch is not null)
        {
            await Start("launch-again", with, null, cancellation);
        }

        if (!await Close("remove", with, cancellation))
        {
            return false;
        }

        var (end, seconds, log) = await Step("remove", package, with, with.Remove, cancellation);
        if (end is null)
        {
            return false;
        }

        _receipts.Remove(package.App);
        seconds += Took(() => machine.Surroundings.Clear(package, with));
        var meaning = ExitCodes.Meaning(end.ExitCode!.Value, Steps.Codes(with.Remove));
        var proof = await machine.Prover.Prove(package, with, null, cancellation);
        if (proof.Answer == PresenceAnswer.Absent)
        {
            _placed.Remove(package.App);
        }
        else
        {
            Tell(
                "remove", TrialState.Failed, $"{Ended(with.Remove, end, meaning)}, but it is still there: {Steps.Lower(proof.Why)}", seconds, end.ExitCode,
                log);
            return false;
        }

        Tell(
            "remove", meaning == ExitMeaning.Failed ? TrialState.Warned : TrialState.Passed, $"{Ended(with.Remove, end, meaning)}; {Steps.Lower(proof.Why)}",
            seconds, end.ExitCode, log);
        TellLeft(original, isAfterRemoval: true);
        return true;
    }

    /// <summary>What is on the machine that was not there before: on its disk, and running.</summary>
    /// <param name="isAfterRemoval">Whether it was removed, so that nothing may be left; else it failed to install, and only what it left is told.</param>
    private void TellLeft(CleanLook original, bool isAfterRemoval)
    {
        var changes = machine.Ground.Changes().Where(file => IsOther(file, original)).Select(file => new DiskChange(file.Path, file.Kind)).ToList();
        var left = Leftovers.Of(changes, path => original.Texts.GetValueOrDefault(path), machine.Ground.Now);
        if (left.Count > 0 || isAfterRemoval)
        {
            Tell(
                "leftovers", left.Count == 0 ? TrialState.Passed : TrialState.Warned, Leftovers.Sentence(left), 0, null,
                [
                    .. left.Take(ShownLeftovers).Select(Leftovers.InWords),
                    .. left.Count > ShownLeftovers ? new[] { $"… and {left.Count - ShownLeftovers} more" } : []]);
        }

        if (isAfterRemoval && machine.Ground.Waiting() is { Count: > 0 } running)
        {
            Tell(
                "still running", TrialState.Warned,
                $"{(running.Count == 1 ? "A program of it still runs" : $"{running.Count} programs of it still run")} although it was removed; end "
                    + $"{(running.Count == 1 ? "it" : "them")} in the remove step, or name {(running.Count == 1 ? "it" : "them")} under 'close'.",
                0, null, running);
        }
    }

    /// <summary>From the earlier version to this one, and back again as a device goes back where this one does not prove itself.</summary>
    private async Task<bool> Change(PackageDocument earlier, CancellationToken cancellation)
    {
        var before = VariantOf(earlier);
        return await Install("earlier", earlier, before, cancellation)
            && await Install("upgrade", plan.Package.Document, variant, cancellation)
            && await Install("fall back", earlier, before, cancellation);
    }

    /// <summary>Closes what a step wants closed; false where it could not be, and that was told.</summary>
    private async Task<bool> Close(string name, DocumentVariant with, CancellationToken cancellation)
    {
        var left = with.Close.Count == 0 ? [] : await machine.Processes.Close(with.Close, ClosePatience, ends: false, cancellation);
        if (left.Count == 0)
        {
            return true;
        }

        Tell(
            name, TrialState.Failed, $"{string.Join(", ", left)} could not be closed within {Units.FormatDuration(ClosePatience)}", ClosePatience.TotalSeconds);
        return false;
    }

    /// <summary>Runs a step to its end or to its limit. Null where it did not end by itself; that was told, with what it was waiting for.</summary>
    private async Task<(StepEnd? End, double Seconds, IReadOnlyList<string> Log)> Step(
        string name, PackageDocument document, DocumentVariant with, DocumentStep step, CancellationToken cancellation)
    {
        if (step.Run.Count == 0)
        {
            return (Steps.NothingToRun, 0, []);
        }

        var limit = TimeSpan.FromSeconds(Math.Min(step.LimitSeconds, plan.LimitSeconds ?? step.LimitSeconds));
        var attempt = Attempt(name);
        var run = Steps.Run(attempt, name, document, with, step);
        var (took, end) = await Timed(() => machine.Processes.Run(run, limit, endAtLimit: false, cancellation));
        machine.Surroundings.KeepLog(attempt, with);
        var log = Log();
        if (end.TimedOut)
        {
            var waiting = machine.Ground.Waiting();
            await machine.Processes.Await(attempt, name, TimeSpan.Zero, endAtLimit: true, cancellation);
            Tell(
                name, TrialState.Failed,
                $"It still ran after {Units.FormatDuration(limit)} and was ended with everything it had "
                    + $"started{(waiting.Count == 0 ? "" : $". It was waiting: {waiting[^1]}")}",
                took, null, [.. waiting, .. log]);
            return (null, took, log);
        }

        if (end.ExitCode is null || end.Problem is not null)
        {
            Tell(name, TrialState.Failed, $"{end.Problem ?? "It ended without an exit code"}{Steps.LastWords(log)}", took, end.ExitCode, log);
            return (null, took, log);
        }

        return (end, took, log);
    }

    private string Attempt(string name)
    {
        _attempt = string.Create(
            CultureInfo.InvariantCulture, $"{Prefix}{++_runs}-{string.Concat(name.Select(sign => char.IsAsciiLetterOrDigit(sign) ? sign : '-'))}");
        _names.Add(_attempt);
        return _attempt;
    }

    /// <summary>The last lines that the last command printed.</summary>
    private IReadOnlyList<string> Log() => [.. Steps.LastLines(machine.Processes, _attempt, LogLines).Select(line => Steps.Hide(line, _secrets))];

    private List<ChangedFile> TellPlace(CleanLook original)
    {
        var placed = machine.Ground.Changes().Where(file => file.Kind != ChangeKind.Gone && !file.Path.EndsWith('/') && IsOther(file, original)).ToList();
        Tell(
            "in place", TrialState.Passed,
            string.Create(
                CultureInfo.InvariantCulture, $"{placed.Count:N0} file{(placed.Count == 1 ? "" : "s")}, {Units.FormatSize(placed.Sum(file => file.Size))}"),
            0, null, [.. placed.Take(ShownLeftovers).Select(file => file.Path)]);
        return placed;
    }

    /// <summary>Holds what a captured package has put in place against what was captured; false where something is other, and that was told.</summary>
    private bool TellCaptured()
    {
        if (variant.Files.FirstOrDefault(file => file.Path == CaptureDraft.ListName) is not { } list || machine.Payload(list.Sha256) is not { } text)
        {
            return true;
        }

        var entries = CaptureDraft.Read(text);
        var accounts = new Accounts(machine.Ground.Now("/etc/passwd"), machine.Ground.Now("/etc/group"));
        var others = entries.Select(entry => CaptureDraft.Differs(entry, machine.Ground.Find("/" + entry.Path, accounts), machine.Files.Sha256, accounts))
            .OfType<string>().ToList();
        var count = string.Create(CultureInfo.InvariantCulture, $"{entries.Count:N0} captured entr{(entries.Count == 1 ? "y" : "ies")}");
        Tell(
            "as captured", others.Count == 0 ? TrialState.Passed : TrialState.Failed,
            others.Count == 0
                ? $"{count}: contents, rights and owners are as they were"
                : string.Create(
                    CultureInfo.InvariantCulture, $"Of {count}, {others.Count:N0} {(others.Count == 1 ? "is" : "are")} not as they were: {others[0]}"),
            0, null, [.. others.Take(ShownLeftovers)]);
        return others.Count == 0;
    }

    /// <summary>
    /// Whether something is other than when the machine was clean. A file whose lines are looked into may have been other by then, and be other again.
    /// </summary>
    private bool IsOther(ChangedFile file, CleanLook original) =>
        !_noise.Is(file.Path.TrimEnd('/'))
            && (original.Texts.TryGetValue(file.Path, out var before) ? before != machine.Ground.Now(file.Path) : !original.Paths.Contains(file.Path));

    private async Task<(double Seconds, T Value)> Timed<T>(Func<Task<T>> act)
    {
        var start = time.GetTimestamp();
        var value = await act();
        return (time.GetElapsedTime(start).TotalSeconds, value);
    }

    /// <summary>Seconds that something took: what goes with the software is part of its step.</summary>
    private double Took(Action act)
    {
        var start = time.GetTimestamp();
        act();
        return time.GetElapsedTime(start).TotalSeconds;
    }

    private void Tell(string name, TrialState state, string says, double seconds = 0, int? code = null, IReadOnlyList<string>? log = null) =>
        tell(new TrialStepInfo(variant.Name, name, Words[state], says, Math.Round(seconds, 2), code, log ?? []));

    private static string Ended(DocumentStep step, StepEnd end, ExitMeaning meaning) =>
        step.Run.Count == 0 ? "There was nothing to run"
            : end.ExitCode == 0 ? "It ended with code 0"
            : $"It ended with code {end.ExitCode} ({ExitCodes.Meanings.First(word => word.Value == meaning).Key})";

    /// <summary>How the machine was before the software came.</summary>
    /// <param name="Paths">What was other already than on the ground that lies beneath.</param>
    /// <param name="Texts">The files whose lines are looked into.</param>
    private sealed record CleanLook(HashSet<string> Paths, Dictionary<string, string?> Texts);
}
