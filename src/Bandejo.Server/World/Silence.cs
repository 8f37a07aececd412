using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;

namespace Bandejo.Server.World;

/// <summary>Who was not heard from for long.</summary>
internal sealed partial class FleetWorld
{
    private static readonly TimeSpan SilenceLag = TimeSpan.FromMinutes(1);

    private (DateTimeOffset At, int Devices, Bitmap Rows)? _silent;

    /// <summary>The counts with those who were not heard from for long, for whoever shows them.</summary>
    public IReadOnlyList<Tally> TalliesToShow(DeploymentEntry deployment)
    {
        var silent = SilentRows();
        return [.. Tallies(deployment).Select((tally, wave) => deployment.State.Waves[wave].OpenedAt is null ? tally : tally with { Silent = deployment.Targets.SilentRowsIn(wave, deployment.Plan.Waves[wave].Gate, silent).Count() })];
    }

    /// <summary>The devices that a deployment waits for in its open waves, and that were not heard from for long.</summary>
    public Bitmap SilentIn(DeploymentEntry deployment)
    {
        var rows = new Bitmap();
        for (var wave = 0; wave < deployment.Plan.Waves.Count; wave++)
        {
            if (deployment.State.Waves[wave].OpenedAt is not null)
            {
                rows.Or(deployment.Targets.SilentRowsIn(wave, deployment.Plan.Waves[wave].Gate, SilentRows()));
            }
        }

        return rows;
    }

    /// <summary>The rows of the devices that were not heard from for long; looked for anew once a minute.</summary>
    private Bitmap SilentRows()
    {
        if (_silent is not { } known || Now - known.At > SilenceLag || Now < known.At || known.Devices != Devices.Count)
        {
            var rows = new Bitmap(Columns.Rows);
            foreach (var device in Devices.Values)
            {
                if (Sentences.IsSilent(device.LastHeard ?? device.Record.Joined, CheckInInterval, Now))
                {
                    rows[device.Row] = true;
                }
            }

            _silent = known = (Now, Devices.Count, rows);
        }

        return known.Rows;
    }
}
