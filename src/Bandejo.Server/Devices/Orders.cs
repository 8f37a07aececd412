using System.Buffers;
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
    // Used again: orders are worked out for every result that comes.
    [ThreadStatic]
    private static (ArrayBufferWriter<byte> Bytes, Utf8JsonWriter Json)? _form;

    /// <summary>
    /// The device's orders as JSON, in the form of <see cref="CheckInAnswer.Orders"/>, with their tag. Written once: what the device is sent is what the tag
    /// was taken of.
    /// </summary>
    public static (byte[] Json, string Tag) Of(FleetWorld world, DeviceEntry device)
    {
        var (form, json) = _form ??= NewForm();
        form.ResetWrittenCount();
        json.Reset();
        json.WriteStartArray();
        foreach (var order in DeviceOrder.Of(world, device))
        {
            JsonSerializer.Serialize(json, Form(order), ContractJson.Default.Order);
        }

        json.WriteEndArray();
        json.Flush();
        var orders = form.WrittenSpan.ToArray();
        Encoding.ASCII.GetBytes(world.Settings.GetValueOrDefault(PackageLives.WithdrawnSerial, "0"), form);

        // It tells orders from others that the same device had; nobody but the device itself could gain by two that are alike, so that a quick hash will do.
        return (orders, XxHash3.HashToUInt64(form.WrittenSpan).ToString("x16", CultureInfo.InvariantCulture));

        static (ArrayBufferWriter<byte>, Utf8JsonWriter) NewForm()
        {
            var form = new ArrayBufferWriter<byte>(4096);
            return (form, new Utf8JsonWriter(form));
        }
    }

    private static Order Form(DeviceOrder order) => new(
        order.Id, order.Number, order.Kind, order.MayStart, order.Package.Link, order.Variant, order.Previous?.Link, (int)order.Lease.TotalSeconds,
        order.Deadline, order.AllowsDowngrade, order.Retry.Tries,
        (int)Math.Ceiling(order.Retry.Pause.TotalSeconds), (int)Math.Ceiling(order.Retry.Longest.TotalSeconds), order.Settings,
        HandlingForms.ForOrder(order.Handling));
}
