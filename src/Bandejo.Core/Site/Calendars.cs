using Bandejo.Core.Calendars;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>What is asked of a calendar: its times in words or as a file.</summary>
/// <param name="Name">For people; null keeps the one it has.</param>
/// <param name="IsFreeze">Null keeps what it is; a new one is a window then.</param>
/// <param name="When">Its times in words (<see cref="SlotWords"/>); null where they come as a file, or stay.</param>
/// <param name="Zone">The zone of the words; null for the clocks of each device.</param>
/// <param name="Text">Its times as a file (RFC 5545); null where they come in words, or stay.</param>
public sealed record CalendarAsk(string? Name, bool? IsFreeze, string? When, string? Zone, string? Text);

/// <summary>Makes calendars, changes them, and says which groups they rule.</summary>
public static class Calendars
{
    private const int LongestSlug = 64;
    private const int LongestName = 100;
    private const int Most = 1000;

    /// <summary>Makes a calendar, or changes it.</summary>
    public static Outcome<CalendarEntry> Keep(Decision decision, RevisionCheck seen, string slug, CalendarAsk ask)
    {
        var world = decision.World;
        if (slug.Length is 0 or > LongestSlug || FactCatalog.Slug(slug) != slug)
        {
            return new Failure(ErrorKind.Invalid, $"A calendar's short name is lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(slug)}'.");
        }

        var known = world.Calendars.GetValueOrDefault(slug);
        if (known is not null && seen(known.Record.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        if (known is null && world.Calendars.Count >= Most)
        {
            return new Failure(ErrorKind.TooMuch, $"There are {Most} calendars already; remove one that rules nothing.");
        }

        var name = string.IsNullOrWhiteSpace(ask.Name) ? known?.Record.Name ?? slug : ask.Name.Trim();
        if (name.Length > LongestName || name.Any(char.IsControl))
        {
            return new Failure(ErrorKind.Invalid, $"A calendar's name is one line of at most {LongestName} letters.");
        }

        var file = Read(ask, name, known, decision.Now);
        if (!file.Ok)
        {
            return file.Failure!;
        }

        var isFreeze = ask.IsFreeze ?? known?.Record.IsFreeze ?? false;
        var record = new CalendarRecord(slug, name, isFreeze, file.Value.Text, (known?.Record.Revision ?? 0) + 1);
        decision.Do(new PutCalendar(record));
        var entry = world.Calendars[slug];
        decision.Audit(
            known is null ? "calendar-made" : "calendar-changed",
            $"The {(isFreeze ? "freeze" : "window")} '{slug}' was {(known is null ? "made" : "changed")}: {CalendarWords.Says(isFreeze, file.Value)}.");
        WeighRuled(decision, slug);
        return entry;
    }

    /// <summary>The times that are asked for, as a file; nothing is changed.</summary>
    public static Outcome<CalendarFile> Read(CalendarAsk ask, string name, CalendarEntry? known, DateTimeOffset now)
    {
        if (ask.When is not null && ask.Text is not null)
        {
            return new Failure(ErrorKind.Invalid, "A calendar's times come in words or as a file, not both.");
        }

        if (ask.Text is { } text)
        {
            if (ask.Zone is not null)
            {
                return new Failure(ErrorKind.Invalid, "A calendar file says itself in which time zone its times are.");
            }

            var read = CalendarFile.Read(text);
            return read.Ok && Laid(read.Value) is { } bad ? bad : read;
        }

        if (ask.When is not { } when)
        {
            return known is null ? new Failure(ErrorKind.Invalid, $"A calendar needs its times, such as {SlotWords.Examples}.")
                : ask.Zone is null ? known.Contents
                : new Failure(ErrorKind.Invalid, "Say the times together with their time zone.");
        }

        var zone = ask.Zone is null ? null : Zones.Known(ask.Zone);
        if (ask.Zone is not null && zone is null)
        {
            return new Failure(
                ErrorKind.Invalid,
                $"There is no time zone '{ask.Zone}'{(Zones.Near(ask.Zone) is { } near ? $"; did you mean '{near}'?" : "; names such as Europe/Lisbon are.")}");
        }

        var slots = SlotWords.Parse(when);
        if (!slots.Ok)
        {
            return slots.Failure!;
        }

        var file = CalendarFile.Of(name, slots.Value, zone, DateOnly.FromDateTime(now.UtcDateTime).AddDays(-8));
        return Laid(file) is { } problem ? problem : file;

        // Whatever comes must be one that can be laid out for as long as it is looked ahead.
        Failure? Laid(CalendarFile each)
        {
            var from = DateOnly.FromDateTime(now.UtcDateTime);
            return each.Occasions(from, from.AddDays(CalendarEntry.Ahead)).Failure;
        }
    }

    public static Outcome<bool> Remove(Decision decision, RevisionCheck seen, string slug)
    {
        var world = decision.World;
        var found = Named.Calendar(world, slug, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        slug = found.Value.Record.Slug;
        if (seen(found.Value.Record.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        if (world.Groups.Values.FirstOrDefault(group => group.Calendars.Contains(slug)) is { } group)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' rules the group '{group.Record.Slug}'; take it away from there first.");
        }

        if (world.Active.FirstOrDefault(each => each.Plan.Calendars.Contains(slug)) is { } user)
        {
            return new Failure(ErrorKind.Conflict, $"'{slug}' is used by the deployment '{user.Plan.Name}'; end that first.");
        }

        decision.Do(new DeleteCalendar(slug));
        decision.Audit("calendar-removed", $"The calendar '{slug}' was removed.");
        return true;
    }

    /// <summary>Says which calendars rule the devices of a group.</summary>
    /// <param name="calendars">By name or short name; none takes all away.</param>
    public static Outcome<GroupEntry> Rule(Decision decision, RevisionCheck seen, string group, IReadOnlyList<string> calendars)
    {
        var world = decision.World;
        var found = Named.Group(world, group);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (seen(found.Value.Record.Revision, must: true) is { } unseen)
        {
            return unseen;
        }

        var slugs = Slugs(world, calendars);
        if (!slugs.Ok)
        {
            return slugs.Failure!;
        }

        var record = found.Value.Record;
        var written = string.Join(' ', slugs.Value);
        if (record.Calendars == written)
        {
            return found.Value;
        }

        decision.Do(new PutGroup(record with { Calendars = written, Revision = record.Revision + 1 }));
        var entry = world.Groups[record.Slug];
        decision.Audit(
            "group-calendars",
            slugs.Value.Count == 0
                ? $"No calendar rules the group '{record.Slug}' any more."
                : $"The group '{record.Slug}' is ruled by {string.Join(", ", slugs.Value.Select(slug => $"'{slug}'"))}.");
        WeighRows(decision, entry.In);
        return entry;
    }

    /// <summary>The short names of calendars that are named, each once and in order.</summary>
    internal static Outcome<IReadOnlyList<string>> Slugs(FleetWorld world, IReadOnlyList<string> named)
    {
        var slugs = new SortedSet<string>(StringComparer.Ordinal);
        foreach (var name in named)
        {
            var calendar = Named.Calendar(world, name);
            if (!calendar.Ok)
            {
                return calendar.Failure!;
            }

            slugs.Add(calendar.Value.Record.Slug);
        }

        return slugs.Count <= Timetables.MostOfADevice
            ? slugs.ToList()
            : new Failure(ErrorKind.TooMuch, $"At most {Timetables.MostOfADevice} calendars rule a group or a deployment, not {slugs.Count}.");
    }

    /// <summary>The devices that a calendar rules through their groups.</summary>
    public static Bitmap Ruled(FleetWorld world, string slug) =>
        world.Groups.Values.Where(group => group.Calendars.Contains(slug)).Aggregate(new Bitmap(world.Columns.Rows), (rows, group) => rows.Or(group.In));

    private static void WeighRuled(Decision decision, string slug)
    {
        var ruled = Ruled(decision.World, slug);
        foreach (var deployment in decision.World.Active.ToList())
        {
            var all = deployment.Plan.Calendars.Contains(slug);
            Weighing.WeighRows(decision, deployment, all ? deployment.Targets.AllRows() : deployment.Targets.AllRows().And(ruled));
        }
    }

    /// <summary>Weighs devices under all deployments: other calendars rule them.</summary>
    internal static void WeighRows(Decision decision, Bitmap rows)
    {
        foreach (var deployment in decision.World.Active.ToList())
        {
            Weighing.WeighRows(decision, deployment, deployment.Targets.AllRows().And(rows));
        }
    }
}
