namespace Bandejo.Core.Packages;

/// <summary>
/// How attempts behave, as the service keeps it by a name for any package: it lies over what a package says of itself. It can wait, yield, restart, close and
/// keep; it never names something to be deleted or read, which a package alone may, sealed as it is.
/// </summary>
public sealed record KeptHandling
{
    /// <summary>The most programs that one names.</summary>
    public const int MostNames = 50;

    /// <summary>The longest name of a program, in characters.</summary>
    public const int LongestName = 200;

    /// <summary>Whether it waits until nobody is signed in; null as the package has it.</summary>
    public bool? NobodySignedIn { get; init; }

    /// <summary>Whether it yields to everything else on the device; null as the package has it.</summary>
    public bool? LowPriority { get; init; }

    /// <summary>When the device is asked to restart; null as the package has it.</summary>
    public RestartRule? Restart { get; init; }

    /// <summary>Whether nothing is deleted after a removal, whatever the package would reset.</summary>
    public bool KeepsAll { get; init; }

    /// <summary>Programs that are closed as well, by names.</summary>
    public IReadOnlyList<string> Close { get; init; } = [];

    /// <summary>Values of settings, for packages that have settings of these names; taken when a deployment is started.</summary>
    public IReadOnlyDictionary<string, string> Settings { get; init; } = new Dictionary<string, string>();

    /// <summary>Whether it changes nothing.</summary>
    public bool IsEmpty => NobodySignedIn is null && LowPriority is null && Restart is null && !KeepsAll && Close.Count == 0 && Settings.Count == 0;

    /// <summary>All of it in words, set apart by semicolons.</summary>
    public string InWords
    {
        get
        {
            List<string> says =
            [
                .. NobodySignedIn is { } nobody ? [nobody ? "waits until nobody is signed in" : "does not wait for who is signed in"] : (string[])[],
                .. LowPriority is { } low ? [low ? "yields to everything else" : "at the usual priority"] : (string[])[],
                .. Close.Count > 0 ? [$"closes {string.Join(", ", Close)}"] : (string[])[],
                .. Restart switch
                {
                    RestartRule.Always => ["restarts after each install"], RestartRule.Never => ["never restarts"],
                    RestartRule.AsTold => ["restarts where the installer says so"], _ => (string[])[],
                },
                .. KeepsAll ? ["deletes nothing when it is taken away"] : (string[])[],
                .. Settings.Count > 0 ? [$"sets {string.Join(", ", Settings.Select(pair => $"{pair.Key} {pair.Value}"))}"] : (string[])[],
            ];
            return says.Count == 0 ? "changes nothing" : string.Join("; ", says);
        }
    }

    /// <summary>What is wrong with it; empty where nothing is.</summary>
    public IReadOnlyList<Finding> Problems()
    {
        var findings = new List<Finding>();
        if (Close.Count > MostNames || Close.Any(name => name.Trim().Length == 0 || name.Length > LongestName || name.Any(char.IsControl)))
        {
            findings.Add(new Finding($"'close' is at most {MostNames} names of programs, each of at most {LongestName} characters.", "close"));
        }

        foreach (var (name, value) in Settings)
        {
            if (!Packages.Settings.IsName(name) || value.Length > Packages.Settings.MaxValue || value.Any(char.IsControl))
            {
                findings.Add(new Finding(
                    $"'{name}' is no name of a setting with a value of at most {Packages.Settings.MaxValue} characters in one line.", "settings." + name));
            }
        }

        if (IsEmpty)
        {
            findings.Add(new Finding("It changes nothing; say at least one thing that it does."));
        }

        return findings;
    }

    /// <summary>Of its values those that a package can take: of settings that it has, that are no secrets, and that allow the value.</summary>
    public IReadOnlyDictionary<string, string> SettingsFor(IReadOnlyList<Setting> settings) =>
        Settings.Where(
            pair =>
                settings.FirstOrDefault(setting => setting.Name == pair.Key) is { Type: not SettingType.Secret } setting
                    && Packages.Settings.Read(setting, pair.Value).Ok)
            .ToDictionary();
}
