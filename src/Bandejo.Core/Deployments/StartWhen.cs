namespace Bandejo.Core.Deployments;

/// <summary>Who is at a device when something is started there.</summary>
public enum StartWith
{
    /// <summary>Whoever there is.</summary>
    Anybody,

    /// <summary>Nobody is signed in.</summary>
    Nobody,

    /// <summary>Somebody is signed in.</summary>
    Somebody,

    /// <summary>The system has just started, and nobody has signed in yet.</summary>
    SystemStart,
}

/// <summary>
/// What must be so on a device when something is started there, written, read and shown as one sentence: <c>with nobody signed in, on mains power</c>. Until it
/// is, the device waits, which is no try.
/// </summary>
/// <param name="OnMains">It runs on mains power.</param>
public sealed record StartWhen(StartWith With, bool OnMains)
{
    /// <summary>So long after the system started it has just started.</summary>
    public static readonly TimeSpan JustStarted = TimeSpan.FromMinutes(15);

    private const string Mains = "on mains power";

    private static readonly (StartWith With, string Words)[] Words =
    [
        (StartWith.Anybody, "at any time"), (StartWith.Nobody, "with nobody signed in"), (StartWith.Somebody, "with somebody signed in"),
        (StartWith.SystemStart, "at system start before anybody signs in"),
    ];

    /// <summary>At any time, whoever is there.</summary>
    public static StartWhen Any { get; } = new(StartWith.Anybody, false);

    /// <summary>Reads it; the failure says which part is not understood and what would be right.</summary>
    public static Outcome<StartWhen> Parse(string text)
    {
        var (when, hasWith, at) = (Any, false, 0);
        foreach (var part in text.Split(','))
        {
            var trimmed = part.Trim();
            var named = Array.FindIndex(Words, each => each.Words.Equals(trimmed, StringComparison.OrdinalIgnoreCase));
            if (trimmed.Equals(Mains, StringComparison.OrdinalIgnoreCase) && !when.OnMains)
            {
                when = when with { OnMains = true };
            }
            else if (named >= 0 && !hasWith)
            {
                (when, hasWith) = (when with { With = Words[named].With }, true);
            }
            else
            {
                var known = string.Join(", ", Words.Select(each => $"'{each.Words}'"));
                var says = $"A start does not know '{trimmed}'. It is one of {known}, and '{Mains}' where asked.";
                return new Failure(
                    ErrorKind.Invalid, says,
                    [new Finding(says, "startWhen", 1, at + part.Length - part.TrimStart().Length + 1, Math.Max(1, trimmed.Length))]);
            }

            at += part.Length + 1;
        }

        return when;
    }

    /// <summary>Why something may not be started on a device that is so; null where it may.</summary>
    /// <param name="isForUser">Its user wants it, so that who is signed in is no matter.</param>
    /// <param name="isOnMains">Whether it runs on mains power; null where that is not known.</param>
    /// <param name="running">For how long its system has been running.</param>
    public string? InTheWay(bool isForUser, bool isSignedIn, bool? isOnMains, TimeSpan running) =>
        isForUser ? MainsInTheWay(isOnMains)
            : With switch
            {
                StartWith.Nobody when isSignedIn => "Somebody is signed in, and it waits until nobody is",
                StartWith.Somebody when !isSignedIn => "Nobody is signed in, and it waits until somebody is",
                StartWith.SystemStart when isSignedIn || running > JustStarted => "It waits for the next start of the system, before anybody signs in",
                _ => MainsInTheWay(isOnMains),
            };

    /// <summary>It as its sentence.</summary>
    public override string ToString()
    {
        var with = Array.Find(Words, each => each.With == With).Words;
        return !OnMains ? with : With == StartWith.Anybody ? Mains : $"{with}, {Mains}";
    }

    private string? MainsInTheWay(bool? isOnMains) =>
        !OnMains || isOnMains == true ? null
            : isOnMains is null ? "It is not known whether it runs on mains power, for which it waits"
            : "It runs on battery, and waits for mains power";
}
