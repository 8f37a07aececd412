using System.Globalization;
using System.Text.RegularExpressions;

namespace Bandejo.Core.Packages;

/// <summary>An account that software makes for itself.</summary>
/// <param name="Group">The name of its first group; its number where it has none.</param>
public sealed record MadeAccount(string Name, string Group, string Home, string Shell);

/// <summary>Names and numbers of a machine's users and groups (passwd(5), group(5)).</summary>
/// <param name="passwd">The text of the file of users; null for none.</param>
/// <param name="group">The text of the file of groups; null for none.</param>
public sealed partial class Accounts(string? passwd, string? group)
{
    private readonly Dictionary<string, string[]> _users = Lines(passwd, 7);
    private readonly Dictionary<string, string[]> _groups = Lines(group, 3);

    /// <summary>Owner and group as <c>name:name</c>; a number where it has no name.</summary>
    public string Owner(uint user, uint group) => $"{NameOf(_users, user)}:{NameOf(_groups, group)}";

    /// <summary>The users that are there and were not before.</summary>
    public IReadOnlyList<MadeAccount> MadeSince(Accounts before) =>
        [
            .. _users.Where(user => !before._users.ContainsKey(user.Key))
                .Select(user => new MadeAccount(
                    user.Key, uint.TryParse(user.Value[3], out var number) ? NameOf(_groups, number) : user.Value[3], user.Value[5], user.Value[6]))
                .OrderBy(user => user.Name, StringComparer.Ordinal)];

    /// <summary>The names of groups that are there and were not before.</summary>
    public IReadOnlyList<string> GroupsMadeSince(Accounts before) =>
        [.. _groups.Keys.Where(name => !before._groups.ContainsKey(name)).Order(StringComparer.Ordinal)];

    /// <summary>Whether nothing but new users and groups came.</summary>
    public bool HasAllOf(Accounts before) => before._users.All(each => Same(_users, each)) && before._groups.All(each => Same(_groups, each));

    /// <summary>Whether there is a <c>user</c> or <c>group</c> of a name.</summary>
    public bool Has(string kind, string name) => (kind == "user" ? _users : _groups).ContainsKey(name);

    /// <summary>Whether a name can be one of a user or group here (useradd(8)).</summary>
    public static bool IsName(string name) => Name().IsMatch(name);

    private static bool Same(Dictionary<string, string[]> now, KeyValuePair<string, string[]> before) =>
        now.TryGetValue(before.Key, out var fields) && fields.SequenceEqual(before.Value);

    private static string NameOf(Dictionary<string, string[]> all, uint number)
    {
        var text = number.ToString(CultureInfo.InvariantCulture);
        return all.FirstOrDefault(each => each.Value[2] == text).Key ?? (number == 0 ? "root" : text);
    }

    private static Dictionary<string, string[]> Lines(string? text, int fields) =>
        (text ?? "").Split('\n').Select(line => line.TrimEnd('\r').Split(':')).Where(parts => parts.Length >= fields && IsName(parts[0]))
            .DistinctBy(parts => parts[0]).ToDictionary(parts => parts[0], StringComparer.Ordinal);

    [GeneratedRegex(@"^[A-Za-z_][A-Za-z0-9_.-]{0,63}$")]
    private static partial Regex Name();
}
