namespace Bandejo.Core.Calendars;

/// <summary>Says in words what calendars come to.</summary>
public static class CalendarWords
{
    private const int MostSaid = 6;

    /// <summary>
    /// A calendar as a sentence: <c>May be changed Fridays 20:00 to 23:00, never otherwise</c>, <c>Nothing starts 2026-12-20 to 2027-01-03</c>; with the zone
    /// where it names one. Without a full stop.
    /// </summary>
    public static string Says(bool isFreeze, CalendarFile file)
    {
        var slots = file.Slots();
        var said = slots.Take(MostSaid).Select(each => each.Slot is { } slot ? SlotWords.Say(slot) : null).ToList();
        var zones = slots.Select(each => each.Zone).Distinct().ToList();
        var times = said.All(each => each is not null)
            ? string.Join(" and ", said) + (slots.Count > MostSaid ? $" and at {slots.Count - MostSaid} more times" : "")
            : $"at the times of its file, which has {slots.Count} event{(slots.Count == 1 ? "" : "s")}";
        var clocks = zones is [{ } zone] ? $" in {zone}" : zones.Count > 1 ? " in the zones of its file" : "";
        return isFreeze ? $"Nothing starts {times}{clocks}" : $"May be changed {times}{clocks}, never otherwise";
    }

    /// <summary>The times in the words by which they are written; null where words do not say them.</summary>
    public static string? Written(CalendarFile file)
    {
        var slots = file.Slots();
        return slots.Count <= SlotWords.Most && slots.All(each => each.Slot is not null) && slots.Select(each => each.Zone).Distinct().Count() == 1
            ? string.Join("; ", slots.Select(each => SlotWords.Write(each.Slot!)))
            : null;
    }
}
