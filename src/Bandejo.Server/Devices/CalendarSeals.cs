using System.Collections.Concurrent;
using System.Globalization;
using System.IO.Hashing;
using System.Text;
using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;
using Bandejo.Core.CheckIns;
using Bandejo.Core.World;

namespace Bandejo.Server.Devices;

/// <summary>
/// The calendars that rule devices, signed. Many devices are ruled alike, so each set is signed once a week, and sent where a device says another tag.
/// </summary>
/// <param name="sign">Signs them with a key that devices trust.</param>
internal sealed class CalendarSeals(Func<CalendarsContent, string> sign)
{
    /// <summary>For how long a device may go by what it holds.</summary>
    private static readonly TimeSpan Good = TimeSpan.FromDays(42);

    /// <summary>So far a device's clock may be ahead of ours in what it says that it holds.</summary>
    private static readonly TimeSpan MostAhead = TimeSpan.FromDays(1);

    /// <summary>In the year 9000.</summary>
    private const long MostMilliseconds = 221_845_392_000_000;

    private const string Nothing = "none";
    private const int MostKnown = 10_000;
    private const int DaysOfATag = 7;

    private readonly ConcurrentDictionary<string, (DateTimeOffset At, string Signed)> _signed = new(StringComparer.Ordinal);

    /// <summary>The tag of a device's calendars: which they are, at which revision, and the week. Empty where none rules it.</summary>
    public static string Tag(FleetWorld world, DeviceEntry device, IReadOnlyList<DeviceOrder> orders)
    {
        var (all, own) = Sets(world, device, orders);
        if (all.Count + own.Count == 0)
        {
            return "";
        }

        var hash = new XxHash128();
        foreach (var (slugs, mark) in new[] { (all, '+'), (own, '-') })
        {
            foreach (var slug in slugs)
            {
                hash.Append(Encoding.UTF8.GetBytes(string.Create(CultureInfo.InvariantCulture, $"{mark}{slug}/{world.Calendars[slug].Record.Revision} ")));
            }
        }

        return Week(world.Now) + "-" + Convert.ToHexStringLower(hash.GetCurrentHash());
    }

    /// <summary>Whether calendars that a device holds were made in this week; what holds none always is.</summary>
    public static bool IsOfThisWeek(string? tag, DateTimeOffset now) => string.IsNullOrEmpty(tag) || tag.StartsWith(Nothing, StringComparison.Ordinal)
        || tag.StartsWith(Week(now) + "-", StringComparison.Ordinal);

    /// <summary>The tag of what a device says that it holds, and when that was made.</summary>
    /// <param name="held">As it was told: <c>tag.milliseconds since 1970</c>; null for nothing.</param>
    public static (string Tag, DateTimeOffset At) Read(string? held)
    {
        var parts = (held ?? "").Split('.');
        return (parts[0] == Nothing ? "" : parts[0],
            parts.Length == 2 && long.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out var at) && at < MostMilliseconds
                ? DateTimeOffset.FromUnixTimeMilliseconds(at)
                : DateTimeOffset.MinValue);
    }

    /// <summary>
    /// The signed calendars of a tag that <see cref="Tag"/> gave for the device, made no earlier than those that it holds: it takes no others.
    /// </summary>
    public string Signed(FleetWorld world, DeviceEntry device, IReadOnlyList<DeviceOrder> orders, string tag, DateTimeOffset heldAt)
    {
        if (_signed.TryGetValue(tag, out var known) && known.At >= heldAt)
        {
            return known.Signed;
        }

        var (all, own) = Sets(world, device, orders);
        var at = heldAt > world.Now && heldAt < world.Now + MostAhead ? heldAt : world.Now;
        var goodUntil = at + Good;
        var content = new CalendarsContent(
            "calendars",
            string.Create(CultureInfo.InvariantCulture, $"{(tag.Length == 0 ? Nothing : tag)}.{at.ToUnixTimeMilliseconds()}"),
            DateTimeOffset.FromUnixTimeMilliseconds(at.ToUnixTimeMilliseconds()), goodUntil,
            [.. all.Select(slug => Told(world, slug, true, goodUntil)), .. own.Select(slug => Told(world, slug, false, goodUntil))]);
        if (_signed.Count >= MostKnown)
        {
            _signed.Clear();
        }

        var signed = sign(content);
        _signed[tag] = (content.At, signed);
        return signed;
    }

    private static (IReadOnlyList<string> All, IReadOnlyList<string> Own) Sets(FleetWorld world, DeviceEntry device, IReadOnlyList<DeviceOrder> orders)
    {
        IReadOnlyList<string> all = [.. Timetables.OfGroups(world, device).Where(world.Calendars.ContainsKey)];
        IReadOnlyList<string> own = orders.All(order => order.Calendars.Count == 0)
            ? []
            : [.. orders.SelectMany(order => order.Calendars).Distinct().Except(all).Where(world.Calendars.ContainsKey).Order(StringComparer.Ordinal)];

        // More than it can hold it is not sent; it starts nothing then (Openings).
        return all.Count + own.Count <= Timetables.MostOfADevice ? (all, own) : ([], []);
    }

    private static DeviceCalendar Told(FleetWorld world, string slug, bool rulesAll, DateTimeOffset goodUntil)
    {
        var calendar = world.Calendars[slug];
        var held = calendar.On(DateOnly.FromDateTime(world.Now.UtcDateTime));

        // By whatever clocks: what begins a day later begins after they are good for no device.
        var end = goodUntil.UtcDateTime.AddDays(1);
        return new DeviceCalendar(
            slug, calendar.Record.Name, calendar.Record.IsFreeze, rulesAll, [.. held.Own.Where(span => span.From < end).Select(SpanText.Write)],
            [.. held.Fixed.Where(span => span.From < end).Select(SpanText.Write)]);
    }

    private static string Week(DateTimeOffset now) =>
        (DateOnly.FromDateTime(now.UtcDateTime).DayNumber / DaysOfATag).ToString("x", CultureInfo.InvariantCulture);
}
