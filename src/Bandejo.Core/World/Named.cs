using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.World;

/// <summary>Says whether somebody changes the revision that they looked at; null where they do.</summary>
/// <param name="revision">At which it stands.</param>
/// <param name="must">Whether they have to say which they looked at.</param>
public delegate Failure? RevisionCheck(int revision, bool must);

/// <summary>
/// Finds what people name, the same way for everything: by identity or name, in whatever case, or by a beginning of either that is nobody else's. Where there
/// is none, the failure says what is near; where there are several, which.
/// </summary>
public static class Named
{
    /// <summary>How many devices are looked through for a near name.</summary>
    private const int MostNear = 2000;

    /// <summary>How many are named that a beginning may mean.</summary>
    private const int MostSeveral = 5;

    /// <summary>A digest, or the identity of a token or code, is named by so many of its first characters, or more.</summary>
    private const int LeastOfDigest = 4;

    /// <summary>A deployment; of several with one name, the one that has not ended.</summary>
    public static Outcome<DeploymentEntry> Deployment(FleetWorld world, string named) =>
        world.Deployments.TryGetValue(named, out var exact)
            ? exact
            : Among("deployment", named, world.Deployments.Values, each => each.Id, each => each.Plan.Name, isWhole: false, each => each.IsActive);

    /// <summary>
    /// A package by digest, by the beginning of one (4 characters or more), by <c>app version</c>, or by an app: its newest released package.
    /// </summary>
    /// <param name="isWhole">Whether it must be named in full, as where something is done that cannot be undone.</param>
    public static Outcome<PackageEntry> Package(FleetWorld world, string named, bool isWhole = false)
    {
        var text = named.Trim();
        if (world.Packages.TryGetValue(text, out var exact))
        {
            return exact;
        }

        var parts = text.Split(' ', 2, StringSplitOptions.RemoveEmptyEntries);
        var slug = parts.Length == 0 ? "" : FactCatalog.Slug(parts[0]);
        var apps = world.Packages.Values.Select(package => package.Record.App).Distinct().ToList();
        var begun = text.Length >= LeastOfDigest && text.All(char.IsAsciiHexDigit) && !apps.Contains(slug)
            ? world.Packages.Values.Where(package => package.Digest.StartsWith(text, StringComparison.OrdinalIgnoreCase)).ToList()
            : [];
        if (begun is [var only])
        {
            return only;
        }

        if (begun.Count > 1)
        {
            return Several("package", named, begun.Select(package => $"{package.Title} ({package.Digest[..12]})"), begun.Count);
        }

        var app = Among("app", slug, apps, each => each, each => each, isWhole);
        if (!app.Ok)
        {
            return app.Failure!.Kind != ErrorKind.NotFound ? app.Failure
                : new Failure(ErrorKind.NotFound, $"There is no package '{named}'." + Meant(Suggest.Nearest(slug, apps)));
        }

        var ofApp = world.Packages.Values.Where(package => package.Record.App == app.Value).OrderByDescending(package => package.Version).ToList();
        if (parts.Length == 1)
        {
            return ofApp.Find(package => package.Record.State == PackageState.Released && !package.IsLetGo)
                ?? (Outcome<PackageEntry>)new Failure(
                    ErrorKind.NotFound,
                    $"No package of '{app.Value}' is released yet. Built: {string.Join(", ", ofApp.Select(package => package.Record.Version))}.");
        }

        if (AppVersion.TryParse(parts[1], out var version) && ofApp.Find(package => package.Version == version) is { } found)
        {
            return found;
        }

        return !isWhole && ofApp.Where(package => package.Record.Version.StartsWith(parts[1], StringComparison.OrdinalIgnoreCase)).Take(2).ToList() is [var one]
            ? one
            : new Failure(
                ErrorKind.NotFound,
                $"There is no version {parts[1]} of '{app.Value}'. There are: {string.Join(", ", ofApp.Select(package => package.Record.Version))}.");
    }

    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<GroupEntry> Group(FleetWorld world, string named, bool isWhole = false) => world.Groups.TryGetValue(named, out var group)
        ? group
        : Among("group", named, world.Groups.Values, each => each.Record.Slug, each => each.Record.Name, isWhole);

    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<WavePlanRecord> WavePlan(FleetWorld world, string named, bool isWhole = false) =>
        Among("wave plan", named, world.WavePlans.Values, each => each.Slug, each => each.Name, isWhole);

    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<CalendarEntry> Calendar(FleetWorld world, string named, bool isWhole = false) =>
        Among("calendar", named, world.Calendars.Values, each => each.Record.Slug, each => each.Record.Name, isWhole);

    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<HandlingRecord> Handling(FleetWorld world, string named, bool isWhole = false) =>
        Among("handling", named, world.Handlings.Values, each => each.Slug, each => each.Name, isWhole);

    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<DeviceEntry> Device(FleetWorld world, string named, bool isWhole = false)
    {
        if (world.Devices.Find(named) is { } exact)
        {
            return exact;
        }

        var found = Among("device", named, world.Devices.Values, each => each.Id, each => each.Name, isWhole);
        return found.Ok || found.Failure!.Kind != ErrorKind.NotFound ? found : NoDevice(world, named);
    }

