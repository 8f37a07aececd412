using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>Who was not heard from for long; shown, and decides nothing.</summary>
public sealed partial class FleetWorld
{
    private static readonly TimeSpan SilenceLag = TimeSpan.FromMinutes(1);

    /// <summary>The counts with those who are late and those who were not heard from for long, for whoever shows them.</summary>
    public IReadOnlyList<Tally> TalliesToShow(DeploymentEntry deployment)
    {
        var silent = SilentRows();
        return [.. Lateness.With(this, deployment, Tallies(deployment)).Select(
            (tally, wave) =>
                deployment.State.Waves[wave].OpenedAt is null || !deployment.IsActive
                    ? tally
                    : tally with { Silent = deployment.Targets.SilentRowsIn(wave, deployment.Plan.Waves[wave].Gate, silent).Count() })];
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
        if (_silence.Last is not { } known || Now - known.At > SilenceLag || Now < known.At || known.Devices != Devices.Count)
        {
            var rows = new Bitmap(Columns.Rows);
            foreach (var device in Devices.Values)
            {
                if (Sentences.IsSilent(device.HeardOrJoined, CheckInInterval, Now))
                {
                    rows[device.Row] = true;
                }
            }

            _silence.Last = known = new SilenceKnown.Looked(Now, Devices.Count, rows);
        }

        return known.Rows;
    }

    /// <summary>What was found last, for all who look.</summary>
    private sealed class SilenceKnown
    {
        private volatile Looked? _last;

        public Looked? Last
        {
            get => _last;
            set => _last = value;
        }

        public sealed record Looked(DateTimeOffset At, int Devices, Bitmap Rows);
    }
}
