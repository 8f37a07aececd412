using Bandejo.Core.Packages;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Catalogue;

/// <summary>How a version that devices have stands to the newest that could be given to them.</summary>
public enum VersionStanding
{
    /// <summary>It is the newest.</summary>
    Newest,

    /// <summary>There is a newer one.</summary>
    Behind,

    /// <summary>It is newer than any: from elsewhere, or not released yet.</summary>
    Ahead,

    /// <summary>Nothing is known to hold it against: no package, or not a version.</summary>
    Unknown,
}

/// <summary>Says of versions in the field whether they are the newest.</summary>
public static class FieldVersions
{
    /// <summary>The version that others are held against: the newest released, else the newest that was not withdrawn; null for none.</summary>
    public static AppVersion? Newest(FleetWorld world, string app)
    {
        var packages = world.Packages.Values.Where(package => package.Record.App == app && package.Record.State != PackageState.Withdrawn).ToList();
        return packages.Where(package => package.Record.State == PackageState.Released).Max(package => package.Version)
            ?? packages.Max(package => package.Version);
    }

    /// <summary>How one stands. Revisions of a package are one version: what it installs is the same.</summary>
    public static VersionStanding Of(AppVersion? version, AppVersion? newest) =>
        version is null || newest is null ? VersionStanding.Unknown
            : version.SameButRevision(newest) ? VersionStanding.Newest
            : version.CompareTo(newest) < 0 ? VersionStanding.Behind
            : VersionStanding.Ahead;
}
