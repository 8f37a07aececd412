using System.Globalization;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Packages;

/// <summary>What a packager says of a package, read from <c>package.yaml</c> in the package folder.</summary>
public sealed record Manifest
{
    /// <summary>The app's slug: lower-case letters, digits and single hyphens, at most 64.</summary>
    public required string App { get; init; }

    public required string Name { get; init; }

    public required AppVersion Version { get; init; }

    public string Publisher { get; init; } = "";

    public string Category { get; init; } = "";

    public string Summary { get; init; } = "";

    /// <summary>A picture for the catalogue, SVG or PNG, by its path in the package folder; null for none.</summary>
    public string? Icon { get; init; }

    /// <summary>Slugs of apps that are taken away before this one is installed.</summary>
    public IReadOnlyList<string> Replaces { get; init; } = [];

    /// <summary>Other apps that must be there first.</summary>
    public IReadOnlyList<Need> Needs { get; init; } = [];

    /// <summary>The values that a deployment may choose.</summary>
    public IReadOnlyList<Setting> Settings { get; init; } = [];

    /// <summary>Named sets of values.</summary>
    public IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> Presets { get; init; } =
        new Dictionary<string, IReadOnlyDictionary<string, string>>();

    /// <summary>Files that are not in the folder, but are fetched from somewhere when the package is built.</summary>
    public IReadOnlyList<FetchedFile> Fetched { get; init; } = [];

    /// <summary>The variants in the order in which they are tried; the first that fits a device is used.</summary>
    public required IReadOnlyList<Variant> Variants { get; init; }
}

/// <summary>A file that stays where it is until the package is built.</summary>
/// <param name="Path">Its path in the package.</param>
/// <param name="From">An http or https address, or a path on whoever builds it, such as that of a share.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Sha256">Lower-case hexadecimal; what comes and is not this is refused.</param>
public sealed record FetchedFile(string Path, string From, long Size, string Sha256);

/// <summary>The part of a package for one kind of device.</summary>
public sealed record Variant
{
    public required string Name { get; init; }

    /// <summary>The devices it is meant for.</summary>
    public required Rule Fits { get; init; }

    /// <summary>What must hold before it may be installed there.</summary>
    public required Rule Requires { get; init; }

    /// <summary>Paths in the package folder with <c>/</c> between parts; the last part of one may be <c>**</c> for everything below.</summary>
    public IReadOnlyList<string> Files { get; init; } = [];

    /// <summary>Names of programs that are closed before a step.</summary>
    public IReadOnlyList<string> Close { get; init; } = [];

    public required Step Install { get; init; }

    /// <summary>Whether there is nothing to install but companions: then nothing is run, and they prove it.</summary>
    public bool IsCompanionsOnly => Install.Run.Count == 0 && Companions.Count > 0;

    /// <summary>How the app is taken away; null where the package cannot.</summary>
    public Step? Remove { get; init; }

    /// <summary>How settings of what is installed are changed; null where that needs more than a command.</summary>
    public Step? Change { get; init; }

    /// <summary>How what is broken is mended, tried once before it is installed anew; null where installing anew is the way.</summary>
    public Step? Repair { get; init; }

    /// <summary>How an attempt behaves around its steps.</summary>
    public Handling Handling { get; init; } = Handling.Usual;

    /// <summary>What is put in place with it.</summary>
    public IReadOnlyList<Companion> Companions { get; init; } = [];

    /// <summary>How builds go that this package's own <see cref="Remove"/> is not for, in the order in which they are looked for.</summary>
    public IReadOnlyList<Removal> Removals { get; init; } = [];

    /// <summary>Its steps with the names that they have in the manifest.</summary>
    public IEnumerable<(string Name, Step Step)> Steps()
    {
        yield return ("install", Install);
        foreach (var (name, step) in new[] { ("remove", Remove), ("change", Change), ("repair", Repair) })
        {
            if (step is not null)
            {
                yield return (name, step);
            }
        }

        for (var i = 0; i < Removals.Count; i++)
        {
            yield return (string.Create(System.Globalization.CultureInfo.InvariantCulture, $"removals[{i}]"), Removals[i].Step);
        }
    }

    public required IReadOnlyList<PresenceCheck> Present { get; init; }

    /// <summary>How a trial starts the software, to see that it runs; null where nothing can be started.</summary>
    public Launch? Launch { get; init; }

    /// <summary>Whether the agent may put the earlier version back when installing fails.</summary>
    public bool PutBack { get; init; } = true;
}

/// <summary>Starting what was installed.</summary>
/// <param name="Run">The command and its arguments, run without a shell, terminal, display or user.</param>
/// <param name="Stays">How long it must stay up; one that ends before with code 0 is as good.</param>
public sealed record Launch(IReadOnlyList<string> Run, TimeSpan Stays)
{
    /// <summary>What it finds in its environment besides the usual.</summary>
    public IReadOnlyDictionary<string, string> Environment { get; init; } = new Dictionary<string, string>();
}

