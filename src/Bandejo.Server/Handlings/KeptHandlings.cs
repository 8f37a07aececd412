using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Handlings;

/// <summary>Which kept handling a deployment goes by, and whom a change of one concerns.</summary>
internal static class KeptHandlings
{
    /// <summary>The handling of a name.</summary>
    public static Outcome<HandlingRecord> Find(FleetWorld world, string slug)
    {
        if (world.Handlings.TryGetValue(slug, out var handling))
        {
            return handling;
        }

        var near = Suggest.Nearest(slug, world.Handlings.Keys);
        return new Failure(ErrorKind.NotFound, $"There is no handling '{slug}'.{(near is null ? "" : $" Did you mean '{near}'?")}");
    }

    /// <summary>What a deployment goes by: what it names, else what its app has; null for as the package has it.</summary>
    public static HandlingRecord? Of(FleetWorld world, string app, string? named) =>
        named == DeploymentPlan.NoHandling ? null : named is not null ? world.Handlings.GetValueOrDefault(named) : world.Handlings.Values.FirstOrDefault(each => each.Apps.Contains(app));

    /// <summary>How a device is told of it; null where there is nothing to tell.</summary>
    public static OrderHandling? ForOrder(HandlingRecord? handling) =>
        handling?.Values is not { } values || values with { Settings = new Dictionary<string, string>() } is { IsEmpty: true } ? null
        : new OrderHandling(values.NobodySignedIn, values.LowPriority, values.Restart is { } restart ? WordOf(restart) : null, values.KeepsAll, values.Close.Count == 0 ? null : values.Close);

    public static HandlingInfo Info(HandlingRecord handling) => new(
        handling.Slug, handling.Name, handling.Values.NobodySignedIn switch { true => "nobody", false => "anybody", _ => "as-packaged" }, handling.Values.LowPriority switch { true => "low", false => "usual", _ => "as-packaged" },
        handling.Values.Restart is { } restart ? WordOf(restart) : "as-packaged", handling.Values.KeepsAll ? "keep" : "as-packaged", handling.Values.Close, handling.Values.Settings, handling.Apps, handling.Values.InWords, handling.Revision);

