using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;

namespace Bandejo.Device.Trials;

/// <summary>
/// Tries one variant of a package on a clean machine, in the way in which a device would install it: what it needs first, install, proof, launch, install
/// again while it runs, remove, leftovers; then upgrade from the earlier version and the way back. Each step is told as it ends.
/// </summary>
public sealed class TrialRunner(TrialPlan plan, DocumentVariant variant, ITrialGround ground, Prover prover, IMachineProcesses processes, TimeProvider time, Action<TrialStepInfo> tell)
{
    private const int LogLines = 30;
    private const int ShownLeftovers = 20;

    private static readonly TimeSpan ClosePatience = TimeSpan.FromSeconds(10);

    private readonly TrialNoise _noise = new(plan.Noise);
    private readonly Dictionary<string, Receipt> _receipts = [];
    private int _runs;
    private string _attempt = "";

    /// <summary>Runs all steps; whether none failed.</summary>
    public async Task<bool> Run(CancellationToken cancellation)
    {
        var package = plan.Package.Document;
        foreach (var before in plan.Before)
        {
            if (!await Install("needs", before.Document, VariantOf(before.Document), PresenceAnswer.Present, cancellation))
            {
                return false;
            }
        }

        var (_, clean) = await Timed(() => prover.Prove(package, variant, null, cancellation));
        if (clean.Answer != PresenceAnswer.Absent)
        {
            Tell("clean", "failed", $"On a machine without {package.Name} its presence check should find nothing, but: {clean.Why}. Choose a check that only this software makes true.", 0);
            return false;
        }

        Tell("clean", "passed", clean.Why, 0);
        var original = Paths();
        if (!await Install("install", package, variant, PresenceAnswer.Present, cancellation))
        {
            return false;
        }

        TellPlace(original);
        var isRunning = await Launch(cancellation);
        if (isRunning == true && variant.Close.Count == 0)
        {
            Tell("close", "warned", "Nothing is named under 'close': it goes on running while it is installed over and removed, which many programs do not survive.", 0);
        }

        if (isRunning is null || !await Install("again", package, variant, PresenceAnswer.Present, cancellation))
        {
            return false;
        }

        if (!await Remove(package, variant, original, cancellation))
        {
            return false;
        }

        return plan.Earlier is not { } earlier || await Change(earlier.Document, cancellation);
    }

    /// <summary>The variant of another package that belongs beside this one: the one of its name, or the first.</summary>
    private DocumentVariant VariantOf(PackageDocument document) => document.Variants.FirstOrDefault(each => each.Name == variant.Name) ?? document.Variants[0];

    private async Task<bool> Install(string name, PackageDocument document, DocumentVariant with, PresenceAnswer expected, CancellationToken cancellation)
    {
        if (await Close(name, with, cancellation) is false)
        {
            return false;
        }

        var (end, seconds, log) = await Step(name, document, with, with.Install, cancellation);
        if (end is null)
        {
            return false;
        }

        var receipt = new Receipt(document.App, document.Name, document.Version, new PackageLink("", document.App, document.Version, ""), with.Name, time.GetUtcNow());
        var proof = await prover.Prove(document, with, end.ExitCode == 0 ? receipt : _receipts.GetValueOrDefault(document.App), cancellation);
        var meaning = ExitCodes.Meaning(end.ExitCode!.Value, Codes(with.Install));
        if (proof.Answer != expected)
        {
            Tell(name, "failed", $"{Ended(end, meaning)}, but {Lower(proof.Why)}", seconds, end.ExitCode, log);
            return false;
        }

        _receipts[document.App] = receipt;
        var isWhole = meaning is ExitMeaning.Done or ExitMeaning.RestartNeeded or ExitMeaning.Restarting;
        Tell(name, isWhole ? "passed" : "warned", $"{Ended(end, meaning)}; {proof.Why}", seconds, end.ExitCode, log);
        return true;
    }

