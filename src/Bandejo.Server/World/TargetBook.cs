using System.Runtime.InteropServices;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;

namespace Bandejo.Server.World;

/// <summary>The targets of one deployment. What is counted of them follows every change, so that nobody has to walk over all to know it.</summary>
internal sealed class TargetBook(DeploymentPlan plan)
{
    private readonly Dictionary<int, Slot> _slots = [];
    private readonly Bitmap[] _byState = [.. Enum.GetValues<TargetState>().Select(_ => new Bitmap())];
    private readonly Bitmap[] _byWave = [.. plan.Waves.Select(_ => new Bitmap())];
    private readonly Bitmap _harmed = new();
    private readonly WaveCounts[] _counts = [.. plan.Waves.Select(wave => new WaveCounts(wave.Gate))];
    private readonly PriorityQueue<int, DateTimeOffset> _due = new();

    public int Count => _slots.Count;

    public IEnumerable<Target> All => _slots.Values.Select(slot => slot.Target);

    /// <summary>The devices of all targets, by their rows.</summary>
    public IReadOnlyList<int> Rows => [.. _slots.Keys];

    /// <summary>Targets with a harm report.</summary>
    public IEnumerable<Target> Harmed => _harmed.Rows().Select(row => _slots[row].Target);

    /// <summary>When time alone next changes something in a target; null for never.</summary>
    public DateTimeOffset? NextDue => _due.TryPeek(out _, out var at) ? at : null;

    /// <summary>The target of a device that is known to be one.</summary>
    public Target this[DeviceEntry device] => _slots[device.Row].Target;

    /// <summary>The target of a device; null where it is none.</summary>
    public Target? Of(DeviceEntry device) => _slots.GetValueOrDefault(device.Row).Target;

    public bool Has(DeviceEntry device) => _slots.ContainsKey(device.Row);

    /// <summary>Takes over a new or changed target.</summary>
    /// <param name="dueAt">When time alone will change something in it; null for never.</param>
    public void Put(DeviceEntry device, Target target, DateTimeOffset? dueAt)
    {
        ref var slot = ref CollectionsMarshal.GetValueRefOrAddDefault(_slots, device.Row, out var isThere);
        if (isThere)
        {
            Uncount(device.Row, slot.Target);
        }

        slot.Target = target;
        _byState[(int)target.State][device.Row] = true;
        _harmed[device.Row] = target.Harms > 0;
        if (target.Wave >= 0)
        {
            _byWave[target.Wave][device.Row] = true;
            _counts[target.Wave].Add(target);
        }

        // One entry a target, or few: whoever comes too early is asked again then.
        if (dueAt is { } due && !(slot.DueAt <= due))
        {
            slot.DueAt = due;
            _due.Enqueue(device.Row, due);
        }
    }

    /// <summary>Forgets the target of a device.</summary>
    public void Remove(DeviceEntry device)
    {
        if (_slots.Remove(device.Row, out var slot))
        {
            Uncount(device.Row, slot.Target);
            _harmed[device.Row] = false;
        }
    }

    /// <summary>Takes out the rows that time may have changed something for. They come again only after a <see cref="Put"/> or <see cref="Later"/>.</summary>
    public IReadOnlyList<int> TakeDue(DateTimeOffset now)
    {
        var rows = new List<int>();
        while (_due.TryPeek(out var row, out var at) && at <= now)
        {
            _due.Dequeue();
            ref var slot = ref CollectionsMarshal.GetValueRefOrNullRef(_slots, row);
            if (!System.Runtime.CompilerServices.Unsafe.IsNullRef(ref slot) && slot.DueAt == at)
            {
                slot.DueAt = null;
                rows.Add(row);
            }
        }

        return rows;
    }

    /// <summary>Asks again for a target at another time.</summary>
    public void Later(DeviceEntry device, DateTimeOffset? dueAt) => Put(device, this[device], dueAt);

    /// <summary>How many targets are in each state, by the order of <see cref="TargetState"/>.</summary>
    /// <param name="among">Only of these devices; null for all.</param>
    public int[] States(Bitmap? among = null) => [.. _byState.Select(rows => among is null ? rows.Count() : rows.CountWith(among))];

    /// <summary>The rows of the targets in one of these states.</summary>
    public Bitmap In(params IEnumerable<TargetState> states) => states.Aggregate(new Bitmap(), (rows, state) => rows.Or(_byState[(int)state]));

    /// <summary>The rows of the targets of a wave.</summary>
    public Bitmap InWave(int wave) => _byWave[wave].Copy();

    /// <summary>The targets in one of these states.</summary>
    public IEnumerable<Target> With(params IEnumerable<TargetState> states) => In(states).Rows().Select(row => _slots[row].Target);

    /// <summary>The counts of each wave. That a proof has become too old shows when its target has been looked at, within a moment.</summary>
    public IReadOnlyList<Tally> Tallies(Func<string, DateTimeOffset?> lastHeard, DateTimeOffset now)
    {
        var tallies = new Tally[_counts.Length];
        for (var wave = 0; wave < tallies.Length; wave++)
        {
            if (_counts[wave].IsTroubleStale)
            {
                _counts[wave].FindTrouble(_byWave[wave].Rows().Select(row => _slots[row].Target));
            }

            var silent = plan.Waves[wave].Gate?.SilentAfter is null ? [] : InWave(wave).And(_byState[(int)TargetState.Unknown]).Rows().Select(row => _slots[row].Target);
            tallies[wave] = _counts[wave].Tally(silent, plan.ProofAge, lastHeard, now);
        }

        return tallies;
    }

    /// <summary>The targets of a wave that its gate counts, that are to do something, and whose devices are among the silent.</summary>
    public Bitmap SilentRowsIn(int wave, Gate? gate, Bitmap silent)
    {
        // Who never began and is left out when silent is not counted, and keeps no gate from passing.
        var waiting = gate?.SilentAfter is null ? In(TargetState.Ready, TargetState.Retry, TargetState.Unknown) : In(TargetState.Ready, TargetState.Retry);
        return waiting.And(_byWave[wave]).And(silent);
    }

    private void Uncount(int row, Target target)
    {
        _byState[(int)target.State][row] = false;
        if (target.Wave >= 0)
        {
            _byWave[target.Wave][row] = false;
            _counts[target.Wave].Remove(target);
        }
    }

    private struct Slot
    {
        public Target Target;
        public DateTimeOffset? DueAt;
    }
}