    /// <summary>Reads a request, and holds it against what is there. All that is wrong with it is found at once.</summary>
    public static Outcome<HandlingRecord> Read(FleetWorld world, string slug, HandlingRequest request)
    {
        var findings = new List<Finding>();
        if (slug.Length is 0 or > 64 || FactCatalog.Slug(slug) != slug || slug == DeploymentPlan.NoHandling)
        {
            findings.Add(new Finding(slug == DeploymentPlan.NoHandling ? "'none' stands for no handling; choose another name." : $"A handling's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(slug)}'.", "slug"));
        }

        Check(request.SignedIn is "as-packaged" or "anybody" or "nobody", "signedIn", "as-packaged, anybody or nobody", request.SignedIn);
        Check(request.Priority is "as-packaged" or "usual" or "low", "priority", "as-packaged, usual or low", request.Priority);
        Check(request.Restart == "as-packaged" || Handling.Restarts.ContainsKey(request.Restart), "restart", "as-packaged, as-told, always or never", request.Restart);
        Check(request.Reset is "as-packaged" or "keep", "reset", "as-packaged or keep", request.Reset);
        var values = new KeptHandling
        {
            NobodySignedIn = request.SignedIn switch { "nobody" => true, "anybody" => false, _ => null },
            LowPriority = request.Priority switch { "low" => true, "usual" => false, _ => null },
            Restart = Handling.Restarts.TryGetValue(request.Restart, out var restart) ? restart : null,
            KeepsAll = request.Reset == "keep",
            Close = [.. (request.Close ?? []).Distinct()],
            Settings = new SortedDictionary<string, string>((request.Settings ?? new Dictionary<string, string>()).ToDictionary(), StringComparer.Ordinal),
        };
        findings.AddRange(values.Problems().Where(problem => problem.Where is not null || findings.Count == 0));
        var apps = (request.Apps ?? []).Distinct().Order(StringComparer.Ordinal).ToList();
        foreach (var app in apps)
        {
            if (world.Packages.Values.FirstOrDefault(package => package.Record.App == app) is null)
            {
                var near = Suggest.Nearest(app, world.Packages.Values.Select(package => package.Record.App).Distinct());
                findings.Add(new Finding($"There is no app '{app}'.{(near is null ? "" : $" Did you mean '{near}'?")}", "apps"));
            }
            else if (world.Handlings.Values.FirstOrDefault(other => other.Slug != slug && other.Apps.Contains(app)) is { } other)
            {
                findings.Add(new Finding($"{app} is handled by '{other.Slug}' already; take it out there first.", "apps"));
            }
            else
            {
                findings.AddRange(Refused(world, app, values));
            }
        }

        var known = world.Handlings.GetValueOrDefault(slug);
        return findings.Count == 0 ? new HandlingRecord(slug, string.IsNullOrWhiteSpace(request.Name) ? known?.Name ?? slug : request.Name.Trim(), values, apps, (known?.Revision ?? 0) + 1)
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
    public static HandlingConcerns Concerns(FleetWorld world, HandlingRecord? before, HandlingRecord? after)
    {
        var slug = (before ?? after)!.Slug;
        var apps = (before?.Apps ?? []).Union(after?.Apps ?? []).Order(StringComparer.Ordinal).ToList();
        var isOther = (HandlingRecord? handling) => System.Text.Json.JsonSerializer.Serialize(ForOrder(handling));
        var deployments = world.Deployments.Values
            .Where(each => each.IsActive && (each.Plan.Handling == slug || (each.Plan.Handling is null && apps.Contains(each.Plan.App))))
            .Where(each => isOther(Effective(before, each)) != isOther(Effective(after, each))).OrderBy(each => each.Id, StringComparer.Ordinal).ToList();
        var devices = deployments.SelectMany(each => each.Targets.All.Where(target => IsOpen(target.State))).Select(target => target.Device).Distinct().Count();
        var says = (deployments.Count == 0 ? "No deployment under way behaves otherwise." : $"{(deployments.Count == 1 ? "1 deployment" : $"{deployments.Count} deployments")} under way {(deployments.Count == 1 ? "behaves" : "behave")} otherwise at once, on {(devices == 1 ? "1 device that is" : $"{devices} devices that are")} still to be changed: {string.Join(", ", deployments.Take(5).Select(each => each.Plan.Name))}{(deployments.Count > 5 ? ", …" : "")}.")
            + (apps.Count == 0 ? " No app is handled so by itself; a deployment has to name it." : $" Deployments started from now on go by it for {string.Join(", ", apps.Take(10))}{(apps.Count > 10 ? $" and {apps.Count - 10} more" : "")}{(after is null ? " no longer" : "")}.")
            + (after?.Values.Settings.Count > 0 || before?.Values.Settings.Count > 0 ? " Its values of settings hold for these; what is under way keeps the values it was started with." : "");
        return new HandlingConcerns(apps, [.. deployments.Select(each => each.Id)], devices, says);

        HandlingRecord? Effective(HandlingRecord? handling, DeploymentEntry each) =>
            handling is null ? null : each.Plan.Handling == slug || (each.Plan.Handling is null && handling.Apps.Contains(each.Plan.App)) ? handling : null;
    }

    /// <summary>Keeps a handling, or lets it go, and has the devices told that it concerns.</summary>
    public static HandlingConcerns Put(WorldChange change, string slug, HandlingRecord? after)
    {
        var world = change.World;
        var before = world.Handlings.GetValueOrDefault(slug);
        var concerns = Concerns(world, before, after);
        if (after is null)
        {
            world.Handlings.Remove(slug);
            change.Keep(new DeleteHandling(slug));
            change.Audit("handling-removed", $"The handling '{slug}' was forgotten. {concerns.Says}");
        }
        else
        {
            world.Handlings[slug] = after;
            change.Keep(new PutHandling(after));
            change.Audit("handling-kept", $"The handling '{slug}' was {(before is null ? "made" : "changed")}: {after.Values.InWords}{(after.Apps.Count == 0 ? "" : $"; for {string.Join(", ", after.Apps)}")}. {concerns.Says}");
        }

        foreach (var deployment in concerns.Deployments.Select(id => world.Deployments[id]))
        {
            foreach (var target in deployment.Targets.All)
            {
                world.OrdersInDoubt(world.Devices[target.Device]);
            }
        }

        return concerns;
    }

    private static bool IsOpen(TargetState state) => state is not (TargetState.Met or TargetState.Left or TargetState.NotNeeded or TargetState.Undone or TargetState.Yielded);

    /// <summary>Values that the newest package of an app has a setting for and cannot take.</summary>
    private static IEnumerable<Finding> Refused(FleetWorld world, string app, KeptHandling values)
    {
        var newest = world.Packages.Values.Where(package => package.Record.App == app).MaxBy(package => package.Version)!;
        foreach (var setting in Documents.SettingsOf(newest.Document).Where(setting => values.Settings.ContainsKey(setting.Name)))
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

    private static string WordOf(RestartRule rule) => Handling.Restarts.First(each => each.Value == rule).Key;
}
