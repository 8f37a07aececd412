using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>What a device says of itself, as far as it is taken.</summary>
/// <param name="Facts">The facts.</param>
/// <param name="Programs">The programs; null where they are not known, also because not all of them could be taken: a list that lacks some proves no
/// absence.</param>
/// <param name="LeftOut">What was left out and why, for people; empty where all was taken.</param>
public sealed record TakenFacts(
    IReadOnlyList<(string Name, string Value)> Facts, IReadOnlyList<(string Name, string Version, string Source)>? Programs, IReadOnlyList<string> LeftOut);

/// <summary>How much a device may say of itself. One device must not cost what a thousand do, whatever it is told to say.</summary>
public static class FactLimits
{
    /// <summary>The most labels.</summary>
    public const int MaxLabels = 64;

    /// <summary>The most programs.</summary>
    public const int MaxPrograms = 10_000;

    /// <summary>The longest name of a fact or program, version or source, in characters.</summary>
    public const int MaxName = 200;

    /// <summary>The longest value of a fact, in characters.</summary>
    public const int MaxValue = 400;

    /// <summary>How many words that no device has said before one device may bring on one day.</summary>
    public const int MaxNewWords = 20_000;

    private const int MaxTold = 20;

    /// <summary>Takes what is within the limits.</summary>
    /// <param name="facts">Names and values; those that no rule knows are passed over in silence.</param>
    /// <param name="programs">Null where they are not known.</param>
    /// <param name="isKnown">Whether a word was said before.</param>
    /// <param name="newWords">How many words the device may still bring today.</param>
    /// <param name="brought">How many it has brought with this.</param>
    public static TakenFacts Within(
        IEnumerable<(string Name, string Value)> facts, IEnumerable<(string Name, string Version, string Source)>? programs, Func<string, bool> isKnown,
        int newWords, out int brought)
    {
        var (taken, left, labels) = (new List<(string, string)>(), new List<string>(), 0);
        var fresh = new HashSet<string>(StringComparer.Ordinal);
        foreach (var (name, value) in facts.Where(fact => FactCatalog.TypeOf(fact.Name) is not null).OrderBy(fact => fact.Name, StringComparer.Ordinal))
        {
            var problem = name.Length > MaxName ? $"a name of more than {MaxName} characters"
                : value.Length > MaxValue ? $"'{name}': more than {MaxValue} characters"
                : name.StartsWith(FactCatalog.LabelPrefix, StringComparison.Ordinal) && ++labels > MaxLabels ? $"'{name}': more than {MaxLabels} labels"
                : !MayBring(name) ? $"'{name}': more than {MaxNewWords} new words on one day" : null;
            if (problem is null)
            {
                taken.Add((name, value));
            }
            else
            {
                left.Add(problem);
            }
        }

        List<(string, string, string)>? listed = programs is null ? null : [];
        foreach (var (name, version, source) in programs ?? [])
        {
            if (listed!.Count >= MaxPrograms || name.Length > MaxName || version.Length > MaxName || source.Length > MaxName || !MayBring(name)
                || !MayBring(version) || !MayBring(source))
            {
                left.Add(
                    listed.Count >= MaxPrograms
                        ? $"the list of programs: more than {MaxPrograms.ToString("N0", CultureInfo.InvariantCulture)}"
                        : $"the list of programs: a name or version of more than {MaxName} characters, or more than "
                            + $"{MaxNewWords.ToString("N0", CultureInfo.InvariantCulture)} new words on one day");
                listed = null;
                break;
            }

            listed.Add((name, version, source));
        }

        brought = fresh.Count;
        return new TakenFacts(taken, listed, left.Count <= MaxTold ? left : [.. left.Take(MaxTold), $"and {left.Count - MaxTold} more"]);

        bool MayBring(string word) => isKnown(word) || fresh.Contains(word) || (fresh.Count < newWords && fresh.Add(word));
    }
}
