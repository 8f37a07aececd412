using System.Diagnostics.Metrics;
using Bandejo.Core.Deployments;
using Bandejo.Server.World;

namespace Bandejo.Server;

/// <summary>Figures for monitoring.</summary>
internal sealed class Gauges : IDisposable
{
    public const string MeterName = "Bandejo";

    private readonly Meter _meter;

    public Gauges(FleetWorld world, IMeterFactory meters)
    {
        _meter = meters.Create(MeterName);
        _meter.CreateObservableGauge("bandejo.devices", () => world.Read(each => each.Devices.Count), "{device}", "Enrolled devices");
        _meter.CreateObservableGauge("bandejo.events", () => world.LastEvent, "{event}", "Number of the last event");
        _meter.CreateObservableGauge(
            "bandejo.targets",
            () => world.Read(each => each.Deployments.Values.Where(deployment => deployment.IsActive).SelectMany(deployment => deployment.Targets.Values).GroupBy(target => target.State)
                .Select(group => new Measurement<int>(group.Count(), new KeyValuePair<string, object?>("state", Words.Of(group.Key)))).ToList()),
            "{target}",
            "Targets of deployments that have not ended, by state");
    }

    public void Dispose() => _meter.Dispose();
}
