namespace Bandejo.Core.Deployments;

/// <summary>
/// The counts of one wave, kept as its targets change: what <see cref="Counting.Count"/> answers, without walking over all targets each time.
/// </summary>
public sealed class WaveCounts(Gate? gate)
{
    private int[] _states = new int[Enum.GetValues<TargetState>().Length];
    private int _total;
    private int _bottom;
    private int _top;
    private int _trials;
    private int _failures;
    private int _goingBack;
    private int _notBack;
    private int _changed;
    private int _harms;
    private DateTimeOffset? _trouble;

    /// <summary>The target with the last trouble has gone: <see cref="FindTrouble"/> must be called before the next <see cref="Tally"/>.</summary>
    public bool IsTroubleStale { get; private set; }

    /// <summary>The counts as they can be kept.</summary>
    public WaveFigures Figures => new(_total, _bottom, _top, _trials, _failures, _goingBack, _notBack, _changed, _harms, ShelvedCounts.Named(_states),
        _trouble);

    /// <summary>Counts that were kept.</summary>
    public static WaveCounts Of(Gate? gate, WaveFigures kept) => new(gate)
    {
        _total = kept.Total, _bottom = kept.Bottom, _top = kept.Top, _trials = kept.Trials, _failures = kept.Failures, _goingBack = kept.GoingBack,
        _notBack = kept.NotBack, _changed = kept.Changed, _harms = kept.Harms, _states = ShelvedCounts.ByState(kept.States), _trouble = kept.Trouble,
    };

    /// <summary>The same counts, to be changed apart.</summary>
    public WaveCounts Copy()
    {
        var copy = (WaveCounts)MemberwiseClone();
        copy._states = (int[])_states.Clone();
        return copy;
    }

    /// <summary>Counts a target in. A proof is taken to be fresh, and a device not to be silent.</summary>
    public void Add(Target target)
    {
        Count(target, 1);
        _trouble = Later(_trouble, target.TroubleAt);
    }

    /// <summary>Takes a target out again, exactly as it was counted in.</summary>
    public void Remove(Target target)
    {
        Count(target, -1);
        IsTroubleStale |= target.TroubleAt is not null && target.TroubleAt == _trouble;
    }

    /// <summary>Looks for the last trouble anew, among all targets of the wave.</summary>
    /// <param name="troubles">When something last went wrong with each.</param>
    public void FindTrouble(IEnumerable<DateTimeOffset?> troubles)
    {
        _trouble = troubles.Aggregate((DateTimeOffset?)null, Later);
        IsTroubleStale = false;
    }

    /// <summary>The counts at a moment.</summary>
    /// <param name="inDoubt">The targets whose proof may have become too old, or whose device may be silent by now.</param>
    public Tally Tally(IEnumerable<Target> inDoubt, TimeSpan proofAge, Func<string, DateTimeOffset?> lastHeard, DateTimeOffset now)
    {
        var (bottom, top) = (_bottom, _top);
        foreach (var target in inDoubt)
        {
            var then = AtFirst(target);
            var (isInBottom, isInTop) = Counting.ForGate(target, gate, proven => now - proven <= proofAge, silent => !(
                lastHeard(target.Device) is { } heard && now - heard < silent));
            bottom += (isInBottom ? 1 : 0) - (then.Bottom ? 1 : 0);
            top += (isInTop ? 1 : 0) - (then.Top ? 1 : 0);
        }

        return new Tally(
            _total, bottom, top, _total - bottom, _trials, _failures, _trouble, _goingBack, _harms,
            (int[])_states.Clone()) { NotBack = _notBack, Changed = _changed };
    }

    private static DateTimeOffset? Later(DateTimeOffset? a, DateTimeOffset? b) => b is null || b <= a ? a : b;

    private (bool Bottom, bool Top) AtFirst(Target target) => Counting.ForGate(target, gate, _ => true, _ => false);

    private void Count(Target target, int by)
    {
        var (bottom, top) = AtFirst(target);
        var isFailure = target.State.Has(TargetTrait.Fails) || (target.State == TargetState.Undone && target.HasFailed);
        _total += by;
        _bottom += bottom ? by : 0;
        _top += top ? by : 0;
        _failures += isFailure ? by : 0;
        _trials += isFailure || (target.State == TargetState.Met && target.IsInstalledHere) ? by : 0;
        _goingBack += target.IsToGoBack || target is { IsGoingBack: true, State: not (TargetState.Undone or TargetState.Failed) } ? by : 0;
        _notBack += target.CannotGoBack || target is { IsGoingBack: true, State: TargetState.Failed } ? by : 0;
        _changed += target is { State: TargetState.Working } or { HasBegun: true, Before: not null, State: not TargetState.Undone } ? by : 0;
        // A device counts once, however often its user says so.
        _harms += by * (target.Harms > 0 ? 1 : 0);
        _states[(int)target.State] += by;
    }
}
