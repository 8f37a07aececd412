using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Server.World;

namespace Bandejo.Server.Devices;

/// <summary>Works out what a device is to do.</summary>
internal static class Orders
{
    /// <summary>The device's orders with their tag; kept until something changes.</summary>
    public static (IReadOnlyList<Order> Orders, string Tag) Of(FleetWorld world, DeviceEntry device)
    {
        if (device.Orders is { } known)
        {
            return known;
        }

        var orders = new List<Order>();
        foreach (var deployment in device.Deployments.Where(deployment => deployment.IsActive))
        {
            if (deployment.Targets.Of(device) is { } target && Of(world, deployment, target) is { } order)
            {
                orders.Add(order);
            }
        }

        if (DeviceTrials.Order(world, device) is { } trial)
        {
            orders.Add(trial);
        }

        var serial = world.Settings.GetValueOrDefault("withdrawn.serial", "0");
        var digest = SHA256.HashData([.. JsonSerializer.SerializeToUtf8Bytes(orders, ContractJson.Default.IReadOnlyListOrder), .. System.Text.Encoding.ASCII.GetBytes(serial)]);
        var answer = ((IReadOnlyList<Order>)orders, Convert.ToHexStringLower(digest)[..16]);
        device.Orders = answer;
        return answer;
    }

    private static Order? Of(FleetWorld world, DeploymentEntry deployment, Target target)
    {
        if (target.Variant is null || target.State is TargetState.Left or TargetState.NotNeeded or TargetState.Contested or TargetState.Yielded)
        {
            return null;
        }

        var plan = deployment.Plan;
        var isWanted = target.State is TargetState.Ready or TargetState.Working or TargetState.Retry or TargetState.Restart or TargetState.Lost;
        var mayStart = isWanted && deployment.Package.Stored.State != PackageState.Withdrawn
            && (target.IsGoingBack ? deployment.State.Status == DeploymentStatus.RollingBack : deployment.State.MayStart(target.Wave));
        if (target.IsGoingBack && !isWanted)
        {
            return null;
        }

        var previous = target is { IsGoingBack: true, BeforePackage: { } digest } && world.Packages.TryGetValue(digest, out var package) && package.Stored.State != PackageState.Withdrawn ? package.Link : null;
        return new Order(
            plan.Id, target.Order, target.IsGoingBack ? "restore" : target.State == TargetState.Choice ? "offer" : plan.Wish == Wish.Gone ? "remove" : "install", mayStart, deployment.Package.Link, target.Variant, previous,
            (int)plan.Lease.TotalSeconds, plan.Deadline, plan.AllowsDowngrade, plan.Retry.Tries, (int)Math.Ceiling(plan.Retry.Pause.TotalSeconds), (int)Math.Ceiling(plan.Retry.Longest.TotalSeconds),
            plan.Settings.Count == 0 ? null : plan.Settings);
    }
}
