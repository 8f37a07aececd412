using NodaTime;
using NodaTime.TimeZones;

namespace Bandejo.Core.Calendars;

/// <summary>Time zones by their names in the tz database (IANA), of which a copy comes with the program, so that every service answers alike.</summary>
public static class Zones
{
    /// <summary>The longest name of a zone.</summary>
    public const int LongestName = 64;

    /// <summary>The name of a zone as the tz database has it; null for none. Names that Windows gives to zones are known too.</summary>
    public static string? Known(string name) =>
        name.Length is 0 or > LongestName ? null
        : TzdbDateTimeZoneSource.Default.CanonicalIdMap.ContainsKey(name) ? name
        : TzdbDateTimeZoneSource.Default.CanonicalIdMap.Keys.FirstOrDefault(each => each.Equals(name, StringComparison.OrdinalIgnoreCase))
            ?? (TzdbDateTimeZoneSource.Default.WindowsMapping.PrimaryMapping.TryGetValue(name, out var zone) ? zone : null);

    /// <summary>The nearest name to one that is not known; null where none is near.</summary>
    public static string? Near(string name) => Suggest.Nearest(name, TzdbDateTimeZoneSource.Default.CanonicalIdMap.Keys, isInAnyCase: true);

    /// <summary>How far the clocks of a zone are ahead of UTC; null for a zone that is not known.</summary>
    public static OffsetAt? Of(string name) =>
        Known(name) is { } known && DateTimeZoneProviders.Tzdb.GetZoneOrNull(known) is { } zone
            ? at => zone.GetUtcOffset(Instant.FromDateTimeOffset(at)).ToTimeSpan()
            : null;
}
