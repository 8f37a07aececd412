using Bandejo.Kit;
using Microsoft.Playwright;
using Xunit;

namespace Bandejo.Browser.Tests;

/// <summary>Calendars in a browser: made by words, let rule, seen ahead and on the devices that they rule.</summary>
[Collection(BrowserTests.Name)]
public sealed class CalendarTests(Chromium chromium)
{
    [Fact]
    public async Task A_calendar_is_made_by_words_that_are_read_back_and_rules_a_group()
    {
        await using var site = await Site.StartApart();
        await site.Device("DESK-1", facts: "kind: desk\nzone: UTC");
        await using var tomas = await Person.SignIn(chromium, site, "tomas", "operator");
        var page = tomas.Page;
        await tomas.Open("/calendar", "Calendar");
        await tomas.Press("Make a calendar…");
        await page.GetByLabel("Name", new() { Exact = true }).FillAsync("Nights");
        await page.GetByLabel("Short name").FillAsync("nights");
        await page.GetByLabel("When").FillAsync("Fry 20:00-23:00");
        await tomas.Reads("did you mean 'Fri'");
        await page.GetByLabel("When").FillAsync("Mon-Fri 20:00-23:00");
        await tomas.Reads("May be changed Mondays to Fridays 20:00 to 23:00, never otherwise.");
        await tomas.Press("Make the calendar");
        await Person.Sees(page.GetByRole(AriaRole.Heading, new() { Name = "Nights nights" }));
        await Person.Sees(page.Locator(".weeks-entry", new() { HasText = "20:00–23:00 Nights rules nothing" }).First);

        await page.GetByLabel("Let Nights rule a group").First.ClickAsync();
        await page.GetByRole(AriaRole.Option, new() { Name = "enrolled · 1" }).ClickAsync();
        await tomas.Reads("It would rule the 1 device of enrolled");
        await tomas.Press("Let it rule 1 device");
        await Person.SeesNoMore(page.Locator(".weeks-entry", new() { HasText = "rules nothing" }).First);
        Assert.Contains("Ruled by nights.", await site.Must("group", "show", Site.Enrolled));

        await tomas.Open("/devices/DESK-1", "DESK-1");
        await Person.Sees(page.GetByRole(AriaRole.Heading, new() { Name = "When it may be changed" }));
        await tomas.Reads("Ruled by nights");

        // Somebody else changes it meanwhile: what is written is kept, and theirs is shown.
        await tomas.Open("/calendar", "Calendar");
        await tomas.Press("Change");
        await page.GetByLabel("When").FillAsync("Mon-Fri 21:00-23:00");
        await site.Must("calendar", "change", "nights", "--when", "Mon-Fri 19:00-23:00", "--yes");
        await tomas.Reads("May be changed Mondays to Fridays 21:00 to 23:00");
        await tomas.Press("Change the calendar, for 1 device");
        await tomas.Reads("It says now: May be changed Mondays to Fridays 19:00 to 23:00");
        Assert.Empty(tomas.Complaints);
    }
}
