using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Packages;

/// <summary>Shows packages.</summary>
internal static class Catalogue
{
    public static IReadOnlyList<AppInfo> Apps(FleetWorld world) =>
    [
        .. world.Packages.Values.GroupBy(package => package.Record.App).OrderBy(group => group.Key, StringComparer.Ordinal)
            .Select(group => Info(world, group)),
    ];

    public static Outcome<AppInfo> App(FleetWorld world, string named)
    {
        var app = Named.App(world, named);
        return app.Ok ? Info(world, world.Packages.Values.GroupBy(package => package.Record.App).First(group => group.Key == app.Value)) : app.Failure!;
    }

    private static AppInfo Info(FleetWorld world, IGrouping<string, PackageEntry> packages)
    {
        var newest = packages.OrderByDescending(package => package.Version).First().Document;
        var versions = world.Columns.Spread(new FactRef(packages.Key, true), world.Columns.Live);
        var known = FieldVersions.Newest(world, packages.Key);
        return new AppInfo(
            packages.Key, newest.Name, newest.Publisher, newest.Category,
            [.. packages.OrderByDescending(package => package.Version).Select(package => Info(package))],
            [.. versions.OrderByDescending(each => each.Value.Version).Select(each => new FieldVersion(
                each.Value.ToString(), each.Count, StateNames.Of(FieldVersions.Of(each.Value.Version, known))))]);
    }

    public static Outcome<Page<PackageInfo>> List(FleetWorld world, string? named, string? cursor, int? limit)
    {
        var app = named is null ? default : Named.App(world, named);
        return named is null ? Of(world, null, cursor, limit) : app.Ok ? Of(world, app.Value, cursor, limit) : app.Failure!;
    }

    /// <summary>The packages of an app, of which there need be none; null for those of all.</summary>
    public static Page<PackageInfo> Of(FleetWorld world, string? app, string? cursor, int? limit)
    {
        var all = world.Packages.Values.Where(package => app is null || package.Record.App == app)
            .OrderBy(package => package.Record.App, StringComparer.Ordinal).ThenByDescending(package => package.Version).ToList();
        var start = cursor is null ? 0 : all.FindIndex(package => package.Record.Digest == cursor) + 1;
        var size = Routes.PageSize(limit);
        var page = all.Skip(start).Take(size).ToList();
        return new Page<PackageInfo>([.. page.Select(package => Info(package))], start + size < all.Count ? page[^1].Record.Digest : null, all.Count);
    }

    public static Outcome<PackageDetails> Details(FleetWorld world, string named)
    {
        var found = Named.Package(world, named);
        return found.Ok ? Details(world, found.Value) : found.Failure!;
    }

    public static PackageDetails Details(FleetWorld world, PackageEntry package)
    {
        var installed = new ConditionNode(new FactRef(package.Record.App, true), FactType.Version, Comparison.Is, [FactValue.OfVersion(package.Version)]);
        var rule = Rule.Parse($"{installed.Fact} is \"{package.Version}\"");
        return new PackageDetails(
            Info(package), package.Document.Summary, [.. Documents.NeedsOf(package.Document).Select(need => need.ToString())],
            [.. package.Document.Variants.Select(variant => new VariantInfo(
                variant.Name, variant.Fits, variant.Requires, [.. variant.Files.Select(file => new FileInfoDto(file.Path, file.Size, file.Sha256))],
                string.Join(' ', variant.Install.Run), variant.Remove is null ? null : string.Join(' ', variant.Remove.Run),
                [.. variant.Present.Select(InWords.Check)],
                InWords.More(variant)))],
            [.. package.Record.History.Select(step => new LifeInfo(step.State, step.By, step.At, step.Reason, step.Trial))],
            rule.Ok ? world.Columns.Evaluate(rule.Value).True.Count() : 0,
            [.. world.Deployments.Values.Where(deployment => deployment.Package == package && deployment.IsActive).Select(deployment => deployment.Plan.Name)],
            [.. (package.Document.Settings ?? []).Select(setting => new SettingInfo(
                setting.Name, setting.Type, setting.Says, setting.Default, setting.Choices ?? []))],
            [.. (package.Document.Presets ?? new Dictionary<string, IReadOnlyDictionary<string, string>>()).Select(preset => new PresetInfo(preset.Key, [
                .. preset.Value.Select(pair => $"{pair.Key} {pair.Value}")]))],
            world.Packages.Values.Where(other => other.Record.App == package.Record.App && other.Version < package.Version)
                .MaxBy(other => other.Version)?.Record.Digest,
            Leaving.RoomOf(world, package));
    }

    public static PackageInfo Info(PackageEntry package, bool isNew = false)
    {
        var files = package.Document.Variants.SelectMany(variant => variant.Files).DistinctBy(file => file.Sha256).ToList();
        var stored = package.Record;
        return new PackageInfo(
            stored.Digest, stored.App, package.Document.Name, stored.Version, StateNames.Of(stored.State), package.Document.Publisher, stored.BuiltBy,
            stored.BuiltAt, files.Sum(file => file.Size), files.Count, isNew, package.IsLetGo);
    }
}
