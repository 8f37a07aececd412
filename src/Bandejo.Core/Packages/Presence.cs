using System.Text.RegularExpressions;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Packages;

/// <summary>How a presence check looks.</summary>
public enum PresenceKind
{
    /// <summary>A file exists, with a digest where one is given.</summary>
    File,

    /// <summary>A version stands in a file.</summary>
    FileVersion,

    /// <summary>A key in a settings file has a value.</summary>
    Setting,

    /// <summary>A command ends with 0 and prints something.</summary>
    Command,

    /// <summary>The agent's own receipt of this install.</summary>
    Receipt,

    /// <summary>The operating system lists the program.</summary>
    Program,

    /// <summary>Windows lists an installed product under a product code.</summary>
    Product,

    /// <summary>The operating system's service manager says that a service runs.</summary>
    Service,

    /// <summary>A key of the registry of Windows exists, or a value in it is as asked.</summary>
    Registry,

    /// <summary>The version that a program for Windows carries in itself.</summary>
    BinaryVersion,
}

/// <summary>One way to prove that a package's version is there.</summary>
/// <param name="Kind">How it looks.</param>
/// <param name="Subject">
/// A path below the machine's root, a program's name (<c>*</c> stands for any signs), a key of the registry, or a command's first word.
/// </param>
/// <param name="Arguments">The other words of a command.</param>
/// <param name="Key">The key of a setting, or the name of a value in the registry; <c>@</c> is a registry key's own value.</param>
/// <param name="Expected">The digest, value or text that is asked for; null where being there is enough.</param>
/// <param name="Pattern">A regular expression whose first group is the version; null takes the first version in the text.</param>
public sealed partial record PresenceCheck(PresenceKind Kind, string Subject, IReadOnlyList<string> Arguments, string? Key, string? Expected, string? Pattern)
{
    /// <summary>True where what it finds carries a version that is compared with the package's.</summary>
    public bool TellsVersion =>
        Kind is PresenceKind.FileVersion or PresenceKind.Program or PresenceKind.Product or PresenceKind.Receipt or PresenceKind.BinaryVersion
            || (Kind == PresenceKind.Command && Expected is null) || (Kind == PresenceKind.Registry && Key is not null && Expected is null);

    /// <summary>True for what there is on Windows alone.</summary>
    public bool IsOfWindows => Kind is PresenceKind.Product or PresenceKind.Registry or PresenceKind.BinaryVersion;

    /// <summary>Whether what such a check looks for is a place below the machine's root.</summary>
    public static bool IsPlace(PresenceKind kind) =>
        kind is PresenceKind.File or PresenceKind.FileVersion or PresenceKind.Setting or PresenceKind.BinaryVersion;

    /// <summary>The words for the kinds in a package's document.</summary>
    public static IReadOnlyDictionary<string, PresenceKind> Kinds { get; } = new Dictionary<string, PresenceKind>(StringComparer.Ordinal)
    {
        ["file"] = PresenceKind.File, ["version-in"] = PresenceKind.FileVersion, ["setting"] = PresenceKind.Setting, ["command"] = PresenceKind.Command,
        ["receipt"] = PresenceKind.Receipt, ["program"] = PresenceKind.Program, ["product"] = PresenceKind.Product, ["service"] = PresenceKind.Service,
        ["registry"] = PresenceKind.Registry, ["version-of"] = PresenceKind.BinaryVersion,
    };

    /// <summary>The word for a kind in a package's document.</summary>
    public static string Word(PresenceKind kind) => Kinds.First(pair => pair.Value == kind).Key;

    /// <summary>Whether a text is the name of a service: letters, digits and <c>@ . _ : -</c>, of which the last does not begin it (systemd.unit(5)).</summary>
    public static bool IsServiceName(string text) =>
        text.Length > 0 && text[0] != '-' && text.All(sign => char.IsAsciiLetterOrDigit(sign) || sign is '@' or '.' or '_' or ':' or '-');

    /// <summary>
    /// The version in what was found. Of what a system lists the whole text is one, as it may have parts that no search would take for a version (an epoch,
    /// say); in a file or in what
    /// a command prints, the first that looks like one. Where a pattern is given its first group is taken.
    /// </summary>
    /// <returns>Null where none stands there.</returns>
    public string? VersionIn(string text)
    {
        if (Pattern is null && (Kind is PresenceKind.Program or PresenceKind.Product or PresenceKind.BinaryVersion) && WholeVersion().IsMatch(text.Trim()))
        {
            return text.Trim();
        }

        var match = Pattern is null ? FirstVersion().Match(text) : Regex.Match(text, Pattern, RegexOptions.NonBacktracking);
        return match.Success ? match.Groups[Pattern is null ? 0 : 1].Value : null;
    }

    [GeneratedRegex(@"[vV]?[0-9][A-Za-z0-9._+~-]*")]
    private static partial Regex FirstVersion();

    [GeneratedRegex(@"^([0-9]+:)?[vV]?[0-9][A-Za-z0-9._+~:-]*$")]
    private static partial Regex WholeVersion();

