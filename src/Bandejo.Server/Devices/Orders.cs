using System.Globalization;
using System.IO.Hashing;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.Handlings;
using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>Writes down what a device is to do.</summary>
internal static class Orders
{
    /// <summary>The tag of the device's orders.</summary>
    public static string TagOf(FleetWorld world, DeviceEntry device)
    {
        IReadOnlyList<DeviceOrder> orders = [.. DeviceOrder.Of(world, device)];
        return Of(world, device, orders, CalendarSeals.Tag(world, device, orders)).Tag;
    }

    /// <summary>The device's orders as it is told them, with their tag.</summary>
    /// <param name="calendars">The tag of its calendars.</param>
    public static (IReadOnlyList<Order> Orders, string Tag) Of(FleetWorld world, DeviceEntry device, IReadOnlyList<DeviceOrder> all, string calendars)
    {
        var ofGroups = Timetables.OfGroups(world, device);
        IReadOnlyList<Order> orders = [.. all.Select(order => Form(order, ofGroups))];

        // It tells orders from others that the same device had; nobody but the device itself could gain by two that are alike, so that a quick hash will do.
        var hash = new XxHash3();
        hash.Append(JsonSerializer.SerializeToUtf8Bytes(orders, ContractJson.Default.IReadOnlyListOrder));
        hash.Append(Encoding.ASCII.GetBytes(world.SiteSettings.GetValueOrDefault(PackageLives.WithdrawnSerial, "0")));
        hash.Append(Encoding.ASCII.GetBytes(calendars));
        foreach (var wake in device.Memory.ToWake.Where(each => each.Until > world.Now))
        {
            // Told with the orders, and told again where another is to be woken.
            hash.Append(Encoding.UTF8.GetBytes($"{wake.Address} {wake.Until:O}"));
        }

        return (orders, hash.GetCurrentHashAsUInt64().ToString("x16", CultureInfo.InvariantCulture));
    }

    private static Order Form(DeviceOrder order, IReadOnlyList<string> ofGroups) => new(
        order.Id, order.Number, order.Kind, order.MayStart, order.Package.Link, order.Variant, order.Previous?.Link, (int)order.Lease.TotalSeconds,
        order.Deadline, order.AllowsDowngrade, order.Retry.Tries,
        (int)Math.Ceiling(order.Retry.Pause.TotalSeconds), (int)Math.Ceiling(order.Retry.Longest.TotalSeconds), order.Settings,
        HandlingForms.ForOrder(order.Handling),
        ofGroups.Count + order.Calendars.Count == 0 || order.Kind == AttemptTold.TrialKind ? null : [.. ofGroups.Union(order.Calendars)],
        order.AfterDeadline != AfterDeadline.Late, order.IsTaken,
        ofGroups.Count + order.Calendars.Count == 0 && order.ResetsAt is null ? 0 : (int)Math.Ceiling(order.Takes.TotalSeconds),
        order.Restart == RestartChoice.LeftToPeople ? null : Form(order.Restart),
        order.StartWhen == StartWhen.Any ? null : new OrderStart(StateNames.Hyphenate(order.StartWhen.With.ToString()), order.StartWhen.OnMains),
        order.ResetsAt?.ToString("HH:mm", CultureInfo.InvariantCulture),
        order.Fetch.Count == 0 ? null : [.. order.Fetch.Select(rule => rule.ToString()).Distinct()], order.FetchesLater,
        (int)order.Notice.TotalSeconds, order.AfterDeadline == AfterDeadline.Close);

    private static OrderRestart Form(RestartChoice choice) => new(
        StateNames.Hyphenate(choice.When.ToString()), StateNames.Hyphenate(choice.WhileSignedIn.ToString()),
        choice.After is { } after ? (int)Math.Ceiling(after.TotalSeconds) : null);
}
