using System.Buffers;
using System.Globalization;
using System.IO.Hashing;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Server.Handlings;
using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>Works out what a device is to do.</summary>
internal static class Orders
{
    // Used again: orders are worked out for every result that comes.
    [ThreadStatic]
    private static (ArrayBufferWriter<byte> Bytes, Utf8JsonWriter Json)? _form;

    /// <summary>The tag of the device's orders; kept until something changes.</summary>
    public static string TagOf(FleetWorld world, DeviceEntry device) => device.OrdersTag ?? Of(world, device).Tag;

    /// <summary>The device's orders as JSON, in the form of <see cref="CheckInAnswer.Orders"/>, with their tag. Written once: what the device is sent is what the tag was taken of.</summary>
    public static (byte[] Json, string Tag) Of(FleetWorld world, DeviceEntry device)
    {
        var (form, json) = _form ??= NewForm();
        form.ResetWrittenCount();
        json.Reset();
        json.WriteStartArray();
        foreach (var deployment in device.Deployments)
        {
            if (deployment.IsActive && deployment.Targets.Of(device) is { } target && Of(world, deployment, target) is { } order)
            {
                JsonSerializer.Serialize(json, order, ContractJson.Default.Order);
            }
        }

        if (DeviceTrials.Order(world, device) is { } trial)
        {
            JsonSerializer.Serialize(json, trial, ContractJson.Default.Order);
        }

        json.WriteEndArray();
        json.Flush();
        var orders = form.WrittenSpan.ToArray();
        Encoding.ASCII.GetBytes(world.Settings.GetValueOrDefault("withdrawn.serial", "0"), form);

        // It tells orders from others that the same device had; nobody but the device itself could gain by two that are alike, so that a quick hash will do.
        var tag = XxHash3.HashToUInt64(form.WrittenSpan).ToString("x16", CultureInfo.InvariantCulture);
        device.OrdersTag = tag;
        return (orders, tag);

        static (ArrayBufferWriter<byte>, Utf8JsonWriter) NewForm()
        {
            var form = new ArrayBufferWriter<byte>(4096);
            return (form, new Utf8JsonWriter(form));
        }
    }

    /// <summary>Whether content is of a package that an order of the device names: its document, or a file of it.</summary>
    public static bool Names(FleetWorld world, string id, string sha256)
    {
        if (!world.Devices.TryGetValue(id, out var device))
        {
            return false;
        }

        foreach (var deployment in device.Deployments)
        {
            if (deployment.IsActive && deployment.Targets.Of(device) is { } target && Of(world, deployment, target) is { } order && (Holds(order.Package) || Holds(order.Previous)))
            {
                return true;
            }
        }

        return DeviceTrials.Order(world, device) is { } trial && (Holds(trial.Package) || Holds(trial.Previous));

        bool Holds(PackageLink? link) => link is not null && (link.Digest == sha256 || (world.Packages.GetValueOrDefault(link.Digest)?.Content.Contains(sha256) ?? false));
    }

    private static Order? Of(FleetWorld world, DeploymentEntry deployment, Target target)
    {
        if (target.Variant is null || target.State is TargetState.Left or TargetState.NotNeeded or TargetState.Contested or TargetState.Yielded)
        {
            return null;
        }

        var plan = deployment.Plan;
        var isWanted = target.State is TargetState.Ready or TargetState.Working or TargetState.Retry or TargetState.Restart or TargetState.Lost;
        var previous = target is { IsGoingBack: true, BeforePackage: { } digest } && world.Packages.TryGetValue(digest, out var package) && package.Record.State != PackageState.Withdrawn ? package.Link : null;
        // Going back is asked for by a person and goes on whatever the deployment does, also from what was withdrawn; never to less than what was there.
        var mayStart = isWanted && (target.IsGoingBack
            ? target.Before is "" || previous is not null
            : !target.IsToGoBack && (deployment.Package.Record.State != PackageState.Withdrawn || plan.Wish == Wish.Gone) && deployment.State.MayStart(target.Wave));
        if (target.IsGoingBack && !isWanted)
        {
            return null;
        }

        return new Order(
            plan.Id, target.Order, target.IsGoingBack ? "restore" : target.State == TargetState.Choice ? "offer" : plan.Wish == Wish.Gone ? "remove" : "install", mayStart, deployment.Package.Link, target.Variant, previous,
            (int)plan.Lease.TotalSeconds, plan.Deadline, plan.AllowsDowngrade, plan.Retry.Tries, (int)Math.Ceiling(plan.Retry.Pause.TotalSeconds), (int)Math.Ceiling(plan.Retry.Longest.TotalSeconds),
            plan.Settings.Count == 0 ? null : plan.Settings, KeptHandlings.ForOrder(KeptHandlings.Of(world, plan.App, plan.Handling)));
    }
}
