using System.CommandLine;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo calendar</c>, and <c>bandejo group calendar</c></summary>
internal static class CalendarCommands
{
    private const int MostFile = 1024 * 1024;

    private static readonly Argument<string> Calendar = new("calendar") { Description = "Its short name" };
    private static readonly Argument<string> Group = new("group") { Description = "The group's short name" };
    private static readonly Option<string?> When = new("--when")
    {
        Description = "Its times: 'Fri 20:00-23:00', 'third Saturday 22:00 for 6h', '2026-12-20 to 2027-01-03'; a semicolon between several",
    };
    private static readonly Option<string?> Zone = new("--zone") { Description = "The time zone of the times, such as Europe/Lisbon [each device's own]" };
    private static readonly Option<FileInfo?> File = new("--file", "-f") { Description = "Its times as an iCalendar file, instead of words" };
    private static readonly Option<string?> Name = new("--name", "-n") { Description = "Its name for people [the short name]" };
    private static readonly Option<int> Days = new("--days") { Description = "For how many days, 1 to 100", DefaultValueFactory = _ => 14 };
    private static readonly Option<bool> Freeze = new("--freeze") { Description = "Nothing starts in its times; otherwise it is a window" };

    public static Command All() => Shared.Noun(
        "calendar", "Calendars: windows in which devices may be changed, freezes in which nothing starts", List(), Show(),
        Keep("new", "Makes a calendar; it rules nothing until a group or a deployment has it", "calendar new nights --when 'Fri 20:00-23:00'"),
        Keep("change", "Changes a calendar, for all that it rules", "calendar change nights --when 'Mon-Fri 20:00-23:00'"), Remove(), Export(),
        Ahead());

    /// <summary><c>bandejo group calendar</c></summary>
    public static Command OfGroup() => Shared.Noun(
        "calendar", "Which calendars rule the devices of a group", Attach("add", "Lets a calendar rule the devices of a group", isAdded: true),
        Attach("remove", "Takes a calendar away from a group", isAdded: false));

    private static Command List() => Shared.Table("list", "Lists the calendars", "calendar list", async (parsed, client, cancellation) =>
    {
        var calendars = await client.Get("/api/v1/calendars", ContractJson.Default.IReadOnlyListCalendarInfo, cancellation);
        var sheet = new Sheet("Calendar", "Kind", "#Devices", "Groups", "Says");
        foreach (var calendar in calendars)
        {
            sheet.Add(
                calendar.Slug, calendar.Kind, calendar.Devices.ToString(CultureInfo.InvariantCulture), string.Join(", ", calendar.Groups), calendar.Says);
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, calendars, ContractJson.Default.IReadOnlyListCalendarInfo,
            "No calendar is kept yet, so devices may be changed at any time. Make one: bandejo calendar new nights --when 'Fri 20:00-23:00'");
        return ExitCode.Done;
    });

    private static Command Ahead() => Shared.Table(
        "ahead", "What is ahead: windows, freezes, deadlines, waves and gates", "calendar ahead --days 14", async (parsed, client, cancellation) =>
        {
            var ahead = await client.Get(
                string.Create(CultureInfo.InvariantCulture, $"/api/v1/ahead?ahead={parsed.GetValue(Days)}"), ContractJson.Default.AheadInfo, cancellation);
            var sheet = new Sheet("From", "To", "Kind", "What", "#Devices", "Clocks")
            {
                Foot = ahead.Entries.Any(each => each.To is not null && each.Zone is null) ? "Without clocks named: by each device's own." : null,
            };
            foreach (var entry in ahead.Entries)
            {
                sheet.Add(
                    entry.To is null ? Say.When(DateTimeOffset.Parse(entry.From, CultureInfo.InvariantCulture)) : Wall(entry.From),
                    entry.To is null ? "" : Wall(entry.To),
                    entry.Kind, entry.Name, entry.Devices.ToString(CultureInfo.InvariantCulture), entry.Zone);
            }

            sheet.Print(
                parsed.GetValue(Shared.Output)!, ahead, ContractJson.Default.AheadInfo,
                "Nothing is ahead. Make a window: bandejo calendar new nights --when 'Fri 20:00-23:00'");
            return ExitCode.Done;
        }, Days);

