using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Calendars;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Groups;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Calendars;

/// <summary>Calendars: when devices may be changed, and when nothing starts.</summary>
internal static class CalendarRoutes
{
    private const string Window = "window";
    private const string Freeze = "freeze";
    internal const string FileType = "text/calendar; charset=utf-8";
    private const int MostNext = 10;

    public static void MapCalendars(this RouteGroupBuilder api)
    {
        api.MapGet("/calendars", (WorldHost world) => Results.Ok(world.Read(each => (IReadOnlyList<CalendarInfo>)[
            .. each.Calendars.Values.Select(calendar => Info(each, calendar))])))
            .ForAll().WithName("listCalendars").WithSummary("All calendars").Produces<IReadOnlyList<CalendarInfo>>();
        api.MapGet("/calendars/{slug}", (WorldHost world, HttpContext context, string slug) =>
            world.Read(each => Named.Calendar(each, slug) is { Ok: true } found ? Outcome.Of(Info(each, found.Value)) : Named.Calendar(each, slug).Failure!)
                .Answer(calendar => context.WithRevision(calendar, calendar.Revision)))
            .ForAll().WithName("getCalendar").Revised().WithSummary("One calendar").Produces<CalendarInfo>();
        api.MapGet("/calendars/{slug}/file", (WorldHost world, string slug) => world.Read(each => Named.Calendar(each, slug)).Answer(
            calendar => Results.Text(calendar.Record.Text, FileType)))
            .ForAll().WithName("getCalendarFile").WithSummary("A calendar as an iCalendar file (RFC 5545)").Produces<string>(200, "text/calendar");
        api.MapPost("/calendars/check", (WorldHost world, CalendarRequest request) => world.Read(each => Check(each, request)).Answer())
            .ForAll().WithName("checkCalendar").WithSummary("What times in words or a file come to; changes nothing").Produces<CalendarInfo>();
        api.MapPut("/calendars/{slug}", async (WorldHost world, HttpContext context, string slug, CalendarRequest request) =>
            (await world.Change(context.Person(), decision =>
            {
                var ask = Ask(request);
                var kept = ask.Ok ? Core.Site.Calendars.Keep(decision, context.Unmatched, slug, ask.Value) : ask.Failure!;
                return kept.Ok ? Outcome.Of(Info(decision.World, kept.Value)) : kept.Failure!;
            })).Answer(calendar => context.WithRevision(calendar, calendar.Revision)))
            .For(Roles.Operator).WithName("putCalendar").Revised().WithSummary("Keeps a calendar; changing one needs If-Match").Produces<CalendarInfo>();
        api.MapDelete("/calendars/{slug}", async (WorldHost world, HttpContext context, string slug) =>
            (await world.Change(context.Person(), decision => Core.Site.Calendars.Remove(decision, context.Unmatched, slug)))
                .Answer(_ => Results.NoContent()))
            .For(Roles.Operator).WithName("removeCalendar").Revised().WithSummary("Removes a calendar that rules nothing; needs If-Match").Produces(204);
        api.MapGet("/devices/{id}/openings", (WorldHost world, string id) => world.Read(each => Openings(each, id)).Answer())
            .ForAll().WithName("getDeviceOpenings").WithSummary("When a device may be changed, by the calendars of its groups").Produces<DeviceOpenings>();
        api.MapPut("/groups/{slug}/calendars", async (WorldHost world, HttpContext context, string slug, GroupCalendarsRequest request) =>
            (await world.Change(context.Person(), decision =>
            {
                var group = Core.Site.Calendars.Rule(decision, context.Unmatched, slug, request.Calendars);
                return group.Ok ? Outcome.Of(group.Value.Info()) : group.Failure!;
            })).Answer(group => context.WithRevision(group, group.Revision)))
            .For(Roles.Operator).WithName("putGroupCalendars").Revised().WithSummary("Which calendars rule the devices of a group; needs If-Match")
            .Produces<GroupInfo>();
    }