/// <summary>One unattended command.</summary>
public sealed record Step
{
    /// <summary>The command and its arguments, run without a shell in the folder of the payload files.</summary>
    public required IReadOnlyList<string> Run { get; init; }

    /// <summary>What it finds in its environment besides the usual; may use settings.</summary>
    public IReadOnlyDictionary<string, string> Environment { get; init; } = new Dictionary<string, string>();

    /// <summary>Files that are written beside the payload before it runs, by their paths; may use settings.</summary>
    public IReadOnlyDictionary<string, string> Answers { get; init; } = new Dictionary<string, string>();

    /// <summary>How long it may take.</summary>
    public TimeSpan Limit { get; init; } = TimeSpan.FromMinutes(30);

    /// <summary>How long it usually takes.</summary>
    public TimeSpan Expected { get; init; } = TimeSpan.FromMinutes(2);

    /// <summary>What happens at the limit: true ends the command with everything it started, false stops watching and asks a person.</summary>
    public bool EndAtLimit { get; init; } = true;

    /// <summary>What exit codes mean here, besides the defaults of <see cref="ExitCodes"/>.</summary>
    public IReadOnlyDictionary<int, ExitMeaning> Codes { get; init; } = new Dictionary<int, ExitMeaning>();
}

/// <summary>What an exit code says.</summary>
public enum ExitMeaning
{
    Done,
    RestartNeeded,
    Restarting,
    Busy,
    Prerequisites,
    Refused,
    Failed,
}

/// <summary>What exit codes mean where the manifest says nothing else.</summary>
public static class ExitCodes
{
    /// <summary>The words for the meanings, as they stand in a manifest.</summary>
    public static IReadOnlyDictionary<string, ExitMeaning> Meanings { get; } = new Dictionary<string, ExitMeaning>(StringComparer.Ordinal)
    {
        ["done"] = ExitMeaning.Done,
        ["restart-needed"] = ExitMeaning.RestartNeeded,
        ["restarting"] = ExitMeaning.Restarting,
        ["busy"] = ExitMeaning.Busy,
        ["prerequisites"] = ExitMeaning.Prerequisites,
        ["refused"] = ExitMeaning.Refused,
        ["failed"] = ExitMeaning.Failed,
    };

    /// <summary>
    /// The meaning of a code: what the step says, else 0 is done, the codes that Windows Installer documents for restarts, a busy installer and a user's
    /// refusal, 75 (EX_TEMPFAIL of BSD sysexits) is busy, and every other code a failure. A code of Windows means the same where it comes as an HRESULT.
    /// </summary>
    public static ExitMeaning Meaning(int code, IReadOnlyDictionary<int, ExitMeaning> own) => own.TryGetValue(code, out var said) ? said : Plain(code) switch
    {
        0 => ExitMeaning.Done,
        3010 => ExitMeaning.RestartNeeded,
        1641 => ExitMeaning.Restarting,
        1618 or 75 => ExitMeaning.Busy,
        1602 => ExitMeaning.Refused,
        _ => ExitMeaning.Failed,
    };

    /// <summary>
    /// A code as a manifest has it: a whole number, signed or unsigned in 32 bits, or in hexadecimal as Windows shows some, such as 0x80070652.
    /// </summary>
    public static bool TryParse(string? text, out int code)
    {
        var isHex = text?.StartsWith("0x", StringComparison.OrdinalIgnoreCase) == true;
        var isRead = isHex
            ? long.TryParse(text.AsSpan(2), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var number)
            : long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out number);
        code = unchecked((int)number);
        return isRead && number is >= int.MinValue and <= uint.MaxValue;
    }

    /// <summary>A code as people look it up: below zero in hexadecimal.</summary>
    public static string Written(int code) =>
        code < 0 ? string.Create(CultureInfo.InvariantCulture, $"0x{unchecked((uint)code):X8}") : code.ToString(CultureInfo.InvariantCulture);

    /// <summary>A code, and what it says where the Windows Installer documents that (its error codes; on Linux no code is above 255).</summary>
    public static string InWords(int code) => About(Plain(code)) is { } about ? $"{Written(code)} ({about})" : Written(code);

    private static string? About(int code) => code switch
    {
        1601 => "the Windows Installer cannot be reached",
        1603 => "an error while installing; the installer's own log says which",
        1605 => "this product is not installed",
        1612 => "the files it was installed from are not there",
        1619 => "the package cannot be opened",
        1620 => "this is no package of the Windows Installer",
        1622 => "its log cannot be written",
        1624 => "a transform does not fit",
        1625 => "a policy of this machine forbids it",
        1633 => "it is not made for this kind of machine",
        1638 => "another version of it is installed",
        1639 => "an argument is wrong",
        _ => null,
    };

    // HRESULT_FROM_WIN32: 0x8007 in front of the code.
    private static int Plain(int code) => unchecked((uint)code) >> 16 == 0x8007 ? code & 0xFFFF : code;
}
