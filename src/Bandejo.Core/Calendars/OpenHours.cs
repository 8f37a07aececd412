namespace Bandejo.Core.Calendars;

/// <summary>Hours in which something is opened, by the clocks of one zone: <c>Mon-Thu 08:00-16:00 or Sat 08:00-12:00 in Europe/Lisbon</c>.</summary>
/// <param name="Slots">At least one.</param>
/// <param name="Zone">The name of the zone in the tz database.</param>
public sealed record OpenHours(IReadOnlyList<Slot> Slots, string Zone)
{
    /// <summary>The longest that hours are written, in characters.</summary>
    public const int LongestText = 400;

    /// <summary>What hours without a zone are by.</summary>
    private const string UsualZone = "UTC";

    private const string InZone = " in ";
    private const string Or = " or ";

    /// <summary>What <see cref="SlotWords"/> has between two, as long as that, so that places are right.</summary>
    private const string Between = "  ; ";

    /// <summary>Reads hours; the failure says which word is not understood and what would be right. Without a zone they are by UTC.</summary>
    public static Outcome<OpenHours> Parse(string text)
    {
        if (text.Length > LongestText)
        {
            return Wrong($"Hours are written in at most {LongestText} letters, not {text.Length}.", 1, text.Length);
        }

        var at = text.LastIndexOf(InZone, StringComparison.OrdinalIgnoreCase);
        var named = at < 0 ? UsualZone : text[(at + InZone.Length)..].Trim();
        if (Zones.Known(named) is not { } zone)
        {
            var near = Zones.Near(named) is { } name ? $"; did you mean '{name}'" : "";
            return Wrong($"'{named}' is no time zone such as Europe/Lisbon{near}.", at + InZone.Length + 1, named.Length);
        }

        var words = at < 0 ? text : text[..at];
        var slots = SlotWords.Parse(words.Replace(Or, Between, StringComparison.OrdinalIgnoreCase));
        return slots.Ok ? new OpenHours(slots.Value, zone) : slots.Failure!;
    }

    /// <summary>The first moment from one on that is in them; null for none.</summary>
    public DateTimeOffset? Next(DateTimeOffset from)
    {
        var first = SlotTimes.Next(Slots, Zones.Of(Zone)!, from);
        return first is null ? null : first.Value.From < from ? from : first.Value.From;
    }

    /// <summary>The hours as they are written, with their zone.</summary>
    public override string ToString() => $"{string.Join(Or, Slots.Select(SlotWords.Write))}{InZone}{Zone}";

    private static Failure Wrong(string says, int column, int length) =>
        new(ErrorKind.Invalid, says, [new Finding(says, "hours", 1, column, Math.Max(1, length))]);
}
