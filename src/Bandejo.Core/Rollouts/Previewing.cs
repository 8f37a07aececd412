using System.Security.Cryptography;
using System.Text;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Whom a deployment would reach, with all that its start needs.</summary>
/// <param name="Ask">What is asked for, as it is to be kept: by digest, for what the words named today may name something else tomorrow.</param>
/// <param name="Findings">What stands against it, and what a person should read.</param>
/// <param name="Reached">How many devices would get an order, or have already what it asks for.</param>
/// <param name="Effects">How many by effect, most first.</param>
/// <param name="Out">Devices of the groups that are not reached, by reason.</param>
/// <param name="Spread">Reached devices by kind and model.</param>
/// <param name="Foreseen">Where each device that it reaches would stand.</param>
/// <param name="Handling">The kept handling that it goes by; null for none.</param>
public sealed record Outlook(
    DeploymentAsk Ask, DeploymentPlan Plan, PackageEntry Package, IReadOnlyList<Finding> Findings, int Reached, IReadOnlyList<WaveOutlook> Waves,
    IReadOnlyList<(Effect Effect, int Count)> Effects, IReadOnlyList<Outsiders> Out,
    IReadOnlyList<(string Kind, int Count)> Spread, IReadOnlyList<Foreseen> Foreseen, HandlingRecord? Handling)
{
    /// <summary>When the devices that it would change may start; nothing where no calendar rules them.</summary>
    public IReadOnlyList<HoursAhead> Hours { get; init; } = [];

    /// <summary>Nothing stands against it.</summary>
    public bool CanStart => Findings.All(finding => finding.IsWarning);
}

/// <summary>Whom a wave would take.</summary>
/// <param name="Devices">How many it picks.</param>
/// <param name="Counted">How many of them its gate would count.</param>
/// <param name="Arithmetic">What the gate comes to, in words; null where that says nothing.</param>
/// <param name="Sample">A few of their names.</param>
public sealed record WaveOutlook(Wave Wave, int Devices, int Counted, string? Arithmetic, IReadOnlyList<string> Sample);

/// <summary>Works out whom a deployment would reach, who not and why, before anything is saved. Starting goes through the same code.</summary>
public static class Previewing
{
    private const int SampleSize = 8;
    private const int MostKinds = 20;

    /// <summary>An ask with the short names of what it names in other ways.</summary>
    private static Outcome<DeploymentAsk> WithNames(FleetWorld world, DeploymentAsk ask)
    {
        var slugs = Slugs(world, ask.Groups.Concat(ask.Except));
        if (!slugs.Ok)
        {
            return slugs.Failure!;
        }

        ask = ask with { Groups = [.. ask.Groups.Select(group => slugs.Value[group])], Except = [.. ask.Except.Select(group => slugs.Value[group])] };
        var calendars = Site.Calendars.Slugs(world, ask.Calendars);
        if (!calendars.Ok)
        {
            return calendars.Failure!;
        }

        ask = ask with { Calendars = calendars.Value };
        if (ask.Handling is null or DeploymentPlan.NoHandling)
        {
            return ask;
        }

        var handling = Named.Handling(world, ask.Handling);
        return handling.Ok ? ask with { Handling = handling.Value.Slug } : handling.Failure!;
    }

    private static Outcome<Dictionary<string, string>> Slugs(FleetWorld world, IEnumerable<string> named)
    {
        var slugs = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var each in named.Distinct())
        {
            var group = Named.Group(world, each);
            if (!group.Ok)
            {
                return group.Failure!;
            }

            slugs[each] = group.Value.Record.Slug;
        }

