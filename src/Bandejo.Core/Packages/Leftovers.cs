using System.Globalization;
using System.Text.RegularExpressions;

namespace Bandejo.Core.Packages;

/// <summary>What became of something on a disk.</summary>
public enum ChangeKind
{
    /// <summary>It was not there before.</summary>
    New,

    /// <summary>It was there, and has another content, target or mode.</summary>
    Changed,

    /// <summary>It was there.</summary>
    Gone,
}

/// <summary>A place on a disk that is other than it was.</summary>
/// <param name="Path">Absolute, with <c>/</c> between parts; a folder ends with one.</param>
public sealed record DiskChange(string Path, ChangeKind Kind);

/// <summary>What software left behind, as what it is.</summary>
/// <param name="What">file, folder, user, group, service, alternative, listed package or shell.</param>
/// <param name="Name">A path, or the name of what it is.</param>
/// <param name="Detail">What else is to be said of it; may be empty.</param>
public sealed record Leftover(string What, string Name, ChangeKind Kind, string Detail);

/// <summary>
/// Says what changes on a disk mean: that the file of accounts has a line more is a user, a link among those of a target an enabled service, and so on
/// (passwd(5), group(5), systemd.unit(5), update-alternatives(1), dpkg(1)). Nobody is advised to take such a file away.
/// </summary>
public static partial class Leftovers
{
    private const string Accounts = "/etc/passwd";
    private const string Groups = "/etc/group";
    private const string Listed = "/var/lib/dpkg/status";
    private const string Shells = "/etc/shells";

    /// <summary>What goes with an account or a group, and says nothing by itself.</summary>
    private static readonly string[] BesideAccounts = ["/etc/shadow", "/etc/gshadow", "/etc/subuid", "/etc/subgid"];

    /// <summary>The files whose texts are looked into.</summary>
    public static IReadOnlyList<string> Read { get; } = [Accounts, Groups, Listed, Shells];

    /// <summary>What changes mean, things by name first, then files, each in order of their names.</summary>
    /// <param name="changes">All that is other than before.</param>
    /// <param name="before">The text of one of <see cref="Read"/> as it was; null where it was not there.</param>
    /// <param name="now">The same as it is now.</param>
    public static IReadOnlyList<Leftover> Of(IReadOnlyList<DiskChange> changes, Func<string, string?> before, Func<string, string?> now)
    {
        var found = new List<Leftover>();
        var isListingTold = false;
        foreach (var change in changes)
        {
            switch (change.Path)
            {
                case Accounts:
                    found.AddRange(Lines("user", before(Accounts), now(Accounts), fields => $"number {fields.ElementAtOrDefault(2)}"));
                    break;
                case Groups:
                    found.AddRange(Lines("group", before(Groups), now(Groups), fields => $"number {fields.ElementAtOrDefault(2)}"));
                    break;
                case Shells:
                    var (were, are) = (Texts(before(Shells)), Texts(now(Shells)));
                    found.AddRange(are.Except(were).Select(line => new Leftover("shell", line, ChangeKind.New, $"a line of {Shells}")));
                    found.AddRange(were.Except(are).Select(line => new Leftover("shell", line, ChangeKind.Gone, $"a line of {Shells}")));
                    break;
                case var path when BesideAccounts.Contains(path):
                    break;
                case var path when path.StartsWith("/var/lib/dpkg/", StringComparison.Ordinal):
                    if (path.StartsWith("/var/lib/dpkg/alternatives/", StringComparison.Ordinal))
                    {
                        found.Add(new Leftover("alternative", path[(path.LastIndexOf('/') + 1)..], change.Kind, ""));
                    }
                    else if (!isListingTold)
                    {
                        isListingTold = true;
                        found.AddRange(Listings(before(Listed), now(Listed)));
                    }

                    break;
                case var path when path.StartsWith("/etc/alternatives/", StringComparison.Ordinal):
                    found.Add(new Leftover("alternative", path[(path.LastIndexOf('/') + 1)..], change.Kind, ""));
                    break;
                case var path when Wanted().Match(path) is { Success: true } wanted:
                    found.Add(new Leftover("service", wanted.Groups[1].Value, change.Kind, change.Kind == ChangeKind.Gone ? "no longer enabled" : "enabled"));
                    break;
                case var path when Unit().Match(path) is { Success: true } unit:
                    found.Add(new Leftover("service", unit.Groups[1].Value, change.Kind, path));
                    break;
                case var path:
                    found.Add(new Leftover(path.EndsWith('/') ? "folder" : "file", path, change.Kind, ""));
                    break;
            }
        }

        return [.. found.Distinct().OrderBy(each => each.What is "file" or "folder").ThenBy(each => each.What, StringComparer.Ordinal).ThenBy(
            each => each.Name, StringComparer.Ordinal)];
    }

    /// <summary>One line for people.</summary>
    public static string InWords(Leftover left)
    {
        var state = left.Kind switch { ChangeKind.Changed => "changed: ", ChangeKind.Gone => "gone: ", _ => "" };
        return left.What is "file" or "folder" ? state + left.Name : $"{state}{left.What} {left.Name}{(left.Detail.Length == 0 ? "" : $" ({left.Detail})")}";
    }

