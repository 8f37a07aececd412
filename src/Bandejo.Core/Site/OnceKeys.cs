using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>
/// Changes that are asked for with a key are made once. The key is kept together with the change, so that neither is without the other whatever happens; the
/// answer is added afterwards.
/// </summary>
public static class OnceKeys
{
    /// <summary>So many keys are held at once, of all accounts together.</summary>
    public const int Most = 10_000;

    /// <summary>How long a key is held.</summary>
    public static readonly TimeSpan Kept = TimeSpan.FromHours(24);

    /// <summary>Whether a key still stands for its change.</summary>
    public static bool Holds(OnceRecord once, DateTimeOffset now) => once.At + Kept > now;

    /// <summary>The change that was made with a key; null for none.</summary>
    public static OnceRecord? Find(FleetWorld world, string account, string key) =>
        world.Onces.GetValueOrDefault((account, key)) is { } once && Holds(once, world.Now) ? once : null;

    /// <summary>Why no other key can be taken now; null where one can.</summary>
    public static Failure? Full(FleetWorld world) => world.Onces.Count < Most || world.Onces.Values.Any(once => !Holds(once, world.Now))
        ? null
        : new Failure(
            ErrorKind.Conflict,
            $"{Most:N0} changes of the last {Kept.TotalHours:0} hours have keys already; nothing was changed. Ask without a key, or later.");

    /// <summary>Makes a change once: the key is kept with what the command changes.</summary>
    /// <param name="command">Decides; where it refuses no key is kept, so that it may be asked for again.</param>
    public static Outcome<T> Do<T>(Decision decision, OnceRecord once, Func<Decision, Outcome<T>> command)
    {
        if (decision.World.Onces.Count >= Most && Full(decision.World) is { } full)
        {
            return full;
        }

        var outcome = command(decision);
        if (outcome.Ok)
        {
            decision.Do(new PutOnce(once with { At = decision.Now }));
        }

        return outcome;
    }

    /// <summary>Adds the answer to a change that was made.</summary>
    /// <param name="answer">In UTF-8; null where it is not kept.</param>
    public static Outcome<bool> Answered(Decision decision, OnceRecord once, int status, string? answer)
    {
        var made = decision.World.Onces.GetValueOrDefault((once.Account, once.Key)) ?? once with { At = decision.Now };
        decision.Do(new PutOnce(answer is null ? made : made with { Status = status, Answer = answer }));
        return true;
    }
}
