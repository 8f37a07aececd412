using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Calendars;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Calendars;

/// <summary>What is ahead: as data, and as a feed for calendars of people's own.</summary>
internal static class AheadRoutes
{
    private const string DayForm = "yyyy-MM-dd";
    private const int UsualAhead = 42;
    private const int FeedAhead = 60;

    public static void MapAhead(this RouteGroupBuilder api)
    {
        api.MapGet("/ahead", (WorldHost world, string? day = null, int ahead = UsualAhead) => world.Read(each => Coming(each, day, ahead)).Answer())
            .ForAll().WithName("listAhead").WithSummary("What is ahead: windows, freezes, deadlines, waves and gates").Produces<AheadInfo>();
        api.MapGet(
            Authentication.Feed[Authentication.FeedPrefix.Length..], (WorldHost world, string? token = null) => world.Read(each => Results.Text(FeedFile.Write(
                "Bandejo", Ahead.Of(each, Today(each), Today(each).AddDays(FeedAhead)).Select(entry => new FeedEntry(
                    entry.Id, entry.Kind switch { AheadKind.Freeze => $"Freeze: {entry.Name}", AheadKind.Window => $"Window: {entry.Name}", _ => entry.Name },
                    $"{entry.Devices} device{(entry.Devices == 1 ? "" : "s")}", entry.Occasion, entry.At)), each.Now), CalendarRoutes.FileType)))
            .ForAll().WithName("getFeed").WithSummary("The same as a feed (RFC 5545) for a calendar of one's own; takes the token as a query, too")
            .Produces<string>(200, "text/calendar");
    }

    private static DateOnly Today(FleetWorld world) => DateOnly.FromDateTime(world.Now.UtcDateTime);

    private static Outcome<AheadInfo> Coming(FleetWorld world, string? from, int days)
    {
        var first = Today(world);
        if (from is not null && !DateOnly.TryParseExact(from, DayForm, CultureInfo.InvariantCulture, DateTimeStyles.None, out first))
        {
            return new Failure(ErrorKind.Invalid, $"'{from}' is not a day such as 2026-12-01.");
        }

        if (days is < 1 or > Ahead.MostDays || Math.Abs(first.DayNumber - Today(world).DayNumber) > CalendarEntry.Ahead)
        {
            return new Failure(
                ErrorKind.Invalid, $"What is ahead is asked for 1 to {Ahead.MostDays} days, not further than {CalendarEntry.Ahead} days from today.");
        }

        return new AheadInfo(first.ToString(DayForm, CultureInfo.InvariantCulture), days, [.. Ahead.Of(world, first, first.AddDays(days)).Select(Info)]);
    }

    private static AheadEntryInfo Info(AheadEntry entry)
    {
        var time = entry.Occasion is { } occasion ? CalendarRoutes.Time(occasion) : null;
        return new AheadEntryInfo(
            StateNames.Hyphenate(entry.Kind.ToString()), entry.Name,
            time?.From ?? entry.At!.Value.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
            time?.To, time?.Zone, entry.Calendar?.Record.Slug, entry.Deployment?.Id, entry.Devices);
    }
}