    private static Outcome<DeviceOpenings> Openings(FleetWorld world, string named)
    {
        var found = Named.Device(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var device = found.Value;
        var zone = world.Fact(device, "zone");
        var calendars = Timetables.OfGroups(world, device);
        if (world.TimetableOf(device, null) is not { } table)
        {
            return new DeviceOpenings(
                zone, calendars,
                zone is null ? "It is not known yet in which time zone its clocks are." : $"The time zone '{zone}' that it names is not known.",
                false, null, []);
        }

        var says = table.At(world.Now);
        return new DeviceOpenings(
            zone, calendars, $"{says}.", says.IsOpen, says.Until,
            calendars.Count == 0 ? [] : [.. table.Open.Where(span => span.To > world.Now).Take(MostNext).Select(span => new OpeningInfo(span.From, span.To))]);
    }

    private static Outcome<CalendarAsk> Ask(CalendarRequest request) => request.Kind is null or Window or Freeze
        ? new CalendarAsk(request.Name, request.Kind is null ? null : request.Kind == Freeze, request.When, request.Zone, request.File)
        : new Failure(ErrorKind.Invalid, $"A calendar is a '{Window}' or a '{Freeze}', not '{request.Kind}'.");

    private static Outcome<CalendarInfo> Check(FleetWorld world, CalendarRequest request)
    {
        var ask = Ask(request);
        if (!ask.Ok)
        {
            return ask.Failure!;
        }

        var file = Core.Site.Calendars.Read(ask.Value, request.Name ?? "", null, world.Now);
        return file.Ok ? Info(world, "", request.Name ?? "", ask.Value.IsFreeze == true, 0, file.Value) : file.Failure!;
    }

    private static CalendarInfo Info(FleetWorld world, CalendarEntry calendar)
    {
        var record = calendar.Record;
        return calendar.Contents.Ok
            ? Info(world, record.Slug, record.Name, record.IsFreeze, record.Revision, calendar.Contents.Value)
            : new CalendarInfo(
                record.Slug, record.Name, record.IsFreeze ? Freeze : Window,
                $"Cannot be read by this version of the program, so nothing starts by it: {calendar.Contents.Failure!.Message}", null, null, [], [], [], 0,
                record.Revision);
    }

    private static CalendarInfo Info(FleetWorld world, string slug, string name, bool isFreeze, int revision, CalendarFile file)
    {
        var today = DateOnly.FromDateTime(world.Now.UtcDateTime);
        var times = file.Occasions(today.AddDays(-1), today.AddDays(CalendarEntry.Ahead));
        var zones = file.Slots().Select(each => each.Zone).Distinct().ToList();
        return new CalendarInfo(
            slug, name, isFreeze ? Freeze : Window, CalendarWords.Says(isFreeze, file) + ".", CalendarWords.Written(file), zones is [var zone] ? zone : null,
            [.. (times.Ok ? times.Value : []).Where(each => IsAhead(each, world.Now)).Take(MostNext).Select(Time)],
            [.. world.Groups.Values.Where(group => group.Calendars.Contains(slug)).Select(group => group.Record.Slug)],
            [.. world.Active.Where(each => each.Plan.Calendars.Contains(slug)).Select(each => each.Plan.Name)],
            Core.Site.Calendars.Ruled(world, slug).Count(), revision);
    }

    // By clocks that may hang anywhere it is over a day later at the latest.
    private static bool IsAhead(Occasion each, DateTimeOffset now) => each.Zone is { } zone
        ? each.Span.At(Zones.Of(zone)!).To > now
        : (each.Span.To ?? each.Span.From + each.Span.Lasts) > now.UtcDateTime;

    internal static CalendarTime Time(Occasion each) => new(
        Text(each.Span.From), Text(each.Span.To ?? each.Span.From + each.Span.Lasts), each.Zone);

    private static string Text(DateTime time) => time.ToString("yyyy-MM-dd'T'HH:mm:ss", CultureInfo.InvariantCulture);
}
