namespace Bandejo.Core.Installers;

/// <summary>An inspection in the making.</summary>
internal sealed class Draft(string file, long size)
{
    private const int MostNested = 200;

    private readonly List<Told> _told = [];
    private readonly List<ContainedFile> _first = [];
    private long _files;
    private long _unpacked;
    private bool _isWhole = true;
    private bool _hasContents;

    public string File => file;

    public long Size => size;

    public (InstallerKind Kind, string InWords) Kind { get; set; } = (InstallerKind.Unknown, "unknown file");

    public List<SuggestedCommand> Commands { get; } = [];

    public List<InstallerSetting> Settings { get; } = [];

    public List<InstallerFeature> Features { get; } = [];

    public List<string> Conditions { get; } = [];

    public List<NestedInstaller> Nested { get; } = [];

    public List<SuggestedProof> Proofs { get; } = [];

    public List<string> Beside { get; } = [];

    public List<OpenQuestion> Open { get; } = [];

    public List<Finding> Findings { get; } = [];

    public InstallerIcon? Icon { get; set; }

    /// <summary>How files inside are looked at; null where their names must do.</summary>
    public InsideLook? Look { get; init; }

    /// <summary>Adds a statement; nothing where there is nothing to say.</summary>
    public void Tell(string what, string? value, Certainty certainty, string source)
    {
        var clean = Clean(value);
        if (clean.Length > 0 && !_told.Exists(told => told.What == what && told.Value == clean && told.Certainty >= certainty))
        {
            _told.Add(new Told(what, clean, certainty, source));
        }
    }

    /// <summary>Takes back what was said; what is said next stands alone.</summary>
    public void Unsay(string what) => _told.RemoveAll(told => told.What == what);

    public bool Knows(string what) => _told.Exists(told => told.What == what);

    public string? Value(string what) => _told.Where(told => told.What == what).MaxBy(told => told.Certainty)?.Value;

    public void Command(string verb, Certainty certainty, string source, params IEnumerable<string> run) =>
        Commands.Add(new SuggestedCommand(verb, [.. run], certainty, source));

    public void Ask(string what, string hint, string? verb = null) => Open.Add(new OpenQuestion(what, hint, verb));

    public void Warn(string message) => Findings.Add(new Finding(message, file) { IsWarning = true });

    /// <summary>Counts a file that is inside. A name that would climb out of a folder is a finding, an installer among them one of its own.</summary>
    /// <param name="open">Its content, where that can be read.</param>
    public void Contains(string path, long length, Func<Stream>? open = null)
    {
        _hasContents = true;
        _files++;
        _unpacked += Math.Max(0, length);
        var name = Clean(path.Replace('\\', '/'));
        if (_first.Count < InstallerContents.MaxListed)
        {
            _first.Add(new ContainedFile(name, length));
        }

        if ((name.StartsWith('/') || name.Split('/').Contains(".."))
            && !Findings.Exists(finding => !finding.IsWarning && finding.Message.Contains("climbs", StringComparison.Ordinal)))
        {
            Findings.Add(new Finding($"A file inside is named '{name}', which climbs out of the folder it would be unpacked into; do not unpack it.", file));
        }

        if (Nested.Count < MostNested)
        {
            Nested.AddRange(
                (Look is null ? InstallerNames.KindOf(name) is { } what ? [new NestedInstaller(name, length, what)] : [] : Look.Of(name, length, open))
                    .Take(MostNested - Nested.Count));
        }
    }

    /// <summary>Says that there is more inside than was looked at.</summary>
    public void ContainsMore() => (_hasContents, _isWhole) = (true, false);

    public Inspection Done() => new()
    {
        File = file,
        Size = size,
        Kind = Kind.Kind,
        KindInWords = Kind.InWords,
        Told = [.. _told],
        Commands = Commands,
        Settings = Settings,
        Features = Features,
        Conditions = Conditions,
        Nested = Nested,
        Proofs = Proofs,
        Beside = Beside,
        Contents = _hasContents ? new InstallerContents(_files, _unpacked, _first, _isWhole) : null,
        Icon = Icon,
        Open = Open,
        Findings = Findings,
    };