    /// <summary>What clocks show, for people; for scripts as it came.</summary>
    private static string Wall(string shown) => Say.IsForScripts
        ? shown
        : DateTime.Parse(shown, CultureInfo.InvariantCulture).ToString("ddd d MMM HH:mm", CultureInfo.InvariantCulture);

    private static Command Show() => Shared.Verb("show", "Shows a calendar and its next times", "calendar show nights", async (parsed, client, cancellation) =>
    {
        var calendar = await Get(parsed.GetValue(Calendar)!, client, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(calendar, ContractJson.Default.CalendarInfo);
            return ExitCode.Done;
        }

        Say.Line($"[bold]{Markup.Escape(calendar.Name)}[/]  [dim]{calendar.Slug}, a {calendar.Kind}[/]");
        Say.Line(Markup.Escape(calendar.Says));
        Say.Line(calendar.Groups.Count + calendar.Deployments.Count == 0
            ? $"It rules nothing yet. Let it: bandejo group calendar add GROUP {calendar.Slug}"
            : $"It rules {Say.Devices(calendar.Devices)}"
                + (calendar.Groups.Count == 0 ? "" : $" in {Markup.Escape(string.Join(", ", calendar.Groups))}")
                + (calendar.Deployments.Count == 0 ? "" : $", and {Markup.Escape(string.Join(", ", calendar.Deployments.Select(each => $"'{each}'")))}") + ".");
        PrintNext(calendar);
        return ExitCode.Done;
    }, Calendar);

    private static Command Keep(string verb, string description, string example)
    {
        var isNew = verb == "new";
        return Shared.Verb(verb, description, example, async (parsed, client, cancellation) =>
        {
            var (slug, when, file) = (parsed.GetValue(Calendar)!, parsed.GetValue(When), parsed.GetValue(File));
            if (isNew && when is null && file is null)
            {
                throw new WrongUseException("Say its times: --when 'Fri 20:00-23:00', or --file nights.ics for an iCalendar file.");
            }

            var all = await client.Get("/api/v1/calendars", ContractJson.Default.IReadOnlyListCalendarInfo, cancellation);
            var there = all.FirstOrDefault(each => each.Slug == slug);
            if (isNew == there is not null)
            {
                throw new WrongUseException(isNew
                    ? $"There is a calendar '{slug}' already. Change it: bandejo calendar change {slug} …"
                    : $"There is no calendar '{slug}'. Make it: bandejo calendar new {slug} …");
            }

            var request = new CalendarRequest(
                parsed.GetValue(Name), parsed.GetValue(Freeze) ? "freeze" : null, when, parsed.GetValue(Zone),
                file is null ? null : Text(file));
            if (there is { Devices: > 0 } or { Deployments.Count: > 0 })
            {
                var check = await client.Post(
                    "/api/v1/calendars/check",
                    request with { Kind = request.Kind ?? there.Kind, When = request.When ?? (request.File is null ? there.When : null) },
                    ContractJson.Default.CalendarRequest, ContractJson.Default.CalendarInfo, cancellation);
                if (!await Shared.Agrees(
                    parsed.GetValue(Shared.Yes), $"It rules {Say.Devices(there.Devices)}. From now on: {check.Says} Change it?", cancellation))
                {
                    return ExitCode.No;
                }
            }

            var kept = await client.Change(
                HttpMethod.Put, $"/api/v1/calendars/{Uri.EscapeDataString(slug)}", request, ContractJson.Default.CalendarRequest,
                ContractJson.Default.CalendarInfo, there is null ? null : $"\"{there.Revision}\"", cancellation);
            Console.WriteLine($"{(isNew ? "Made" : "Changed")} the {kept.Kind} '{kept.Slug}'. {kept.Says}");
            PrintNext(kept);
            if (kept.Groups.Count + kept.Deployments.Count == 0)
            {
                Console.WriteLine($"It rules nothing yet. Let it: bandejo group calendar add GROUP {kept.Slug}");
            }

            return ExitCode.Done;
        }, isNew ? [Calendar, When, Zone, File, Name, Freeze] : [Calendar, When, Zone, File, Name, Freeze, Shared.Yes]);
    }