    /// <summary>The check in words, such as <c>version in opt/foldline/VERSION</c>.</summary>
    public string InWords => Kind switch
    {
        PresenceKind.File => $"file {Subject}",
        PresenceKind.FileVersion => $"version in {Subject}",
        PresenceKind.Setting => $"setting {Key} in {Subject}",
        PresenceKind.Command => $"what '{Subject}' prints",
        PresenceKind.Receipt => "receipt",
        PresenceKind.Product => $"product {Subject}",
        PresenceKind.Service => $"service {Subject}",
        PresenceKind.Registry => Key is null ? $"registry key {Subject}" : $"registry value {Key} in {Subject}",
        PresenceKind.BinaryVersion => $"version of {Subject}",
        _ => $"program {Subject}",
    };
}

/// <summary>What looking brought: found or not, with a version or a text; or that looking was not possible.</summary>
/// <param name="IsFound">It is there.</param>
/// <param name="Problem">Why nobody could look; null where somebody could. Then <paramref name="IsFound"/> says nothing.</param>
/// <param name="Version">The version found, as written.</param>
/// <param name="Text">The digest, value or output found.</param>
public sealed record Observation(bool IsFound, string? Problem, string? Version, string? Text)
{
    public static Observation NotThere => new(false, null, null, null);

    public static Observation CouldNotLook(string problem) => new(false, problem, null, null);
}

/// <summary>What all checks together say of one package on one device.</summary>
public enum PresenceAnswer
{
    /// <summary>Somebody should look again: a check could not be carried out.</summary>
    NotKnown,

    Absent,

    /// <summary>The app is there in a version before the one asked for.</summary>
    Older,

    /// <summary>The version that was asked for, with other settings.</summary>
    Different,

    /// <summary>The version that was asked for, but something that goes with it is missing.</summary>
    Incomplete,

    /// <summary>Exactly what was asked for.</summary>
    Present,

    /// <summary>A version after the one asked for.</summary>
    Newer,
}

/// <summary>The answer, the version that was seen where one was, and the reason in words.</summary>
public sealed record PresenceResult(PresenceAnswer Answer, string? Version, string Why)
{
    /// <summary>Newer than asked is met.</summary>
    public bool IsMet => Answer is PresenceAnswer.Present or PresenceAnswer.Newer;
}

/// <summary>Judges what looking brought.</summary>
public static class Presence
{
    /// <summary>
    /// All checks must hold. One that could not be carried out makes the whole not known, never absent. The oldest version seen decides.
    /// </summary>
    /// <param name="name">The app's name, for the reason.</param>
    /// <param name="asked">The version that is asked for.</param>
    /// <param name="looks">Each check with what it found; at least one.</param>
    public static PresenceResult Judge(string name, AppVersion asked, IReadOnlyList<(PresenceCheck Check, Observation Seen)> looks)
    {
        foreach (var (check, seen) in looks)
        {
            if (seen.Problem is not null)
            {
                return new PresenceResult(PresenceAnswer.NotKnown, null, $"Could not look for {check.InWords}: {seen.Problem}");
            }
        }

        AppVersion? oldest = null;
        PresenceCheck? teller = null;
        foreach (var (check, seen) in looks)
        {
            if (!seen.IsFound)
            {
                return new PresenceResult(
                    PresenceAnswer.Absent, null, $"{Capital(check.InWords)} {(check.Kind == PresenceKind.Service ? "does not run" : "is not there")}");
            }

            if (check.TellsVersion)
            {
                if (!AppVersion.TryParse(seen.Version, out var version))
                {
                    return new PresenceResult(PresenceAnswer.NotKnown, null, $"{Capital(check.InWords)} is there, but holds no version");
                }

                if (oldest is null || version < oldest)
                {
                    oldest = version;
                    teller = check;
                }
            }
            else if (check.Expected is not null && !string.Equals(check.Expected, seen.Text, StringComparison.OrdinalIgnoreCase))
            {
                return new PresenceResult(PresenceAnswer.Absent, null, $"{Capital(check.InWords)} is not as expected");
            }
        }

        if (oldest is null)
        {
            return new PresenceResult(PresenceAnswer.Present, asked.Text, $"{name} {asked} proven by {looks[0].Check.InWords}");
        }

        // A version in the wild does not know our revisions: 2.4.1 on the device proves the software of 2.4.1+2, and a receipt tells revisions apart.
        var order = oldest.SameButRevision(asked) && teller!.Kind != PresenceKind.Receipt ? 0 : oldest.CompareTo(asked);
        return order switch
        {
            < 0 => new PresenceResult(PresenceAnswer.Older, oldest.Text, $"{name} {oldest} is there, {asked} is asked for"),
            0 => new PresenceResult(PresenceAnswer.Present, oldest.Text, $"{name} {oldest} proven by {teller!.InWords}"),
            _ => new PresenceResult(PresenceAnswer.Newer, oldest.Text, $"{name} {oldest} is there, newer than {asked}"),
        };
    }

    private static string Capital(string text) => char.ToUpperInvariant(text[0]) + text[1..];
}
