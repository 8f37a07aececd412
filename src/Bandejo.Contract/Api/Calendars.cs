using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>A calendar: when devices may be changed, or when nothing starts.</summary>
/// <param name="Kind">window or freeze.</param>
/// <param name="Says">What it comes to, in words.</param>
/// <param name="When">Its times as they are written; null where words do not say them and only its file does.</param>
/// <param name="Zone">The time zone that they are in; null for the clocks of each device, and where the file names several.</param>
/// <param name="Next">The next times, as clocks show them.</param>
/// <param name="Groups">The groups whose devices it rules.</param>
/// <param name="Deployments">The deployments under way that have it of their own.</param>
/// <param name="Devices">How many devices it rules through groups.</param>
public sealed record CalendarInfo(
    string Slug, string Name, string Kind, string Says, string? When, string? Zone, IReadOnlyList<CalendarTime> Next, IReadOnlyList<string> Groups,
    IReadOnlyList<string> Deployments, int Devices, int Revision);

/// <summary>One time that a calendar names.</summary>
/// <param name="From">What clocks show at its first moment, ISO 8601 without a zone.</param>
/// <param name="To">What they show at its end; where it lasts for so long whatever they show, what they would show had they not been changed.</param>
/// <param name="Zone">Which clocks; null for those of each device.</param>
public sealed record CalendarTime(string From, string To, string? Zone);

/// <summary>What is ahead.</summary>
/// <param name="From">The first day.</param>
/// <param name="Days">How many days.</param>
/// <param name="Entries">In order; the first 2,000.</param>
public sealed record AheadInfo(string From, int Days, IReadOnlyList<AheadEntryInfo> Entries);

/// <summary>Something ahead.</summary>
/// <param name="Kind">freeze, window, deadline, wave (may open) or gate (has soaked).</param>
/// <param name="From">Of a calendar: what clocks show at its first moment, ISO 8601 without a zone; of a deployment: the instant.</param>
/// <param name="To">Of a calendar: what they show at its end; null of a deployment.</param>
/// <param name="Zone">Of a calendar: which clocks; null for those of each device.</param>
/// <param name="Calendar">The short name of the calendar; null for none.</param>
/// <param name="Deployment">The identity of the deployment; null for none.</param>
/// <param name="Devices">How many devices it is about.</param>
public sealed record AheadEntryInfo(
    string Kind, string Name, string From, string? To, string? Zone, string? Calendar, string? Deployment, int Devices);

/// <summary>When a device may be changed, by the calendars that rule it.</summary>
/// <param name="Zone">The time zone of its clocks, as it says; null where it does not.</param>
/// <param name="Calendars">Those that rule it through its groups, by their short names; none where it may be changed at any time.</param>
/// <param name="Says">What is so now, in words.</param>
/// <param name="IsOpen">Whether it may be changed now.</param>
/// <param name="Until">Until when that is so; null where that is not known, or without end.</param>
/// <param name="Next">Its next openings, the one that is on among them.</param>
public sealed record DeviceOpenings(
    string? Zone, IReadOnlyList<string> Calendars, string Says, bool IsOpen, DateTimeOffset? Until, IReadOnlyList<OpeningInfo> Next);

/// <summary>A time in which a device may be changed.</summary>
public sealed record OpeningInfo(DateTimeOffset From, DateTimeOffset To);

/// <summary>Keeps a calendar. Without If-Match it must be new. Its times come in words or as a file; a change without either keeps them.</summary>
/// <param name="Name">For people; null takes the short name, or keeps the one it has.</param>
/// <param name="Kind">window or freeze; null is window, or what it is.</param>
/// <param name="When">Its times in words, such as <c>Fri 20:00-23:00; third Saturday 22:00 for 6h</c>.</param>
/// <param name="Zone">The time zone of the words, such as <c>Europe/Lisbon</c>; null for the clocks of each device.</param>
/// <param name="File">Its times as an iCalendar file (RFC 5545).</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record CalendarRequest(
    [property: Limits(Text = ApiLimits.MaxName)] string? Name = null, string? Kind = null, [property: Limits(Text = 4000)] string? When = null,
    [property: Limits(Text = 64)] string? Zone = null, [property: Limits(Text = 1024 * 1024)] string? File = null);

/// <summary>Says which calendars rule the devices of a group, in the place of those that did; needs If-Match.</summary>
/// <param name="Calendars">By name or short name; none takes all away.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record GroupCalendarsRequest([property: Limits(Items = 64, Text = ApiLimits.MaxName)] IReadOnlyList<string> Calendars);