    /// <summary>Adds a value that it takes.</summary>
    public void Takes(string name, string value, bool isSecret, string form) =>
        Settings.Add(new InstallerSetting(Clean(name, 72), isSecret ? "" : Clean(value, 100), isSecret, form));

    /// <summary>Text for people and manifests: one line, no control characters, not too long.</summary>
    private static string Clean(string? text, int most = 500)
    {
        var clean = new string([.. (text ?? "").Where(c => !char.IsControl(c) && !char.IsSurrogate(c) && c != '\uFFFD').Take(most + 1)]).Trim();
        return clean.Length > most ? clean[..most] + "…" : clean;
    }
}

/// <summary>What names of files say of installers.</summary>
internal static class InstallerNames
{
    private static readonly (string End, string What)[] Ends =
    [
        (".msi", "a Windows Installer database"), (".msix", "an MSIX package"), (".appx", "an APPX package"), (".msixbundle", "an MSIX bundle"),
        (".appxbundle", "an APPX bundle"), (".deb", "a Debian package"), (".rpm", "an RPM package"), (".cab", "a cabinet"),
        (".pkg", "a macOS installer package"), (".appimage", "an AppImage"), (".msp", "a patch for a Windows Installer database"),
    ];

    private static readonly string[] SetupWords = ["setup", "install", "redist", "runtime", "prereq"];

    /// <summary>What sort of installer a name speaks of; null for none.</summary>
    public static string? KindOf(string path)
    {
        var name = path[(path.LastIndexOf('/') + 1)..].ToLowerInvariant();
        if (name.EndsWith(".exe", StringComparison.Ordinal) && SetupWords.Any(name.Contains) && !name.StartsWith("unins", StringComparison.Ordinal))
        {
            return "a Windows program that may carry an installer";
        }

        return Array.Find(Ends, each => name.EndsWith(each.End, StringComparison.Ordinal)).What;
    }

    /// <summary>The architecture that the name of a file speaks of; null where it speaks of none, or of several.</summary>
    public static string? Architecture(string file)
    {
        var words = file.ToLowerInvariant().Replace("x86_64", "x64", StringComparison.Ordinal).Replace("x86-64", "x64", StringComparison.Ordinal)
            .Split(['_', '-', '.', ' ', '(', ')', '[', ']', '+'], StringSplitOptions.RemoveEmptyEntries);
        var found = words.Select(word => word switch
        {
            "x64" or "amd64" or "win64" or "64bit" or "64" or "linux64" => "x64",
            "x86" or "i386" or "i586" or "i686" or "win32" or "32bit" or "ia32" => "x86",
            "arm64" or "aarch64" => "arm64",
            _ => null,
        }).OfType<string>().Distinct().ToList();
        return found is [var only] ? only : null;
    }

    /// <summary>Name and version as they stand in the name of a file, such as <c>Foldline_7.2.0_x64.msi</c>; null for what is not there.</summary>
    public static (string? Name, string? Version) Guess(string file)
    {
        var stem = file;
        foreach (var end in new[] { ".tar.gz", ".tar.xz", ".tar.bz2", ".tar.zst" })
        {
            stem = stem.EndsWith(end, StringComparison.OrdinalIgnoreCase) ? stem[..^end.Length] : stem;
        }

        stem = stem == file && Path.HasExtension(file) && !char.IsAsciiDigit(Path.GetExtension(file)[^1]) ? Path.GetFileNameWithoutExtension(file) : stem;
        var parts = stem.Split(['_', '-', ' '], StringSplitOptions.RemoveEmptyEntries);
        var at = Array.FindIndex(parts, part => part.TrimStart('v', 'V') is { Length: > 0 } digits && char.IsAsciiDigit(digits[0]) && digits.Contains('.'));
        var version = at < 0 ? null : parts[at].TrimStart('v', 'V');
        var name = string.Join(' ', parts.Take(at < 0 ? parts.Length : at).Where(part => part.ToLowerInvariant() is not (
            "x64" or "x86" or "amd64" or "arm64" or "win64" or "win32" or "setup" or "installer")));
        return (name.Length > 0 && name.Any(char.IsLetter) ? name : null, version);
    }
}