    private async Task<bool> Remove(PackageDocument package, DocumentVariant with, HashSet<string> original, CancellationToken cancellation)
    {
        if (with.Remove is null)
        {
            Tell("remove", "warned", "There is no 'remove' step: what this package installs cannot be taken away.", 0);
            return true;
        }

        // It is started once more, so that removal too is tried while it runs.
        if (with.Launch is not null)
        {
            await Start("launch-again", with, cancellation);
        }

        if (await Close("remove", with, cancellation) is false)
        {
            return false;
        }

        var (end, seconds, log) = await Step("remove", package, with, with.Remove, cancellation);
        if (end is null)
        {
            return false;
        }

        _receipts.Remove(package.App);
        var meaning = ExitCodes.Meaning(end.ExitCode!.Value, Codes(with.Remove));
        var proof = await prover.Prove(package, with, null, cancellation);
        if (proof.Answer != PresenceAnswer.Absent)
        {
            Tell("remove", "failed", $"{Ended(end, meaning)}, but it is still there: {Lower(proof.Why)}", seconds, end.ExitCode, log);
            return false;
        }

        Tell("remove", meaning == ExitMeaning.Failed ? "warned" : "passed", $"{Ended(end, meaning)}; {Lower(proof.Why)}", seconds, end.ExitCode, log);
        var left = ground.Changes().Where(file => !original.Contains(file.Path) && !_noise.Is(file.Path)).ToList();
        Tell(
            "leftovers", left.Count == 0 ? "passed" : "warned", left.Count == 0 ? "Nothing is left behind." : $"{left.Count} file{(left.Count == 1 ? " is" : "s are")} left behind; take them away in the remove step, or say in a noise file that they may stay.", 0, null,
            [.. left.Take(ShownLeftovers).Select(file => file.Path), .. left.Count > ShownLeftovers ? new[] { $"… and {left.Count - ShownLeftovers} more" } : []]);
        return true;
    }

    /// <summary>From the earlier version to this one, and back again as a device goes back where this one does not prove itself.</summary>
    private async Task<bool> Change(PackageDocument earlier, CancellationToken cancellation)
    {
        var before = VariantOf(earlier);
        return await Install("earlier", earlier, before, PresenceAnswer.Present, cancellation)
            && await Install("upgrade", plan.Package.Document, variant, PresenceAnswer.Present, cancellation)
            && await Install("fall back", earlier, before, PresenceAnswer.Present, cancellation);
    }

    /// <summary>Whether it started and still runs; false where it ended well or there is nothing to start, null where it failed.</summary>
    private async Task<bool?> Launch(CancellationToken cancellation)
    {
        if (variant.Launch is not { } launch)
        {
            Tell("launch", "left-out", "The manifest names no 'launch', so nobody knows yet whether it starts.", 0);
            return false;
        }

        var (seconds, end) = await Timed(() => Start("launch", variant, cancellation));
        var log = Log();
        if (end.TimedOut)
        {
            Tell("launch", "passed", $"It started, and was still up after {Units.FormatDuration(TimeSpan.FromSeconds(launch.StaysSeconds))}", seconds, null, log);
            return true;
        }

        if (end.ExitCode == 0)
        {
            Tell("launch", "passed", "It started, and ended by itself with code 0", seconds, 0, log);
            return false;
        }

        Tell("launch", "failed", $"It is there but does not run: {end.Problem ?? $"it ended with code {end.ExitCode}"}{LastWords(log)}", seconds, end.ExitCode, log);
        return null;
    }

    private Task<StepEnd> Start(string name, DocumentVariant with, CancellationToken cancellation) =>
        processes.Run(new StepRun(Attempt(name), name, with.Launch!.Run, new Dictionary<string, string>(), new Dictionary<string, string>()), TimeSpan.FromSeconds(with.Launch.StaysSeconds), endAtLimit: false, cancellation);

    /// <summary>Closes what a step wants closed; false where it could not be, and that was told.</summary>
    private async Task<bool> Close(string name, DocumentVariant with, CancellationToken cancellation)
    {
        var left = with.Close.Count == 0 ? [] : await processes.Close(with.Close, ClosePatience, cancellation);
        if (left.Count == 0)
        {
            return true;
        }

        Tell(name, "failed", $"{string.Join(", ", left)} could not be closed within {Units.FormatDuration(ClosePatience)}", ClosePatience.TotalSeconds);
        return false;
    }

