using System.Globalization;
using System.Net;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Windows and freezes made by words, shown before the start, and held by real agents.</summary>
public sealed class WindowTests
{
    private const string Install = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task A_window_by_words_is_shown_at_preview_and_why_held_by_the_agent_and_opens()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var device = await site.Device("ALD-DESK-001", facts: "kind: desk\nzone: UTC");
        await site.Package("quill", "1.0", Install);
        var far = Day(20);

        var made = await site.Must("calendar", "new", "nights", "--name", "Nights", "--when", $"{far} 20:00-23:00", "--zone", "UTC");
        Assert.Contains($"May be changed {far} 20:00 to {far} 23:00 in UTC, never otherwise.", made);
        Assert.Contains("It rules nothing yet", made);
        Assert.Contains("is ruled by 'nights'", await site.Must("group", "calendar", "add", Site.Enrolled, "nights", "--yes"));

        var preview = await site.Must("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview");
        Assert.Contains("Waits: 1 device. Outside its window 'Nights'; may start in", preview);
        var late = await site.Must("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--deadline", "2d", "--preview");
        Assert.Contains("1 device has no opening before the deadline (ALD-DESK-001): it is late before it may start.", late);

        var id = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(id, device.Name, "waiting");
        Assert.Contains($"Outside its window 'Nights'; it may be changed from {far} 20:00 UTC on", await site.Must("device", "why", device.Name, "--deployment", id));
        Assert.Contains("Ruled by nights. It is outside its window 'Nights'.", await site.Must("device", "show", device.Name));
        Assert.Null(device.Read("opt/quill/VERSION"));

