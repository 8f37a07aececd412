using System.Globalization;
using System.IO.Hashing;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.World;
using Bandejo.Server.Handlings;
using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>Writes down what a device is to do.</summary>
internal static class Orders
{
    /// <summary>The device's orders, with their tag.</summary>
    public static (IReadOnlyList<Order> Orders, string Tag) Of(FleetWorld world, DeviceEntry device)
    {
        IReadOnlyList<Order> orders = [.. DeviceOrder.Of(world, device).Select(Form)];

        // It tells orders from others that the same device had; nobody but the device itself could gain by two that are alike, so that a quick hash will do.
        var hash = new XxHash3();
        hash.Append(JsonSerializer.SerializeToUtf8Bytes(orders, ContractJson.Default.IReadOnlyListOrder));
        hash.Append(Encoding.ASCII.GetBytes(world.SiteSettings.GetValueOrDefault(PackageLives.WithdrawnSerial, "0")));
        return (orders, hash.GetCurrentHashAsUInt64().ToString("x16", CultureInfo.InvariantCulture));
    }

    private static Order Form(DeviceOrder order) => new(
        order.Id, order.Number, order.Kind, order.MayStart, order.Package.Link, order.Variant, order.Previous?.Link, (int)order.Lease.TotalSeconds,
        order.Deadline, order.AllowsDowngrade, order.Retry.Tries,
        (int)Math.Ceiling(order.Retry.Pause.TotalSeconds), (int)Math.Ceiling(order.Retry.Longest.TotalSeconds), order.Settings,
        HandlingForms.ForOrder(order.Handling));
}
