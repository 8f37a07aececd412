using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>What somebody asks for who keeps a handling, in their words.</summary>
/// <param name="Name">For people; null keeps the one it has.</param>
/// <param name="SignedIn"><c>as-packaged</c>, <c>anybody</c> or <c>nobody</c>.</param>
/// <param name="Priority"><c>as-packaged</c>, <c>usual</c> or <c>low</c>.</param>
/// <param name="Restart"><c>as-packaged</c>, <c>as-told</c>, <c>always</c> or <c>never</c>.</param>
/// <param name="Reset"><c>as-packaged</c> or <c>keep</c>.</param>
public sealed record HandlingAsk(
    string? Name, string SignedIn, string Priority, string Restart, string Reset, IReadOnlyList<string> Close, IReadOnlyDictionary<string, string> Settings,
    IReadOnlyList<string> Apps);

/// <summary>Whom a change of a handling concerns.</summary>
/// <param name="Deployments">Those under way that behave otherwise.</param>
/// <param name="Devices">On how many devices that are still to be changed.</param>
public sealed record HandlingReach(IReadOnlyList<string> Apps, IReadOnlyList<DeploymentEntry> Deployments, int Devices, string Says);

/// <summary>Keeps handlings by name.</summary>
public static class Handlings
{
    private const int LongestSlug = 64;

