using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Versions;

namespace Bandejo.Core.World;

/// <summary>What a package's document says, as far as anything is decided by it.</summary>
public class PackageContents
{
    /// <summary>The app's name as people know it.</summary>
    public required string Name { get; init; }

    /// <summary>Whom it is meant for, and what it can do there.</summary>
    public required IReadOnlyList<VariantRules> Variants { get; init; }

    /// <summary>Other apps that must be there first.</summary>
    public required IReadOnlyList<Need> Needs { get; init; }

    public required IReadOnlyList<Setting> Settings { get; init; }

    public required IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> Presets { get; init; }

    /// <summary>The files that it is made of, with their sizes in bytes; the same file may stand twice.</summary>
    public required IReadOnlyList<PayloadFile> Files { get; init; }
}

/// <summary>A package in the world. It never changes in one entry: a change puts another into its place.</summary>
public sealed class PackageEntry(PackageRecord record, PackageContents contents)
{
    /// <summary>The word in the history of a package whose files were let go, and of one whose files came again.</summary>
    public const string LetGo = "let-go";

    /// <summary>As it was called before, in what was kept then.</summary>
    private const string LetGoBefore = "retired";

    public const string Restored = "restored";

    private HashSet<string>? _content;

    public PackageRecord Record { get; } = record;

    public PackageContents Contents { get; } = contents;

    public string Digest => Record.Digest;

    /// <summary>The app's name and the version, as people say it.</summary>
    public string Title => $"{Contents.Name} {Record.Version}";

    /// <summary>Whether its files were let go.</summary>
    public bool IsLetGo { get; } = record.History.LastOrDefault(step => step.State is LetGo or LetGoBefore or Restored)?.State is LetGo or LetGoBefore;

    /// <summary>Its version; 0 where this version of the program cannot read it.</summary>
    public AppVersion Version { get; } = AppVersion.TryParse(record.Version, out var version) ? version : AppVersion.Parse("0");

    public IReadOnlyList<VariantRules> Variants => Contents.Variants;

    public IReadOnlyList<Need> Needs => Contents.Needs;

    /// <summary>The digests of all that it is made of, but for its document.</summary>
    public IReadOnlySet<string> Content => _content ??= Contents.Files.Select(file => file.Sha256).ToHashSet(StringComparer.Ordinal);
}