    private static Command Remove() =>
        Shared.Verb("remove", "Removes a calendar that rules nothing", "calendar remove nights", async (parsed, client, cancellation) =>
    {
        var calendar = await Get(parsed.GetValue(Calendar)!, client, cancellation);
        var revision = client.Revision;
        if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), $"Remove the {calendar.Kind} '{calendar.Slug}'?", cancellation))
        {
            return ExitCode.No;
        }

        await client.Do(HttpMethod.Delete, $"/api/v1/calendars/{Uri.EscapeDataString(calendar.Slug)}", revision, cancellation);
        Console.WriteLine($"'{calendar.Slug}' is removed.");
        return ExitCode.Done;
    }, Calendar, Shared.Yes);

    private static Command Export() =>
        Shared.Verb("export", "Prints a calendar as an iCalendar file", "calendar export nights > nights.ics", async (parsed, client, cancellation) =>
    {
        var text = await client.Text($"/api/v1/calendars/{Uri.EscapeDataString(parsed.GetValue(Calendar)!)}/file", cancellation);
        Console.Write(text);
        return ExitCode.Done;
    }, Calendar);

    private static Command Attach(string verb, string description, bool isAdded) =>
        Shared.Verb(verb, description, $"group calendar {verb} desks nights", async (parsed, client, cancellation) =>
    {
        var group = await client.Get(
            $"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}", ContractJson.Default.GroupInfo, cancellation);
        var revision = client.Revision;
        var calendar = await Get(parsed.GetValue(Calendar)!, client, cancellation);
        var has = group.Calendars ?? [];
        if (has.Contains(calendar.Slug) == isAdded)
        {
            Console.WriteLine(isAdded ? $"'{calendar.Slug}' rules '{group.Slug}' already." : $"'{calendar.Slug}' does not rule '{group.Slug}'.");
            return ExitCode.Done;
        }

        var question = isAdded
            ? $"Let '{calendar.Slug}' rule '{group.Slug}' with {Say.Devices(group.Devices)}? {calendar.Says}"
            : $"Take '{calendar.Slug}' away from '{group.Slug}' with {Say.Devices(group.Devices)}? Its times rule them no more.";
        if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), question, cancellation))
        {
            return ExitCode.No;
        }

        var after = await client.Change(
            HttpMethod.Put, $"/api/v1/groups/{Uri.EscapeDataString(group.Slug)}/calendars",
            new GroupCalendarsRequest(isAdded ? [.. has, calendar.Slug] : [.. has.Where(each => each != calendar.Slug)]),
            ContractJson.Default.GroupCalendarsRequest, ContractJson.Default.GroupInfo, revision, cancellation);
        Console.WriteLine(after.Calendars is { Count: > 0 } left
            ? $"'{after.Slug}' with {Say.Devices(after.Devices)} is ruled by {string.Join(", ", left.Select(each => $"'{each}'"))}."
            : $"No calendar rules '{after.Slug}' any more.");
        return ExitCode.Done;
    }, Group, Calendar, Shared.Yes);

    private static Task<CalendarInfo> Get(string slug, Client client, CancellationToken cancellation) =>
        client.Get($"/api/v1/calendars/{Uri.EscapeDataString(slug)}", ContractJson.Default.CalendarInfo, cancellation);

    private static string Text(FileInfo file) => file.Length <= MostFile
        ? System.IO.File.ReadAllText(file.FullName)
        : throw new WrongUseException($"{file.Name} is larger than {MostFile / 1024} KiB; a calendar is smaller.");

    private static void PrintNext(CalendarInfo calendar)
    {
        if (calendar.Next.Count == 0)
        {
            Say.Line("[dim]No time of it is ahead.[/]");
            return;
        }

        Say.Line($"[dim]Next, {(calendar.Next.All(each => each.Zone is null) ? "by each device's own clocks" : "as its zone has it")}:[/]");
        foreach (var time in calendar.Next.Take(5))
        {
            Say.Line($"  {Times(time)}{(time.Zone is null ? "" : $" [dim]{Markup.Escape(time.Zone)}[/]")}");
        }
    }

    private static string Times(CalendarTime time)
    {
        var (from, to) = (Of(time.From), Of(time.To));
        const string Whole = "ddd d MMM yyyy HH:mm";
        return $"{from.ToString(Whole, CultureInfo.InvariantCulture)} to "
            + to.ToString(from.Date == to.Date ? "HH:mm" : Whole, CultureInfo.InvariantCulture);

        static DateTime Of(string text) => DateTime.ParseExact(text, "yyyy-MM-dd'T'HH:mm:ss", CultureInfo.InvariantCulture);
    }
}