    /// <summary>Keeps a handling. One that is there is changed.</summary>
    public static Outcome<HandlingRecord> Keep(Decision decision, RevisionCheck seen, string slug, HandlingAsk ask)
    {
        var world = decision.World;
        var known = world.Handlings.GetValueOrDefault(slug);
        if (known is not null && seen(known.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        var read = Read(world, slug, ask);
        if (!read.Ok)
        {
            return read.Failure!;
        }

        var after = read.Value;
        var reach = ReachOf(world, known, after);
        decision.Do(new PutHandling(after));
        decision.Audit(
            "handling-kept",
            $"The handling '{slug}' was {(known is null ? "made" : "changed")}: {after.Values.InWords}"
                + $"{(after.Apps.Count == 0 ? "" : $"; for {string.Join(", ", after.Apps)}")}. {reach.Says}");
        return after;
    }

    public static Outcome<bool> Remove(Decision decision, RevisionCheck seen, string slug)
    {
        var world = decision.World;
        var found = Named.Handling(world, slug, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        slug = found.Value.Slug;
        if (seen(found.Value.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        if (world.Active.Where(each => each.Plan.Handling == slug).Select(each => each.Plan.Name).ToList() is { Count: > 0 } named)
        {
            return new Failure(
                ErrorKind.Conflict,
                $"{(named.Count == 1 ? "A deployment" : $"{named.Count} deployments")} under way {(named.Count == 1 ? "goes" : "go")} by '{slug}': "
                    + $"{string.Join(", ", named.Take(5))}. End {(named.Count == 1 ? "it" : "them")} first, or change the handling.");
        }

        var reach = ReachOf(world, found.Value, null);
        decision.Do(new DeleteHandling(slug));
        decision.Audit("handling-removed", $"The handling '{slug}' was forgotten. {reach.Says}");
        return true;
    }

    /// <summary>Reads what is asked for, and holds it against what is there. All that is wrong with it is found at once.</summary>
    public static Outcome<HandlingRecord> Read(FleetWorld world, string slug, HandlingAsk ask)
    {
        var findings = new List<Finding>();
        if (slug.Length is 0 or > LongestSlug || FactCatalog.Slug(slug) != slug || slug == DeploymentPlan.NoHandling)
        {
            findings.Add(new Finding(
                slug == DeploymentPlan.NoHandling
                    ? "'none' stands for no handling; choose another name."
                    : $"A handling's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(slug)}'.",
                "slug"));
        }

        Check(ask.SignedIn is "as-packaged" or "anybody" or "nobody", "signedIn", "as-packaged, anybody or nobody", ask.SignedIn);
        Check(ask.Priority is "as-packaged" or "usual" or "low", "priority", "as-packaged, usual or low", ask.Priority);
        Check(ask.Restart == "as-packaged" || Handling.Restarts.ContainsKey(ask.Restart), "restart", "as-packaged, as-told, always or never", ask.Restart);
        Check(ask.Reset is "as-packaged" or "keep", "reset", "as-packaged or keep", ask.Reset);
        var values = new KeptHandling
        {
            NobodySignedIn = ask.SignedIn switch { "nobody" => true, "anybody" => false, _ => null },
            LowPriority = ask.Priority switch { "low" => true, "usual" => false, _ => null },
            Restart = Handling.Restarts.TryGetValue(ask.Restart, out var restart) ? restart : null,
            KeepsAll = ask.Reset == "keep",
            Close = [.. ask.Close.Distinct()],
            Settings = new SortedDictionary<string, string>(ask.Settings.ToDictionary(), StringComparer.Ordinal),
        };
        findings.AddRange(values.Problems().Where(problem => problem.Where is not null || findings.Count == 0));
        // One that there is not is told of below, with what is near.
        var apps = ask.Apps.Select(app => Named.App(world, app) is { Ok: true, Value: var known } ? known : app).Distinct()
            .Order(StringComparer.Ordinal).ToList();
        foreach (var app in apps)
        {
            findings.AddRange(Against(world, slug, app, values));
        }

        var known = world.Handlings.GetValueOrDefault(slug);
        return findings.Count == 0
            ? new HandlingRecord(slug, string.IsNullOrWhiteSpace(ask.Name) ? known?.Name ?? slug : ask.Name.Trim(), values, apps, (known?.Revision ?? 0) + 1)
            : new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The handling has {findings.Count} errors.", findings);

        void Check(bool holds, string where, string words, string written)
        {
            if (!holds)
            {
                findings.Add(new Finding($"'{where}' is {words}, not '{written}'.", where));
            }
        }
    }

    /// <summary>Whom it concerns if a handling becomes another; the same is told after it did.</summary>
    /// <param name="before">As it is; null for a new one.</param>
    /// <param name="after">As it will be; null where it goes.</param>
    public static HandlingReach ReachOf(FleetWorld world, HandlingRecord? before, HandlingRecord? after)
    {
        var slug = (before ?? after)!.Slug;
        var apps = (before?.Apps ?? []).Union(after?.Apps ?? []).Order(StringComparer.Ordinal).ToList();
        var deployments = world.Active
            .Where(each => each.Plan.Handling == slug || (each.Plan.Handling is null && apps.Contains(each.Plan.App)))
            .Where(each => !IsSameForDevices(Effective(before, each), Effective(after, each))).ToList();
        var devices = deployments.Aggregate(new Bitmap(), (rows, each) => rows.Or(each.Targets.In(TargetTraits.With(TargetTrait.Open)))).Count();
        var says = (
            deployments.Count == 0
                ? "No deployment under way behaves otherwise."
                : $"{(deployments.Count == 1 ? "1 deployment" : $"{deployments.Count} deployments")} under way "
                    + $"{(deployments.Count == 1 ? "behaves" : "behave")} otherwise at once, on "
                        + $"{(devices == 1 ? "1 device that is" : $"{devices} devices that are")} still to be changed: "
                            + $"{string.Join(", ", deployments.Take(5).Select(each => each.Plan.Name))}{(deployments.Count > 5 ? ", …" : "")}.")
            + (
                apps.Count == 0
                    ? " No app is handled so by itself; a deployment has to name it."
                    : $" Deployments started from now on go by it for {string.Join(", ", apps.Take(10))}"
                        + $"{(apps.Count > 10 ? $" and {apps.Count - 10} more" : "")}{(after is null ? " no longer" : "")}.")
            + (
                after?.Values.Settings.Count > 0 || before?.Values.Settings.Count > 0
                    ? " Its values of settings hold for these; what is under way keeps the values it was started with."
                    : "");
        return new HandlingReach(apps, deployments, devices, says);

        HandlingRecord? Effective(HandlingRecord? handling, DeploymentEntry each) =>
            handling is null ? null : each.Plan.Handling == slug || (each.Plan.Handling is null && handling.Apps.Contains(each.Plan.App)) ? handling : null;
    }

    /// <summary>Whether devices are told the same of both: settings reach them by other ways.</summary>
    private static bool IsSameForDevices(HandlingRecord? one, HandlingRecord? other)
    {
        var (a, b) = (one?.Values ?? new KeptHandling(), other?.Values ?? new KeptHandling());
        return (a.NobodySignedIn, a.LowPriority, a.Restart, a.KeepsAll) == (b.NobodySignedIn, b.LowPriority, b.Restart, b.KeepsAll)
            && a.Close.SequenceEqual(b.Close);
    }

    /// <summary>What stands against handling an app so.</summary>
    private static IEnumerable<Finding> Against(FleetWorld world, string slug, string app, KeptHandling values)
    {
        if (world.Packages.Values.Where(package => package.Record.App == app).MaxBy(package => package.Version) is not { } newest)
        {
            var near = Suggest.Nearest(app, world.Packages.Values.Select(package => package.Record.App).Distinct());
            yield return new Finding($"There is no app '{app}'.{(near is null ? "" : $" Did you mean '{near}'?")}", "apps");
            yield break;
        }

        if (world.Handlings.Values.FirstOrDefault(other => other.Slug != slug && other.Apps.Contains(app)) is { } other)
        {
            yield return new Finding($"{app} is handled by '{other.Slug}' already; take it out there first.", "apps");
            yield break;
        }

        // Values that the newest package of the app has a setting for and cannot take.
        foreach (var setting in newest.Contents.Settings.Where(setting => values.Settings.ContainsKey(setting.Name)))
        {
            if (setting.Type == SettingType.Secret)
            {
                yield return new Finding($"'{setting.Name}' of {app} is secret; give it with each deployment.", "settings." + setting.Name);
            }
            else if (Settings.Read(setting, values.Settings[setting.Name]) is { Ok: false, Failure: { } failure })
            {
                yield return new Finding($"{app} {newest.Version}: {failure.Message}", "settings." + setting.Name);
            }
        }
    }
}
