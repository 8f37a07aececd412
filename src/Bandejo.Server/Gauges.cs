using System.Diagnostics.Metrics;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server;

/// <summary>Figures for monitoring.</summary>
internal sealed class Gauges : IDisposable
{
    public const string MeterName = "Bandejo";

    private readonly Meter _meter;

    public Gauges(WorldHost world, IMeterFactory meters)
    {
        _meter = meters.Create(MeterName);
        _meter.CreateObservableGauge(
            "bandejo.devices", () => Measured(world, each => [new Measurement<int>(each.Devices.Count)]), "{device}", "Enrolled devices");
        _meter.CreateObservableGauge("bandejo.events", () => world.LastEvent, "{event}", "Number of the last event");
        _meter.CreateObservableGauge(
            "bandejo.targets",
            () =>
                Measured(world, each => [.. each.Deployments.Values.Where(deployment => deployment.IsActive).SelectMany(
                    deployment => deployment.Targets.States().Select((count, state) => (count, state)))
                .GroupBy(pair => pair.state, pair => pair.count)
                    .Select(group => new Measurement<int>(group.Sum(), new KeyValuePair<string, object?>("state", StateNames.Of((TargetState)group.Key))))]),
            "{target}",
            "Targets of deployments that have not ended, by state");
        _meter.CreateObservableGauge(
            "bandejo.forgotten", () => Freed(world, report => report.Rows), "{row}", "Rows of what was that went when it was last looked what is over");
        _meter.CreateObservableGauge(
            "bandejo.forgotten.logs", () => Freed(world, report => report.LogBytes), "By", "What the logs of attempts took that went with them");
        _meter.CreateObservableGauge(
            "bandejo.deployments",
            () => Measured(world, each => [.. new[] { false, true }.Select(isShelved => new Measurement<int>(
                each.Deployments.Values.Count(deployment => deployment.IsShelved == isShelved),
                new KeyValuePair<string, object?>("targets", isShelved ? "kept" : "in-memory")))]),
            "{deployment}",
            "Deployments by where their targets are: in memory, or, of those that are over, only kept");
    }

    public void Dispose() => _meter.Dispose();

    private static IReadOnlyList<Measurement<long>> Freed(WorldHost world, Func<RetentionReport, long> part)
    {
        try
        {
            return world.Read(Retention.LastOf) is { } report ? [new Measurement<long>(part(report))] : [];
        }
        catch (StoreException)
        {
            return [];
        }
    }

    /// <summary>What is measured; nothing while everything is being read anew.</summary>
    private static IReadOnlyList<Measurement<int>> Measured(WorldHost world, Func<FleetWorld, IReadOnlyList<Measurement<int>>> look)
    {
        try
        {
            return world.Read(look);
        }
        catch (StoreException)
        {
            return [];
        }
    }
}