    /// <summary>All in one sentence or three: what is left, what is other than before, what is missing, each with what to do.</summary>
    public static string Sentence(IReadOnlyList<Leftover> all)
    {
        if (all.Count == 0)
        {
            return "Nothing is left behind.";
        }

        var says = new List<string>();
        if (Of(ChangeKind.New) is { Count: > 0 } left)
        {
            says.Add(
                $"{Count(left)} {(left.Count == 1 ? "is" : "are")} left behind; take {(left.Count == 1 ? "it" : "them")} away in the remove step, or say "
                    + $"in a noise file that {(left.Count == 1 ? "it" : "they")} may stay.");
        }

        if (Of(ChangeKind.Changed) is { Count: > 0 } changed)
        {
            says.Add(
                $"{Count(changed)} of the machine {(changed.Count == 1 ? "is" : "are")} not as before; take back in the remove step what was changed there.");
        }

        if (Of(ChangeKind.Gone) is { Count: > 0 } gone)
        {
            says.Add(
                $"{Count(gone)} of the machine {(gone.Count == 1 ? "is" : "are")} gone; leave {(gone.Count == 1 ? "it" : "them")} there, or put "
                    + $"{(gone.Count == 1 ? "it" : "them")} back.");
        }

        return string.Join(" ", says);

        List<Leftover> Of(ChangeKind kind) => [.. all.Where(each => each.Kind == kind)];

        static string Count(List<Leftover> some)
        {
            var kinds = some.GroupBy(each => each.What, StringComparer.Ordinal)
                .Select(group => string.Create(CultureInfo.InvariantCulture, $"{group.Count():N0} {group.Key}{(group.Count() == 1 ? "" : "s")}")).ToList();
            return kinds.Count == 1 ? kinds[0] : $"{string.Join(", ", kinds.SkipLast(1))} and {kinds[^1]}";
        }
    }

    /// <summary>Lines of fields between colons, of which the first is a name.</summary>
    private static IEnumerable<Leftover> Lines(string what, string? before, string? now, Func<string[], string> detail)
    {
        var (were, are) = (ByName(before), ByName(now));
        foreach (var (name, line) in are)
        {
            if (!were.TryGetValue(name, out var was))
            {
                yield return new Leftover(what, name, ChangeKind.New, detail(line.Split(':')));
            }
            else if (was != line)
            {
                yield return new Leftover(what, name, ChangeKind.Changed, "its line is another");
            }
        }

        foreach (var name in were.Keys.Where(name => !are.ContainsKey(name)))
        {
            yield return new Leftover(what, name, ChangeKind.Gone, "");
        }

        static Dictionary<string, string> ByName(string? text) =>
            Texts(text).GroupBy(line => line.Split(':')[0], StringComparer.Ordinal)
                .ToDictionary(group => group.Key, group => group.First(), StringComparer.Ordinal);
    }

    /// <summary>Packages whose state the system lists otherwise than before (deb822, the fields Package and Status).</summary>
    private static IEnumerable<Leftover> Listings(string? before, string? now)
    {
        var (were, are) = (States(before), States(now));
        foreach (var (name, state) in are.Where(each => were.GetValueOrDefault(each.Key) != each.Value))
        {
            yield return new Leftover(
                "listed package", name, were.ContainsKey(name) ? ChangeKind.Changed : ChangeKind.New,
                state.EndsWith("config-files", StringComparison.Ordinal) ? "removed, its configuration kept" : $"the system has it as '{state}'");
        }

        foreach (var name in were.Keys.Where(name => !are.ContainsKey(name)))
        {
            yield return new Leftover("listed package", name, ChangeKind.Gone, "");
        }

        static Dictionary<string, string> States(string? text)
        {
            var states = new Dictionary<string, string>(StringComparer.Ordinal);
            var name = "";
            foreach (var line in (text ?? "").Split('\n'))
            {
                if (line.StartsWith("Package: ", StringComparison.Ordinal))
                {
                    name = line[9..];
                }
                else if (line.StartsWith("Status: ", StringComparison.Ordinal) && name.Length > 0 && !line.EndsWith(" not-installed", StringComparison.Ordinal))
                {
                    states[name] = line[8..];
                }
            }

            return states;
        }
    }

    private static List<string> Texts(string? text) =>
        [.. (text ?? "").Split('\n').Select(line => line.TrimEnd('\r')).Where(line => line.Length > 0 && line[0] != '#')];

    [GeneratedRegex(@"^/(?:etc|usr/lib|lib)/systemd/(?:system|user)/[^/]+\.(?:wants|requires)/([^/]+)$")]
    private static partial Regex Wanted();

    [GeneratedRegex(@"^/(?:etc|usr/lib|lib)/systemd/(?:system|user)/([^/]+\.(?:service|socket|timer|path|mount))$")]
    private static partial Regex Unit();
}