    /// <summary>Runs a step to its end or to its limit. Null where it did not end by itself; that was told, with what it was waiting for.</summary>
    private async Task<(StepEnd? End, double Seconds, IReadOnlyList<string> Log)> Step(string name, PackageDocument document, DocumentVariant with, DocumentStep step, CancellationToken cancellation)
    {
        var own = TimeSpan.FromSeconds(step.LimitSeconds);
        var limit = plan.LimitSeconds is { } seconds && seconds < step.LimitSeconds ? TimeSpan.FromSeconds(seconds) : own;
        var attempt = Attempt(name);
        var run = new StepRun(
            attempt, name, step.Run, with.Files.ToDictionary(file => file.Path, file => file.Sha256), new Dictionary<string, string> { ["BANDEJO_APP"] = document.App, ["BANDEJO_VERSION"] = document.Version, ["BANDEJO_ATTEMPT"] = attempt });
        var (took, end) = await Timed(() => processes.Run(run, limit, endAtLimit: false, cancellation));
        var log = Log();
        if (end.TimedOut)
        {
            var waiting = ground.Waiting();
            await processes.Await(attempt, name, TimeSpan.Zero, endAtLimit: true, cancellation);
            Tell(name, "failed", $"It still ran after {Units.FormatDuration(limit)} and was ended with everything it had started{(waiting.Count == 0 ? "" : $". It was waiting: {waiting[^1]}")}", took, null, [.. waiting, .. log]);
            return (null, took, log);
        }

        if (end.ExitCode is null || end.Problem is not null)
        {
            Tell(name, "failed", $"{end.Problem ?? "It ended without an exit code"}{LastWords(log)}", took, end.ExitCode, log);
            return (null, took, log);
        }

        return (end, took, log);
    }

    private string Attempt(string name) => _attempt = string.Create(CultureInfo.InvariantCulture, $"{++_runs}-{name.Replace(' ', '-')}");

    /// <summary>The last lines that the last command printed.</summary>
    private IReadOnlyList<string> Log()
    {
        using var log = processes.OpenLog(_attempt);
        if (log is null)
        {
            return [];
        }

        log.Position = Math.Max(0, log.Length - (16 * 1024));
        using var reader = new StreamReader(log);
        return [.. reader.ReadToEnd().Split('\n').Select(line => line.TrimEnd('\r')).Where(line => line.Length > 0).TakeLast(LogLines)];
    }

    private HashSet<string> Paths() => [.. ground.Changes().Select(file => file.Path)];

    private void TellPlace(HashSet<string> original)
    {
        var placed = ground.Changes().Where(file => !original.Contains(file.Path) && !_noise.Is(file.Path)).ToList();
        Tell("in place", "passed", string.Create(CultureInfo.InvariantCulture, $"{placed.Count:N0} file{(placed.Count == 1 ? "" : "s")}, {Units.FormatSize(placed.Sum(file => file.Size))}"), 0, null, [.. placed.Take(ShownLeftovers).Select(file => file.Path)]);
    }

    private async Task<(double Seconds, T Value)> Timed<T>(Func<Task<T>> act)
    {
        var start = time.GetTimestamp();
        var value = await act();
        return (time.GetElapsedTime(start).TotalSeconds, value);
    }

    private void Tell(string name, string state, string says, double seconds, int? code = null, IReadOnlyList<string>? log = null) => tell(new TrialStepInfo(variant.Name, name, state, says, Math.Round(seconds, 2), code, log ?? []));

    private static string Ended(StepEnd end, ExitMeaning meaning) => end.ExitCode == 0 ? "It ended with code 0" : $"It ended with code {end.ExitCode} ({ExitCodes.Words.First(word => word.Value == meaning).Key})";

    private static string LastWords(IReadOnlyList<string> log) => log.Count == 0 ? "" : $": {log[^1]}";

    private static Dictionary<int, ExitMeaning> Codes(DocumentStep step) => step.ExitCodes.ToDictionary(pair => int.Parse(pair.Key, CultureInfo.InvariantCulture), pair => ExitCodes.Words.GetValueOrDefault(pair.Value, ExitMeaning.Failed));

    private static string Lower(string text) => text.Length == 0 ? text : char.ToLowerInvariant(text[0]) + text[1..];
}