        // It is changed, and open now: whoever it rules hears of it and starts.
        await site.Must("calendar", "change", "nights", "--when", $"{Day(-1)} 00:00 to {Day(2)} 00:00", "--zone", "UTC", "--yes");
        await site.Admin.Becomes(id, device.Name, "met");
        Assert.Equal("1.0", device.Read("opt/quill/VERSION"));
        Assert.Contains(
            $"'nights' rules the group '{Site.Enrolled}'; take it away from there first", (await site.Run("calendar", "remove", "nights", "--yes")).Errors);
    }

    [Fact]
    public async Task A_freeze_holds_even_after_a_deadline_that_lets_devices_start_outside_their_windows()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var (open, frozen) = (await site.Device("ALD-DESK-001", facts: "kind: desk"), await site.Device("ALD-DESK-002", facts: "kind: kiosk"));
        await site.Package("quill", "1.0", Install);
        await site.Must("group", "new", "kiosks", "--rule", "kind is \"kiosk\"");
        var (left, gone) = (await site.Device("ALD-DESK-003", facts: "kind: lab"), await site.Device("ALD-DESK-004", facts: "kind: store"));
        await site.Must("group", "new", "labs", "--rule", "kind is \"lab\"");
        await site.Must("group", "new", "stores", "--rule", "kind is \"store\"");
        await site.Must("calendar", "new", "nights", "--when", $"{Day(20)} 20:00-23:00");
        await site.Must("calendar", "new", "year-end", "--freeze", "--when", $"{Day(-2)} to {Day(9)}");
        await site.Must("group", "calendar", "add", Site.Enrolled, "nights", "--yes");
        foreach (var group in new[] { "kiosks", "labs", "stores" })
        {
            await site.Must("group", "calendar", "add", group, "year-end", "--yes");
        }


        var id = await site.Deploy("quill 1.0", Site.Enrolled, "--deadline", $"{TimeProvider.System.GetUtcNow().AddSeconds(6):yyyy-MM-ddTHH:mm:ssZ}",
            "--after-deadline", "start");
        await site.Admin.Becomes(id, open.Name, "met");
        await site.Admin.Becomes(id, frozen.Name, "waiting");
        Assert.Contains("Frozen by 'year-end'", await site.Must("device", "why", frozen.Name, "--deployment", id));
        Assert.Null(frozen.Read("opt/quill/VERSION"));

        await site.Admin.Becomes(id, left.Name, "waiting");
        await site.Admin.Becomes(id, gone.Name, "waiting");

        // Who leaves the group by its rule, and whose group is removed, is not ruled by its calendars any more.
        await site.Must("group", "change", "labs", "--rule", "kind is \"other\"");
        await site.Admin.Becomes(id, left.Name, "met");
        await site.Must("group", "remove", "stores", "--yes");
        await site.Admin.Becomes(id, gone.Name, "met");

        // What rules nothing any more holds nobody.
        await site.Must("group", "calendar", "remove", "kiosks", "year-end", "--yes");
        await site.Admin.Becomes(id, frozen.Name, "met");
    }

    [Fact]
    public async Task An_agent_without_its_service_starts_when_its_window_opens()
    {
        await using var site = await Site.StartApart("--check-in-seconds", "1");
        var device = await site.Device("ALD-DESK-001", facts: "kind: desk\nzone: UTC");
        await site.Package("quill", "1.0", Install);
        var opens = TimeProvider.System.GetUtcNow().AddSeconds(15);
        var file = Path.Combine(site.Temporary, "soon.ics");
        await global::System.IO.File.WriteAllTextAsync(file, File(opens, opens.AddHours(2)));
        await site.Must("calendar", "new", "soon", "--file", file);
        await site.Must("group", "calendar", "add", Site.Enrolled, "soon", "--yes");
        var id = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(id, device.Name, "waiting");
        Assert.Contains("Outside its window 'soon'", await site.Must("device", "why", device.Name, "--deployment", id));

        // The files come with the order; whoever has them needs nobody to start.
        await device.Says("The files of quill 1.0 are here, ahead of its start", 1);
        await site.Process.Kill();
        await device.Says("Install quill 1.0: done", 1);
        Assert.Equal("1.0", device.Read("opt/quill/VERSION"));
        Assert.True(TimeProvider.System.GetUtcNow() >= opens.AddSeconds(-1));
    }

    [Fact]
    public async Task A_start_leaves_room_for_what_it_takes_by_its_package_or_by_what_it_took()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        await site.Must("group", "new", "late", "--rule", "kind is \"late\"");
        var (first, second) = (await site.Device("ALD-DESK-001", facts: "kind: desk"), await site.Device("ALD-DESK-002", facts: "kind: desk"));
        var late = await site.Device("ALD-DESK-003", facts: "kind: late\nzone: UTC");
        await site.Package("quill", "1.0", "sleep 3\n" + Install, codes: "{}, expected: 1s");
        var opens = TimeProvider.System.GetUtcNow().AddSeconds(-1);
        var file = Path.Combine(site.Temporary, "soon.ics");
        await global::System.IO.File.WriteAllTextAsync(file, File(opens.AddDays(9), opens.AddDays(9).AddSeconds(2)));
        await site.Must("calendar", "new", "soon", "--file", file);
        await site.Must("group", "calendar", "add", "late", "soon", "--yes");
        var start = new[] { "deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview" };
        Assert.Contains("Outside its window 'soon'; may start in 8 d", await site.Must(start));

        // It is expected to take one second, takes three, and is believed of two devices.
        var id = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(id, first.Name, "met");
        await site.Admin.Becomes(id, second.Name, "met");
        var preview = await site.Must([.. start, "--priority", "1"]);
        Assert.Matches("It takes [3-9] s, and 1 device has no window that is open for so long \\(ALD-DESK-003\\): it starts never", preview);
        Assert.Matches("It takes [3-9] s, for which 'soon' leaves no room", await site.Must("device", "why", late.Name, "--deployment", id));

        // A window that is open, and not for so long as it takes.
        await site.Must("calendar", "change", "soon", "--when", $"{Day(-1)} 00:00 to {Day(2)} 00:00", "--zone", "UTC", "--yes");
        await site.Admin.Becomes(id, late.Name, "met");
    }

    [Fact]
    public async Task Wrong_times_are_told_with_what_would_be_right_and_change_nothing()
    {
        await using var site = await Site.Start();
        foreach (var (words, says) in new[]
        {
            (new[] { "--when", "Fry 20:00-23:00" }, "did you mean 'Fri'"),
            (["--when", "Fri 20:00-23:00", "--zone", "Europe/Lisbom"], "did you mean 'Europe/Lisbon'"),
            (["--when", "2026-12-20 to 2026-12-01"], "ends before it begins"), ([], "Say its times"),
        })
        {
            var (code, _, errors) = await site.Run(["calendar", "new", "nights", .. words]);
            Assert.NotEqual(0, code);
            Assert.Contains(says, errors);
        }

        Assert.Contains("No calendar is kept yet", await site.Must("calendar", "list"));
        await site.Must("calendar", "new", "nights", "--when", "Fri 20:00-23:00", "--zone", "Europe/Lisbon");
        var exported = await site.Must("calendar", "export", "nights");
        Assert.StartsWith("BEGIN:VCALENDAR", exported);
        var file = Path.Combine(site.Temporary, "nights.ics");
        await global::System.IO.File.WriteAllTextAsync(file, exported);
        Assert.Contains("May be changed Fridays 20:00 to 23:00 in Europe/Lisbon, never otherwise.", await site.Must("calendar", "new", "copy", "--file", file));
        await global::System.IO.File.WriteAllTextAsync(file, exported[..(exported.Length / 2)]);
        Assert.Contains("cut off", (await site.Run("calendar", "new", "half", "--file", file)).Errors);
        Assert.Contains("There is a calendar 'nights' already", (await site.Run("calendar", "new", "nights", "--when", "Fri 20:00-23:00")).Errors);
        Assert.Contains("There is no calendar 'days'", (await site.Run("group", "calendar", "add", Site.Enrolled, "days", "--yes")).Errors);
    }

    [Fact]
    public async Task A_wave_opens_in_its_hours_and_what_is_ahead_is_told_and_fed()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var device = await site.Device("ALD-DESK-001", facts: "kind: desk\nzone: UTC");
        await site.Package("quill", "1.0", Install);
        var wrong = await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--wave", "All: everyone else; opens Fry 08:00-16:00", "--yes");
        Assert.Contains("did you mean 'Fri'", wrong.Errors);

        string[] start = ["--wave", $"All: everyone else; opens {Day(3)} 08:00-16:00 in UTC", "--deadline", $"{Day(5)}T12:00:00Z", "--preview"];
        Assert.Contains($"opens {Day(3)} 08:00 to {Day(3)} 16:00 in UTC", await site.Must(["deployment", "start", "quill 1.0", "--to", Site.Enrolled, .. start]));
        var (_, over, _) = await site.Run(
            "deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--wave", $"All: everyone else; opens {Day(-3)} 08:00-16:00 in UTC", "--preview");
        Assert.Contains("Wave 'All' never opens", over);
        var id = await site.Deploy("quill 1.0", Site.Enrolled, start[..^1]);
        Assert.Contains("'All' opens in", await site.Must("deployment", "show", id));
        Assert.Contains("Wave 'All' opens later", await site.Must("device", "why", device.Name, "--deployment", id));

        await site.Admin.Until(async () => (await site.Must("group", "check-in", Site.Enrolled)).Contains("1 device listens and comes now."), "it listens");
        Assert.Contains("1 device listens and comes now.", await site.Must("deployment", "check-in", id));
        await site.Must("calendar", "new", "nights", "--name", "Nights", "--when", "daily 22:00-04:00");
        await site.Must("group", "calendar", "add", Site.Enrolled, "nights", "--yes");
        var ahead = await site.Must("calendar", "ahead", "--days", "7", "-o", "csv");
        Assert.Contains($"{Day(3)}T08:00:00Z,,wave,Wave 'All' of quill 1.0", ahead);
        Assert.Contains($"{Day(5)}T12:00:00Z,,deadline,Deadline of quill 1.0", ahead);
        Assert.Contains($"{Day(2)}T22:00:00,{Day(3)}T04:00:00,window,Nights,1", ahead);
        Assert.Contains("1 to 100 days", (await site.Run("calendar", "ahead", "--days", "400")).Errors);

        // A calendar program sends an address and nothing else; what it may read is what its token may, and only there.
        using var anonymous = new HttpClient { BaseAddress = new Uri(site.Service.Address) };
        var secret = site.Admin.Http.DefaultRequestHeaders.Authorization!.Parameter;
        var feed = await anonymous.GetStringAsync($"/api/v1/feed.ics?token={secret}");
        Assert.StartsWith("BEGIN:VCALENDAR", feed);
        Assert.Contains("SUMMARY:Deadline of quill 1.0", feed);
        Assert.Contains($"DTSTART:{Day(2).Replace("-", "", StringComparison.Ordinal)}T220000", feed);
        Assert.Equal(HttpStatusCode.Unauthorized, (await anonymous.GetAsync("/api/v1/feed.ics")).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await anonymous.GetAsync("/api/v1/feed.ics?token=wrong")).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await anonymous.GetAsync($"/api/v1/devices?token={secret}")).StatusCode);
    }

    private static string Day(int ahead) => TimeProvider.System.GetUtcNow().AddDays(ahead).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string File(DateTimeOffset from, DateTimeOffset to) =>
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Elsewhere//EN\r\nBEGIN:VEVENT\r\nUID:1\r\n"
            + $"DTSTART:{from.UtcDateTime:yyyyMMdd'T'HHmmss'Z'}\r\nDTEND:{to.UtcDateTime:yyyyMMdd'T'HHmmss'Z'}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
}
