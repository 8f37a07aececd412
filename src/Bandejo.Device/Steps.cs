using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;

namespace Bandejo.Device;

/// <summary>What an attempt and a trial share about running a step.</summary>
public static class Steps
{
    private static readonly Dictionary<string, string> None = [];

    /// <summary>How a step ends that has no command, as of a package that is companions alone.</summary>
    public static StepEnd NothingToRun { get; } = new(0, null, false);

    /// <summary>What becomes of a step that has ended and did not bring what proves it.</summary>
    /// <param name="lastWords">What it printed last, as the end of the sentence.</param>
    public static AttemptEnd Unproven(int code, ExitMeaning meaning, PresenceResult proof, string lastWords)
    {
        var told = ExitCodes.Written(code);
        return meaning switch
        {
            ExitMeaning.Done =>
                new AttemptEnd(AttemptOutcome.NoProof, $"The step ended with code {told}, which means done, but {Lower(proof.Why)}", code, proof),
            ExitMeaning.Busy => new AttemptEnd(AttemptOutcome.Busy, $"Something else was being installed (code {told})", code, proof, "run"),
            ExitMeaning.Prerequisites =>
                new AttemptEnd(AttemptOutcome.Prerequisites, $"Something it needs is missing (code {told})", code, proof, "run"),
            ExitMeaning.Refused => new AttemptEnd(AttemptOutcome.Refused, $"The user refused (code {told})", code, proof, "run"),
            _ => new AttemptEnd(AttemptOutcome.Failed, $"The step failed with code {ExitCodes.InWords(code)}{lastWords}", code, proof, "run"),
        };
    }

    /// <summary>What the exit codes of a step mean, besides the defaults.</summary>
    public static Dictionary<int, ExitMeaning> Codes(DocumentStep step) =>
        step.ExitCodes.ToDictionary(pair => int.Parse(pair.Key, CultureInfo.InvariantCulture), pair => ExitCodes.Meanings.GetValueOrDefault(
            pair.Value, ExitMeaning.Failed));

    /// <summary>How a step is run: its command, in a folder with the variant's files, knowing which app and version it is about.</summary>
    public static StepRun Run(string attempt, string name, PackageDocument document, DocumentVariant variant, DocumentStep step) => new(
        attempt, name, step.Run, variant.Files.ToDictionary(file => file.Path, file => file.Sha256),
        new Dictionary<string, string>(
            step.Environment ?? None) { ["BANDEJO_APP"] = document.App, ["BANDEJO_VERSION"] = document.Version, ["BANDEJO_ATTEMPT"] = attempt },
        step.Answers ?? None,
        variant.Handling?.LowPriority == true);

    /// <summary>The last lines of an attempt's log that are not empty; none where it printed nothing.</summary>
    public static IReadOnlyList<string> LastLines(IMachineProcesses processes, string attempt, int most)
    {
        using var log = processes.OpenLog(attempt);
        if (log is null)
        {
            return [];
        }

        log.Position = Math.Max(0, log.Length - (16 * 1024));
        using var reader = new StreamReader(log);
        return [.. reader.ReadToEnd().Split('\n').Select(line => line.Trim()).Where(line => line.Length > 0).TakeLast(most)];
    }

    /// <summary>A text without the secrets in it.</summary>
    public static string Hide(string text, IReadOnlyList<string> secrets) =>
        secrets.Aggregate(text, (rest, secret) => rest.Replace(secret, "***", StringComparison.Ordinal));

    /// <summary>The last line of the log, as the end of a sentence: that is where most installers say what went wrong.</summary>
    public static string LastWords(IReadOnlyList<string> lines) =>
        lines.Count == 0 ? "" : $": {(lines[^1].Length > 160 ? lines[^1][..160] + "…" : lines[^1])}";

    /// <summary>The reason of a proof, to go on with a sentence.</summary>
    public static string Lower(string text) => text.Length == 0 ? text : char.ToLowerInvariant(text[0]) + text[1..];
}
