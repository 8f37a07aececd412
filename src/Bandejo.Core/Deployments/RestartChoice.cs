using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>When a device that needs a restart is restarted by us; the gentler first.</summary>
public enum RestartWhen
{
    /// <summary>Not by us: people restart it.</summary>
    Never,

    /// <summary>When one of its windows is open; at any time where none rules it.</summary>
    InWindow,

    /// <summary>As soon as what needs it has ended.</summary>
    WithInstall,
}

/// <summary>
/// What a deployment does about devices that need a restart for it, written, read and shown as one sentence:
/// <c>in the next window, left to people while somebody is signed in, at the latest after 3 d</c>.
/// </summary>
/// <param name="When">Where nobody is signed in.</param>
/// <param name="WhileSignedIn">Where somebody is.</param>
/// <param name="After">So long after the restart was first needed it comes, whoever is signed in and whatever windows say; null for never. A freeze holds even
/// then.</param>
public sealed record RestartChoice(RestartWhen When, RestartWhen WhileSignedIn, TimeSpan? After)
{
    /// <summary>Such as a person may write.</summary>
    public const string Example = "in the next window, left to people while somebody is signed in, at the latest after 3 d";

    private const string WhileSignedInWords = " while somebody is signed in";
    private const string Latest = "at the latest after ";

    private static readonly (RestartWhen When, string Words)[] Words =
        [(RestartWhen.Never, "left to people"), (RestartWhen.InWindow, "in the next window"), (RestartWhen.WithInstall, "with the install")];

    /// <summary>Left to people, always: what is so unless something else is asked for.</summary>
    public static RestartChoice LeftToPeople { get; } = new(RestartWhen.Never, RestartWhen.Never, null);

    /// <summary>Reads a choice; the failure says which part is not understood. What is not said of those who are signed in is left to them.</summary>
    public static Outcome<RestartChoice> Parse(string text)
    {
        var choice = LeftToPeople;
        var (at, hasWhen, hasSignedIn) = (0, false, false);
        foreach (var part in text.Split(','))
        {
            var trimmed = part.Trim();
            var words = trimmed.ToLowerInvariant();
            var isSignedIn = words.EndsWith(WhileSignedInWords, StringComparison.Ordinal);
            var named = Array.FindIndex(Words, each => each.Words == (isSignedIn ? words[..^WhileSignedInWords.Length] : words));
            if (words.StartsWith(Latest, StringComparison.Ordinal) && choice.After is null && Units.TryParseDuration(trimmed[Latest.Length..], out var after)
                && after > TimeSpan.Zero)
            {
                choice = choice with { After = after };
            }
            else if (named >= 0 && !(isSignedIn ? hasSignedIn : hasWhen))
            {
                choice = isSignedIn ? choice with { WhileSignedIn = Words[named].When } : choice with { When = Words[named].When };
                (hasWhen, hasSignedIn) = (hasWhen || !isSignedIn, hasSignedIn || isSignedIn);
            }
            else
            {
                var column = at + part.Length - part.TrimStart().Length + 1;
                var says = $"A restart is not asked for by '{trimmed}'. It is written like '{Example}'; 'with the install' does not wait.";
                return new Failure(ErrorKind.Invalid, says, [new Finding(says, "restart", 1, column, Math.Max(1, trimmed.Length))]);
            }

            at += part.Length + 1;
        }

        return choice;
    }

    /// <summary>The choice as its sentence, all of it said.</summary>
    public override string ToString()
    {
        var parts = new List<string>();
        if (When != RestartWhen.Never || WhileSignedIn != RestartWhen.Never || After is null)
        {
            parts.Add(WordsOf(When));
        }

        if (WhileSignedIn != When || When != RestartWhen.Never)
        {
            parts.Add(WordsOf(WhileSignedIn) + WhileSignedInWords);
        }

        if (After is { } after)
        {
            parts.Add(Latest + Units.FormatDuration(after));
        }

        return string.Join(", ", parts);
    }

    private static string WordsOf(RestartWhen when) => Array.Find(Words, each => each.When == when).Words;
}