        return slugs;
    }

    /// <summary>Looks at all devices as the start would.</summary>
    /// <param name="id">The identity that it would have.</param>
    /// <param name="write">Writes an ask down, to be drawn by.</param>
    public static Outcome<Outlook> Prepare(FleetWorld world, DeploymentAsk ask, string id, Func<DeploymentAsk, string> write)
    {
        var found = Named.Package(world, ask.Package);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var package = found.Value;
        var named = WithNames(world, ask);
        if (!named.Ok)
        {
            return named.Failure!;
        }

        ask = named.Value;
        ask = ask with { Package = package.Digest, Salt = ask.Salt ?? SaltOf(ask, package, write) };
        var handling = world.HandlingOf(package.Record.App, ask.Handling);
        var read = Planning.Read(ask, id, package, handling?.Values);
        if (!read.Ok)
        {
            return read.Failure!;
        }

        var plan = read.Value;
        var picked = Slugs(world, plan.Waves.Select(wave => wave.Pick.Group).OfType<string>());
        if (!picked.Ok)
        {
            return picked.Failure!;
        }

        plan = plan with { Waves = [.. plan.Waves.Select(wave => wave.Pick.Group is { } group
            ? wave with { Pick = wave.Pick with { Group = picked.Value[group] } }
            : wave)] };

        var findings = new List<Finding>();
        CheckPackage(world, plan, package, findings);
        CheckTimes(world, plan, findings);
        var outs = new Dictionary<string, List<string>>(StringComparer.Ordinal);
        Exclusions(world, plan, outs);
        foreach (var row in plan.Groups.Aggregate(new Bitmap(), (rows, slug) => rows.Or(world.Groups[slug].In)).And(world.Unsorted).Rows())
        {
            Out(outs, "Unsorted: nobody has put it into a listed group yet", world.Devices.At(row).Name);
        }

        var inReach = Weighing.Reach(world, plan.Groups, plan.Except).Rows().Select(row => world.Devices.At(row)).ToList();
        var waves = WavePicks.Assign(
            [.. inReach.Select(device => device.Id)], [.. plan.Waves.Select(wave => wave.Pick)], (group, device) => world.IsIn(group, world.Devices[device]),
            plan.Salt);
        var foreseen = Foreseen.Of(world, plan, package, inReach, waves);
        foreach (var alike in foreseen.Where(each => !each.IsReached).GroupBy(each => (each.Event, each.WhyNot)))
        {
            var why = alike.First().SaysWhyNot;
            foreach (var each in alike)
            {
                Out(outs, why, each.Device.Name);
            }
        }

        foreach (var group in world.Groups.Where(pair => plan.Groups.Contains(pair.Key)))
        {
            foreach (var row in group.Value.NotKnown.Rows())
            {
                Out(outs, $"Not known yet whether it is in '{group.Key}'", world.Devices.At(row).Name);
            }
        }

        var reached = foreseen.Where(each => each.IsReached).Select(each => each.Device).ToList();
        var fitting = foreseen.Where(each => each.Fits).Select(each => each.Device).ToList();
        Contests(world, plan, fitting, findings);
        findings.AddRange(plan.Wish == Wish.Gone ? [] : Needing.Findings(world, package, fitting));
        if (plan.Wish != Wish.Gone && Needing.Circle(world, package.Record.App, package.Needs) is { } circle)
        {
            findings.Add(new Finding(circle, "package"));
        }

        var previews = WaveOutlooks(plan, foreseen, findings);
        var unpicked = inReach.Where((_, at) => waves[at] < 0).ToList();
        if (unpicked.Count > 0)
        {
            findings.Add(new Finding(
                $"{unpicked.Count} of {inReach.Count} devices {(unpicked.Count == 1 ? "is" : "are")} picked by no wave "
                    + $"({string.Join(", ", unpicked.Take(3).Select(device => device.Name))}{(unpicked.Count > 3 ? ", …" : "")}). Add a last wave 'everyone "
                        + $"else', or leave them out with an excluded group.",
                "waves"));
        }

        if (reached.Count == 0)
        {
            findings.Add(
                new Finding(
                    inReach.Count switch
                    {
                        0 => "No device is in the groups.", 1 => "The one device in the groups would not be reached as it is now.",
                        _ => $"None of the {inReach.Count} devices in the groups would be reached as they are now.",
                    },
                    "groups") { IsWarning = inReach.Count > 0 });
        }

        var changed = foreseen.Where(each => each.Effect is Effect.Enter or Effect.Upgrade or Effect.Downgrade or Effect.Leave or Effect.NotKnown)
            .OrderBy(each => each.Wave).Select(each => (each.Device, each.Stand.Variant)).ToList();
        var inWave = Deadlines.AreOfWaves(plan) ? foreseen.ToDictionary(each => each.Device.Id, each => each.Wave) : [];
        var opened = Deadlines.AreOfWaves(plan) ? DeploymentState.Start(plan, "", world.Now) : null;
        opened = opened is null ? null : opened with { Waves = [.. opened.Waves.Select(wave => wave with { OpenedAt = world.Now })] };
        findings.AddRange(RestartsAhead.Findings(plan, package, handling?.Values, foreseen));
        findings.AddRange(HoursAhead.Findings(world, plan, changed, DeadlineOf));
        findings.AddRange(LeasesAhead.Findings(world, plan, changed));
        findings.AddRange(Waking.Findings(world, plan, changed.Select(each => each.Device)));
        return new Outlook(
            ask with { Name = plan.Name }, plan, package, findings, reached.Count, previews,
            [.. foreseen.Where(each => each.IsReached).GroupBy(each => each.Effect!.Value).OrderByDescending(group => group.Count()).Select(group => (
                group.Key, group.Count()))],
            [.. outs.OrderByDescending(pair => pair.Value.Count).Select(pair => new Outsiders(pair.Key, pair.Value.Count, [.. pair.Value.Take(SampleSize)]))],
            Spread(world, reached), foreseen, handling) { Hours = HoursAhead.Of(world, plan, changed, DeadlineOf) };

        // As if each wave opened now, which is the earliest.
        DateTimeOffset? DeadlineOf(DeviceEntry device) => opened is null ? plan.Deadline : Deadlines.Of(
            plan, opened, inWave.GetValueOrDefault(device.Id, -1), Lateness.ClocksOf(world, device));
    }

    /// <summary>What counts and shares are drawn by: the same ask draws the same devices, whoever asks and whenever.</summary>
    private static string SaltOf(DeploymentAsk ask, PackageEntry package, Func<DeploymentAsk, string> write)
    {
        var drawn = new DeploymentAsk
        {
            Package = package.Digest, Groups = [.. ask.Groups.Order(StringComparer.Ordinal)], Waves = ask.Waves, Wish = ask.Wish,
            Except = [.. ask.Except.Order(StringComparer.Ordinal)],
        };
        return Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(write(drawn))))[..16];
    }

    private static void CheckTimes(FleetWorld world, DeploymentPlan plan, List<Finding> findings)
    {
        if (plan.Deadline <= world.Now)
        {
            findings.Add(new Finding(
                $"The deadline was {Units.FormatDuration(world.Now - plan.Deadline.Value)} ago: every device would be late at once.", "deadline"));
        }

        for (var i = 0; i < plan.Waves.Count; i++)
        {
            var opensAt = plan.Waves[i].NotBefore(world.Now);
            if (plan.Waves[i].Deadline?.At(null, null) is { } due && due <= world.Now)
            {
                findings.Add(new Finding(
                    $"The deadline of wave '{plan.Waves[i].Name}' was {Units.FormatDuration(world.Now - due)} ago: its devices would be late at once.",
                    $"waves[{i}].deadline"));
            }

            if (opensAt == DateTimeOffset.MaxValue)
            {
                findings.Add(new Finding($"Wave '{plan.Waves[i].Name}' never opens: its hours ({plan.Waves[i].Hours}) are over.", $"waves[{i}].hours"));
            }
            else if (opensAt is { } opens && (plan.Waves[i].Deadline is { } own ? own.At(opens, null) : plan.Deadline) is { } deadline && opens >= deadline)
            {
                findings.Add(
                    new Finding(
                        $"Wave '{plan.Waves[i].Name}' opens "
                            + $"{(opens == deadline ? "at" : $"{Units.FormatDuration(opens - deadline)} after")} the deadline: its devices "
                                + $"are late before they may start.",
                        $"waves[{i}].opensAt") { IsWarning = true });
            }
        }
    }

    private static void CheckPackage(FleetWorld world, DeploymentPlan plan, PackageEntry package, List<Finding> findings)
    {
        var state = package.Record.State;
        if (package.IsLetGo)
        {
            findings.Add(new Finding(
                $"{package.Title} was let go; its files are not kept any more. Build or import it again, and it can be deployed again.", "package"));
        }

        if (state == PackageState.Withdrawn && plan.Wish != Wish.Gone)
        {
            findings.Add(new Finding($"{package.Title} was withdrawn; it can only be taken away (wish 'gone').", "package"));
        }
        else if (state is PackageState.Built or PackageState.Tried && plan.Wish != Wish.Gone)
        {
            var others = plan.Groups.Where(slug => !world.Groups[slug].Record.IsForTesting).ToList();
            findings.Add(others.Count > 0
                ? new Finding(
                    $"{package.Title} is not released; it reaches only groups marked for testing, and {string.Join(", ", others)} "
                        + $"{(others.Count == 1 ? "is" : "are")} not. Release it first.",
                    "package")
                : new Finding($"{package.Title} is not released; the groups are marked for testing.", "package") { IsWarning = true });
        }

        if (plan.Settings.Count > 0 && package.Variants.Any(variant => !variant.CanChange))
        {
            findings.Add(
                new Finding(
                    $"The package has a variant without a 'change' step: a device that has {plan.Version} already keeps the settings it has, and counts as "
                        + $"met.",
                    "settings") { IsWarning = true });
        }

        if (plan.Wish == Wish.Gone && package.Variants.Any(variant => !variant.CanRemove))
        {
            findings.Add(new Finding($"{package.Title} has a variant without a 'remove' step; it cannot be taken away with it.", "package"));
        }

        if (plan.Wish != Wish.Gone && package.Variants.Any(variant => !variant.CanRemove))
        {
            findings.Add(
                new Finding(
                    "The package has a variant without a 'remove' step: devices that had nothing before cannot be rolled back.",
                    "package") { IsWarning = true });
        }
    }

    private static void Exclusions(FleetWorld world, DeploymentPlan plan, Dictionary<string, List<string>> outs)
    {
        var all = Weighing.Reach(world, plan.Groups, []);
        foreach (var slug in plan.Except)
        {
            foreach (var row in world.Groups[slug].In.Copy().And(all).Rows())
            {
                Out(outs, $"Left out by '{slug}'", world.Devices.At(row).Name);
            }

            foreach (var row in world.Groups[slug].NotKnown.Copy().And(all).Rows())
            {
                Out(outs, $"Not known yet whether '{slug}' leaves it out, so it does", world.Devices.At(row).Name);
            }
        }
    }

    private static void Contests(FleetWorld world, DeploymentPlan plan, IReadOnlyList<DeviceEntry> reached, List<Finding> findings)
    {
        foreach (var other in world.Active.Where(
            each =>
                each.Plan.App == plan.App && (each.Plan.Wish == Wish.Gone) != (plan.Wish == Wish.Gone) && each.Plan.Priority == plan.Priority
                    && Acting.WhyOver(each) is null))
        {
            var both = reached.Where(device => other.Targets.Of(device) is { } target && target.State.Has(TargetTrait.Meant)).Select(device => device.Name)
                .ToList();
            if (both.Count > 0)
            {
                findings.Add(new Finding(
                    $"'{other.Plan.Name}' wants the opposite of {both.Count} of these devices ({string.Join(", ", both.Take(3))}"
                        + $"{(both.Count > 3 ? ", …" : "")}). End it, exclude them, or give one of the two a higher priority.",
                    "priority"));
            }
        }
    }

    private static List<WaveOutlook> WaveOutlooks(DeploymentPlan plan, IReadOnlyList<Foreseen> foreseen, List<Finding> findings)
    {
        var previews = new List<WaveOutlook>();
        for (var i = 0; i < plan.Waves.Count; i++)
        {
            var wave = plan.Waves[i];
            var all = foreseen.Where(each => each.Wave == i).ToList();
            var counted = all.Count(each => each.IsCounted(wave.Gate));
            var reachable = all.Count(each => each.CanBeMet(wave.Gate));
            var where = $"waves[{i}].gate";
            if (wave.Gate?.Count > all.Count)
            {
                findings.Add(new Finding($"The gate behind '{wave.Name}' asks for {wave.Gate.Count} met, but the wave has only {all.Count}.", where));
            }
            else if (all.Count == 0)
            {
                findings.Add(new Finding($"Wave '{wave.Name}' picks no device; somebody will have to advance it.", $"waves[{i}].pick") { IsWarning = true });
            }
            else if (wave.Gate is { } gate && plan.Wish == Wish.Choice)
            {
                findings.Add(
                    new Finding(
                        $"The gate behind '{wave.Name}' counts only those who took it from the shelf; until somebody does, it does not pass by itself.",
                        where) { IsWarning = true });
            }
            else if (wave.Gate is not null && counted == 0)
            {
                findings.Add(
                    new Finding(
                        $"Nobody in wave '{wave.Name}' counts for its gate as things are: {WhyNot(all.Where(each => !each.IsCounted(wave.Gate)))}. "
                            + $"Somebody will have to advance it.",
                        where) { IsWarning = true });
            }
            else if (wave.Gate is { } asks && asks.Needed(counted) > reachable)
            {
                findings.Add(
                    new Finding(
                        $"The gate behind '{wave.Name}' needs {asks.Needed(counted)} of {counted} met, and as things are only {reachable} can be: "
                            + $"{WhyNot(all.Where(each => each.IsCounted(asks) && !each.CanBeMet(asks)))}.",
                        where) { IsWarning = true });
            }

            var names = all.Select(each => each.Device.Name).Order(StringComparer.Ordinal);
            previews.Add(new WaveOutlook(
                wave, all.Count, counted, wave.Gate is null || plan.Wish == Wish.Choice ? null : Sentences.Arithmetic(wave.Gate, counted),
                [.. names.Take(SampleSize)]));
        }

        return previews;
    }

    private static string WhyNot(IEnumerable<Foreseen> each) =>
        string.Join("; ", each.GroupBy(one => one.SaysWhyNot).OrderByDescending(group => group.Count()).Take(3).Select(
            group => $"{group.Count()} × {char.ToLowerInvariant(group.Key[0])}{group.Key[1..]}"));

    private static List<(string Kind, int Count)> Spread(FleetWorld world, IEnumerable<DeviceEntry> reached)
    {
        var (kind, model) = (new FactRef("kind", false), new FactRef("model", false));
        return [
            .. reached.CountBy(device => (world.Columns.Get(device.Row, kind).Value, world.Columns.Get(device.Row, model).Value))
                .OrderByDescending(pair => pair.Value).Take(MostKinds)
            .Select(pair => ($"{pair.Key.Item1?.ToString() ?? "kind not known"}, {pair.Key.Item2?.ToString() ?? "model not known"}", pair.Value))];
    }

    private static void Out(Dictionary<string, List<string>> outs, string reason, string device)
    {
        if (!outs.TryGetValue(reason, out var list))
        {
            outs[reason] = list = [];
        }

        if (list.Count == 0 || list[^1] != device)
        {
            list.Add(device);
        }
    }
}
