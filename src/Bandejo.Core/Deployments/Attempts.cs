using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>How a try ended.</summary>
public enum AttemptOutcome
{
    /// <summary>Proven.</summary>
    Done,

    /// <summary>In place; the proof is taken again after a restart.</summary>
    Restart,

    /// <summary>Something else was installing.</summary>
    Busy,

    /// <summary>The installer said that something it needs is missing.</summary>
    Prerequisites,

    /// <summary>The user refused.</summary>
    Refused,

    /// <summary>The step failed.</summary>
    Failed,

    /// <summary>The step said done, and the presence check says not.</summary>
    NoProof,

    /// <summary>The step was ended at its time limit.</summary>
    TimedOut,

    /// <summary>The step passed its time limit and was left running; a person must look.</summary>
    Stuck,

    /// <summary>The files could not be fetched whole.</summary>
    NotFetched,

    /// <summary>The package is not sealed by a service this device trusts, or its files are not what was sealed.</summary>
    BadSignature,

    /// <summary>The package was withdrawn.</summary>
    Withdrawn,

    /// <summary>The agent or the device stopped in the middle.</summary>
    Interrupted,

    /// <summary>Something came into its way before the step, and it waits until that is over: no try, and no failure.</summary>
    Waits,
}

/// <summary>Judges how a try ended.</summary>
public static class Attempts
{
    /// <summary>The phase of an attempt that ended because its order was called back before anything was changed: it waits for nothing on its device.</summary>
    public const string CalledBack = "called-back";

    /// <summary>The words for outcomes on the wire.</summary>
    public static IReadOnlyDictionary<string, AttemptOutcome> Outcomes { get; } = new Dictionary<string, AttemptOutcome>(StringComparer.Ordinal)
    {
        ["done"] = AttemptOutcome.Done,
        ["restart"] = AttemptOutcome.Restart,
        ["busy"] = AttemptOutcome.Busy,
        ["prerequisites"] = AttemptOutcome.Prerequisites,
        ["refused"] = AttemptOutcome.Refused,
        ["failed"] = AttemptOutcome.Failed,
        ["no-proof"] = AttemptOutcome.NoProof,
        ["timed-out"] = AttemptOutcome.TimedOut,
        ["stuck"] = AttemptOutcome.Stuck,
        ["not-fetched"] = AttemptOutcome.NotFetched,
        ["bad-signature"] = AttemptOutcome.BadSignature,
        ["withdrawn"] = AttemptOutcome.Withdrawn,
        ["interrupted"] = AttemptOutcome.Interrupted,
        ["waits"] = AttemptOutcome.Waits,
    };

    /// <summary>The word for an outcome on the wire.</summary>
    public static string Word(AttemptOutcome outcome) => Outcomes.First(pair => pair.Value == outcome).Key;

    /// <summary>Whether the same might go better later without anybody mending something.</summary>
    public static bool IsWorthAnotherTry(AttemptOutcome outcome) => outcome is
        AttemptOutcome.Busy or AttemptOutcome.Failed or AttemptOutcome.NoProof or AttemptOutcome.TimedOut
            or AttemptOutcome.NotFetched or AttemptOutcome.Interrupted;

    /// <summary>When the next try is due; null where none follows. Device and service both ask here, so that they agree without speaking.</summary>
    /// <param name="outcome">How the last try ended.</param>
    /// <param name="tries">Tries made so far, the last included.</param>
    /// <param name="retry">The deployment's rule.</param>
    /// <param name="device">The device's identity.</param>
    /// <param name="ended">When the last try ended.</param>
    public static DateTimeOffset? NextTry(AttemptOutcome outcome, int tries, RetryRule retry, string device, DateTimeOffset ended) =>
        IsWorthAnotherTry(outcome) && tries < retry.Tries ? ended + retry.PauseAfter(tries, device) : null;

    /// <summary>What the end of a try means for its target.</summary>
    /// <param name="target">The target, its tries counted already.</param>
    /// <param name="isGoingBack">The try was to put back what was there before.</param>
    /// <param name="outcome">How it ended.</param>
    /// <param name="message">What the device says of it.</param>
    /// <param name="retry">The deployment's rule.</param>
    /// <param name="ended">When it ended.</param>
    public static Happening Judge(Target target, bool isGoingBack, AttemptOutcome outcome, string message, RetryRule retry, DateTimeOffset ended)
    {
        switch (outcome)
        {
            case AttemptOutcome.Done:
                return new Happening(isGoingBack ? TargetEvent.Undone : TargetEvent.Succeeded, new Reason(ReasonCode.Told, message));
            case AttemptOutcome.Restart:
                return new Happening(TargetEvent.NeedsRestart, new Reason(ReasonCode.Told, message));
            case AttemptOutcome.Waits:
                return new Happening(TargetEvent.Deferred, new Reason(ReasonCode.Told, message));
            default:
                var next = NextTry(outcome, target.Tries, retry, target.Device, ended);
                return next is { } at
                    ? new Happening(TargetEvent.TryFailed, new Reason(ReasonCode.TryFailed, message, Text(target.Tries), Text(retry.Tries)), at)
                    : new Happening(
                        TargetEvent.GaveUp,
                        IsWorthAnotherTry(outcome) ? new Reason(ReasonCode.TriesUsedUp, message, Text(retry.Tries)) : new Reason(ReasonCode.Told, message));
        }
    }

    private static string Text(int number) => number.ToString(CultureInfo.InvariantCulture);

    /// <summary>
    /// What failures have in common: phase, outcome, code, and the message without numbers, digests and paths, so that the same trouble on two devices reads
    /// the same.
    /// </summary>
    public static string Fingerprint(string phase, AttemptOutcome outcome, int? code, string message)
    {
        // The agent's own opening says nothing that phase and code do not.
        message = System.Text.RegularExpressions.Regex.Replace(message, @"^The step failed with code -?\d+: ", "");
        var clean = System.Text.RegularExpressions.Regex.Replace(message, @"(?:/[\w.-]+){2,}|[0-9a-f]{12,}|\d+(?:\.\d+)*", "…");
        return string.Create(CultureInfo.InvariantCulture, $"{phase}: {Word(outcome)}{(code is { } number ? $" (code {number})" : "")}: {clean}");
    }
}