    /// <summary>An app that there are packages of, by its short name or the name it has in its newest package.</summary>
    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<string> App(FleetWorld world, string named, bool isWhole = false)
    {
        var newest = world.Packages.Values.GroupBy(package => package.Record.App).Select(group => group.MaxBy(package => package.Version)!);
        var found = Among("app", named, newest, each => each.Record.App, each => each.Contents.Name, isWhole);
        return found.Ok ? found.Value.Record.App : found.Failure!;
    }

    /// <inheritdoc cref="Package" path="/param"/>
    public static Outcome<AccountRecord> Account(FleetWorld world, string named, bool isWhole = false) =>
        Among("account", named, world.Accounts.Values, each => each.Account, each => each.Name, isWhole);

    /// <summary>One of some tokens, by its identity or the beginning of one (4 characters or more).</summary>
    public static Outcome<TokenRecord> Token(IEnumerable<TokenRecord> among, string id) => ByIdentity("token or session", id, among, each => each.Id);

    /// <summary>A join code, by its identity or the beginning of one (4 characters or more).</summary>
    public static Outcome<JoinCodeRecord> JoinCode(FleetWorld world, string id) => ByIdentity("join code", id, world.JoinCodes.Values, each => each.Id);

    /// <summary>The failure for a device that is not there.</summary>
    public static Failure NoDevice(FleetWorld world, string named)
    {
        var near = Suggest.Nearest(named.ToUpperInvariant(), world.Devices.Values.Take(MostNear).Select(device => device.Name));
        return new Failure(ErrorKind.NotFound, $"There is no device '{named}'." + Meant(near));
    }

    /// <summary>The one thing of some that is meant.</summary>
    /// <param name="noun">What one of them is called.</param>
    /// <param name="isWhole">Whether a beginning is not enough.</param>
    /// <param name="isPreferred">Of several that fit alike, those that are meant rather; null for none.</param>
    private static Outcome<T> Among<T>(
        string noun, string named, IEnumerable<T> all, Func<T, string> idOf, Func<T, string> nameOf, bool isWhole, Func<T, bool>? isPreferred = null)
    {
        var text = named.Trim();
        foreach (var fits in (Func<string, bool>[])[
            each => each.Equals(text, StringComparison.OrdinalIgnoreCase),
            each => !isWhole && text.Length > 0 && each.StartsWith(text, StringComparison.OrdinalIgnoreCase)])
        {
            var found = all.Where(each => fits(idOf(each)) || fits(nameOf(each))).ToList();
            found = isPreferred is not null && found.Exists(each => isPreferred(each)) ? found.FindAll(each => isPreferred(each)) : found;
            if (found is [var one])
            {
                return one;
            }

            if (found.Count > 1)
            {
                return Several(noun, named, found.Select(each => idOf(each) == nameOf(each) ? idOf(each) : $"{idOf(each)} ({nameOf(each)})"), found.Count);
            }
        }

        var near = Suggest.Nearest(text.ToUpperInvariant(), all.Take(MostNear).SelectMany(each => (string[])[idOf(each), nameOf(each)]).Distinct(),
            isInAnyCase: true);
        return new Failure(ErrorKind.NotFound, $"There is no {noun} '{named}'." + Meant(near));
    }

    private static Outcome<T> ByIdentity<T>(string noun, string id, IEnumerable<T> all, Func<T, string> idOf)
    {
        var text = id.Trim().TrimEnd('…');
        return text.Length < LeastOfDigest
            ? new Failure(ErrorKind.NotFound, $"There is no {noun} '{id}'. Give its identity, or {LeastOfDigest} or more of its first characters.")
            : Among(noun, text, all, idOf, idOf, isWhole: false);
    }

    private static Failure Several(string noun, string named, IEnumerable<string> names, int count) => new(
        ErrorKind.Conflict,
        $"'{named}' may mean {count} {noun}s: {string.Join(", ", names.Take(MostSeveral))}{(count > MostSeveral ? $" and {count - MostSeveral} more" : "")}. "
            + "Write more of one.");

    private static string Meant(string? near) => near is null ? "" : $" Did you mean '{near}'?";
}
