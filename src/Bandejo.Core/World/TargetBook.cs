using System.Numerics;
using System.Runtime.Intrinsics;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>
/// The targets of one deployment. What is counted of them follows every change, so that nobody has to walk over all to know it. They stand in pages of
/// <see cref="PageRows"/> devices; what stands still shares them until they are written.
/// </summary>
public sealed class TargetBook
{
    /// <summary>How many devices a page holds.</summary>
    private const int PageRows = 256;

    private const int WordsOfAPage = PageRows / 64;

    private const byte NoWave = 255;

    private static readonly int StateCount = Enum.GetValues<TargetState>().Length;

    private readonly DeploymentPlan _plan;
    private Func<int, string> _deviceOf;
    private readonly TargetCell.Sharing _sharing = new();
    private readonly WaveCounts[] _counts;
    private readonly int[] _states;
    private readonly Bitmap _harmed;
    private readonly Bitmap? _turns;
    private readonly bool _isShelved;
    private volatile TargetBook? _lent;
    private Page?[] _pages = [];
    private object _writer = new();
    private bool _isTableShared;
    private bool _isStill;

    /// <param name="deviceOf">The identity of the device in a row.</param>
    internal TargetBook(DeploymentPlan plan, Func<int, string> deviceOf)
    {
        (_plan, _deviceOf, _harmed, _states) = (plan, deviceOf, new Bitmap(), new int[StateCount]);
        _turns = plan.AtOnce is null && plan.Fetch.AtOnce is null ? null : new Bitmap();
        _counts = [.. plan.Waves.Select(wave => new WaveCounts(wave.Gate))];
    }

    private TargetBook(TargetBook moving, Func<int, string> deviceOf)
    {
        (_plan, _deviceOf, _pages, _isStill, _isShelved, Count) = (moving._plan, deviceOf, moving._pages, true, moving._isShelved, moving.Count);
        (_harmed, _turns) = (moving._harmed.Still(), moving._turns?.Still());
        (_states, _counts) = ((int[])moving._states.Clone(), [.. moving._counts.Select(counts => counts.Copy())]);
        _lent = moving._lent;
    }

    /// <summary>The targets of a deployment whose targets are only kept: there is what is counted of them.</summary>
    internal TargetBook(DeploymentPlan plan, Func<int, string> deviceOf, ShelvedCounts kept)
    {
        (_plan, _deviceOf, _harmed, _isShelved, Count) = (plan, deviceOf, new Bitmap(), true, kept.Count);
        _states = ShelvedCounts.ByState(kept.States);
        _counts = [.. plan.Waves.Select((wave, at) => WaveCounts.Of(wave.Gate, kept.Waves[at]))];
    }

    public int Count { get; private set; }

    /// <summary>Whether they are only kept, and not in memory: of single ones is read only where they were lent.</summary>
    internal bool IsShelved => _isShelved;

    /// <summary>Whether single ones can be read: they are in memory, or were lent.</summary>
    internal bool CanBeRead => !_isShelved || _lent is not null;

    /// <summary>What is counted of them, to be kept.</summary>
    internal ShelvedCounts Counts => new(Count, ShelvedCounts.Named(_states), [.. _counts.Select(each => each.Figures)]);

    // Who asks for single targets that are only kept is told so, and finds them here once they were fetched.
    private TargetBook There => !_isShelved ? this : _lent ?? throw new TargetsShelvedException(_plan.Id);

    /// <summary>All targets, by the rows of their devices.</summary>
    public IEnumerable<Target> All => Rows.Select(row => Cell(row).ToTarget(_deviceOf(row)));

    /// <summary>The devices of all targets, by their rows.</summary>
    public IEnumerable<int> Rows
    {
        get
        {
            var book = There;
            for (var page = 0; page < book._pages.Length; page++)
            {
                for (var at = 0; book._pages[page] is not null && at < PageRows; at++)
                {
                    if (book._pages[page] is { } there && !there.Cells[at].IsEmpty)
                    {
                        yield return (page * PageRows) + at;
                    }
                }
            }
        }
    }

    /// <summary>Targets with a harm report.</summary>
    public IEnumerable<Target> Harmed => There._harmed.Rows().Select(At);

    /// <summary>The rows of the devices that have a turn. Known only where turns are asked for. To be read only.</summary>
    internal Bitmap Turns => There._turns ?? throw new InvalidOperationException($"'{_plan.Name}' asks for no turns.");

    /// <summary>When time alone next changes something in a target, at the earliest; null for never.</summary>
    public DateTimeOffset? NextDue
    {
        get
        {
            var next = long.MaxValue;
            foreach (var page in There._pages)
            {
                next = Math.Min(next, page?.DueFrom ?? long.MaxValue);
            }

            return next == long.MaxValue ? null : new DateTimeOffset(next, TimeSpan.Zero);
        }
    }

    /// <summary>The target of a device that is known to be one.</summary>
    /// <exception cref="KeyNotFoundException">It is none.</exception>
    public Target this[DeviceEntry device] => Of(device) ?? throw new KeyNotFoundException($"{device.Name} is no target of '{_plan.Name}'.");

    /// <summary>The target of a device; null where it is none.</summary>
    public Target? Of(DeviceEntry device) => Has(device) ? Cell(device.Row).ToTarget(device.Id) : null;

    /// <summary>Whether a device is a target.</summary>
    public bool Has(DeviceEntry device) => PageOf(device.Row) is { } page && !page.Cells[device.Row % PageRows].IsEmpty;

    /// <summary>How many targets had a package before.</summary>
    public int CountBefore(string package) => Rows.Count(row => Cell(row).BeforePackage == package);

    /// <summary>What stands of a device that is known to be a target, where it lies.</summary>
    internal ref readonly TargetCell Glance(DeviceEntry device) => ref There._pages[device.Row / PageRows]!.Cells[device.Row % PageRows];

    /// <summary>The state of a device's target; null where it is none.</summary>
    public TargetState? StateOf(DeviceEntry device) => Has(device) ? Cell(device.Row).State : null;

    /// <summary>How many targets are in each state, by the order of <see cref="TargetState"/>.</summary>
    /// <param name="among">Only of these devices; null for all.</param>
    public int[] States(Bitmap? among = null)
    {
        if (among is null)
        {
            return (int[])_states.Clone();
        }

        var counts = new int[StateCount];
        var (rows, pages) = (among.Words, There._pages);
        for (var page = 0; page < pages.Length; page++)
        {
            for (var word = 0; pages[page] is { } there && word < WordsOfAPage; word++)
            {
                var meant = (page * WordsOfAPage) + word is var at && at < rows.Length ? rows[at] : 0;
                for (var state = 0; meant != 0 && state < StateCount; state++)
                {
                    counts[state] += BitOperations.PopCount(there.States[(state * WordsOfAPage) + word] & meant);
                }
            }
        }

        return counts;
    }

    /// <summary>The rows of the targets in one of these states.</summary>
    public Bitmap In(params IEnumerable<TargetState> states)
    {
        var meant = states.Select(state => (int)state).Distinct().ToArray();
        return Marked((page, word) =>
        {
            ulong rows = 0;
            foreach (var state in meant)
            {
                rows |= page.States[(state * WordsOfAPage) + word];
            }

            return rows;
        });
    }

    /// <summary>The rows of all targets.</summary>
    public Bitmap AllRows() => In(Enum.GetValues<TargetState>());

    /// <summary>The rows of the targets of a wave.</summary>
    public Bitmap InWave(int wave) => Marked((page, word) => RowsWith(page.Waves, word * 64, (byte)wave));

    /// <summary>The targets in one of these states.</summary>
    public IEnumerable<Target> With(params IEnumerable<TargetState> states) => In(states).Rows().Select(At);

    /// <summary>The counts of each wave. That a proof has become too old shows when its target has been looked at, within a moment.</summary>
    public IReadOnlyList<Tally> Tallies(Func<string, DateTimeOffset?> lastHeard, DateTimeOffset now)
    {
        var tallies = new Tally[_counts.Length];
        for (var wave = 0; wave < tallies.Length; wave++)
        {
            FindTrouble(wave);
            var silent = _isShelved || _plan.Waves[wave].Gate?.SilentAfter is null ? [] : InWave(wave).And(In(TargetState.Unknown)).Rows().Select(At);
            tallies[wave] = _counts[wave].Tally(silent, _plan.ProofAge, lastHeard, now);
        }

        return tallies;
    }

    /// <summary>The targets of a wave that its gate counts, that are to do something, and whose devices are among the silent.</summary>
    public Bitmap SilentRowsIn(int wave, Gate? gate, Bitmap silent)
    {
        // Who never began and is left out when silent is not counted, and keeps no gate from passing.
        var waiting = In(TargetTraits.With(TargetTrait.Starts));
        waiting = gate?.SilentAfter is null ? waiting.Or(In(TargetState.Unknown)) : waiting;
        return waiting.And(InWave(wave)).And(silent);
    }

    /// <summary>The device of a row that has a target; null where it has none.</summary>
    internal string? DeviceOf(int row) => PageOf(row) is { } page && !page.Cells[row % PageRows].IsEmpty ? _deviceOf(row) : null;

    /// <summary>Those that are only kept are read in another book from now on; null where they are not.</summary>
    internal void Lend(TargetBook? kept) => _lent = kept;

    /// <summary>From now on the rows are those of another world.</summary>
    internal void BelongTo(Func<int, string> deviceOf) => _deviceOf = deviceOf;

    /// <summary>The targets as they stand now, whatever becomes of these.</summary>
    /// <param name="deviceOf">The identity of the device in a row, as it is now.</param>
    internal TargetBook Still(Func<int, string> deviceOf)
    {
        // What stands still is read by many at once, and finds nothing out for itself.
        for (var wave = 0; wave < _counts.Length; wave++)
        {
            FindTrouble(wave);
        }

        _writer = new object();
        _isTableShared = true;
        return new TargetBook(this, deviceOf);
    }

    /// <summary>Takes over a new or changed target.</summary>
    /// <param name="dueAt">When time alone will change something in it; null for never.</param>
    internal void Put(int row, Target target, DateTimeOffset? dueAt)
    {
        var page = Own(row);
        var at = row % PageRows;
        Uncount(page, row);
        page.Cells[at] = TargetCell.Of(target, _sharing);
        page.Waves[at] = target.Wave < 0 ? NoWave : (byte)target.Wave;
        page.States[((int)target.State * WordsOfAPage) + (at / 64)] |= 1UL << (at % 64);
        page.DueFrom = Math.Min(page.DueFrom, dueAt?.UtcTicks ?? long.MaxValue);
        _states[(int)target.State]++;
        _harmed[row] = target.Harms > 0;
        if (_turns is not null)
        {
            _turns[row] = target.HasTurn;
        }

        Count++;
        if (target.Wave >= 0)
        {
            _counts[target.Wave].Add(target);
        }
    }

    /// <summary>Forgets the target of a row.</summary>
    internal void Remove(int row)
    {
        if (PageOf(row) is { } there && !there.Cells[row % PageRows].IsEmpty)
        {
            var page = Own(row);
            Uncount(page, row);
            page.Cells[row % PageRows] = default;
            page.Waves[row % PageRows] = NoWave;
            _harmed[row] = false;
            if (_turns is not null)
            {
                _turns[row] = false;
            }
        }
    }

    /// <summary>
    /// Of the targets whose devices hold an order and wait, by calendars or by what they say: how many told that the files are there, and how many there are.
    /// </summary>
    public (int There, int Waiting) Files()
    {
        var (there, waiting) = (0, 0);
        foreach (var page in There._pages)
        {
            for (var at = 0; page is not null && at < PageRows; at++)
            {
                ref readonly var cell = ref page!.Cells[at];
                if (!cell.IsEmpty && cell.IsOrdered && (cell.State == TargetState.Waiting
                    || (cell.State == TargetState.Ready && (cell.HasFiles || cell.WaitsFor is not null))))
                {
                    waiting++;
                    there += cell.HasFiles ? 1 : 0;
                }
            }
        }

        return (there, waiting);
    }

    /// <summary>The rows that time has changed something for by now.</summary>
    /// <param name="dueAt">When time alone changes something in a target; null for never.</param>
    /// <param name="most">How many at most, but for the last page; the others come when it is asked again.</param>
    internal IReadOnlyList<int> TakeDue(DateTimeOffset now, Func<Target, DateTimeOffset?> dueAt, int most)
    {
        var rows = new List<int>();
        for (var number = 0; number < _pages.Length && rows.Count < most; number++)
        {
            if (_pages[number] is not { } page || page.DueFrom > now.UtcTicks)
            {
                continue;
            }

            page.DueFrom = long.MaxValue;
            for (var at = 0; at < PageRows; at++)
            {
                var row = (number * PageRows) + at;
                if (page.Cells[at].IsEmpty || dueAt(At(row)) is not { } due)
                {
                    continue;
                }

                // Those that are due now count until they were looked at: whoever asks again finds those that were not.
                page.DueFrom = Math.Min(page.DueFrom, due.UtcTicks);
                if (due <= now)
                {
                    rows.Add(row);
                }
            }
        }

        return rows;
    }

    private void FindTrouble(int wave)
    {
        if (_counts[wave].IsTroubleStale && !_isShelved)
        {
            _counts[wave].FindTrouble(InWave(wave).Rows().Select(row => Cell(row).TroubleAt));
        }
    }

    private Target At(int row) => Cell(row).ToTarget(_deviceOf(row));

    private TargetCell Cell(int row) => There._pages[row / PageRows]!.Cells[row % PageRows];

    private Page? PageOf(int row) => There._pages is var pages && row / PageRows < pages.Length ? pages[row / PageRows] : null;

    private Page Own(int row)
    {
        if (_isStill)
        {
            throw new InvalidOperationException("What stands still is not written.");
        }

        if (_isShelved)
        {
            throw new TargetsShelvedException(_plan.Id);
        }

        var number = row / PageRows;
        if (number >= _pages.Length)
        {
            Array.Resize(ref _pages, Math.Max(number + 1, _pages.Length * 2));
            _isTableShared = false;
        }
        else if (_isTableShared)
        {
            _pages = (Page?[])_pages.Clone();
            _isTableShared = false;
        }

        if (_pages[number] is not { } page)
        {
            return _pages[number] = new Page(_writer);
        }

        return page.Writer == _writer ? page : _pages[number] = page.Copy(_writer);
    }

    private void Uncount(Page page, int row)
    {
        var at = row % PageRows;
        if (page.Cells[at].IsEmpty)
        {
            return;
        }

        var target = At(row);
        page.States[((int)target.State * WordsOfAPage) + (at / 64)] &= ~(1UL << (at % 64));
        _states[(int)target.State]--;
        Count--;
        if (target.Wave >= 0)
        {
            _counts[target.Wave].Remove(target);
        }
    }

    private Bitmap Marked(Func<Page, int, ulong> rows)
    {
        var pages = There._pages;
        var marked = new Bitmap(pages.Length * PageRows);
        for (var number = 0; number < pages.Length; number++)
        {
            for (var word = 0; pages[number] is { } page && word < WordsOfAPage; word++)
            {
                marked.Words[(number * WordsOfAPage) + word] = rows(page, word);
            }
        }

        return marked;
    }

    private static ulong RowsWith(byte[] waves, int from, byte wave)
    {
        ulong rows = 0;
        var wanted = Vector256.Create(wave);
        for (var at = 0; at < 64; at += Vector256<byte>.Count)
        {
            rows |= (ulong)Vector256.Equals(Vector256.Create(waves, from + at), wanted).ExtractMostSignificantBits() << at;
        }

        return rows;
    }

    private sealed class Page
    {
        public Page(object writer)
        {
            (Writer, Cells, Waves, States) = (writer, new TargetCell[PageRows], new byte[PageRows], new ulong[StateCount * WordsOfAPage]);
            Array.Fill(Waves, NoWave);
        }

        private Page(Page page, object writer) =>
            (Writer, Cells, Waves, States, DueFrom) = (
                writer, (TargetCell[])page.Cells.Clone(), (byte[])page.Waves.Clone(), (ulong[])page.States.Clone(), page.DueFrom);

        /// <summary>Whoever may write here without copying it first.</summary>
        public object Writer { get; }

        public TargetCell[] Cells { get; }

        public byte[] Waves { get; }

        /// <summary>The rows of each state, a bit each.</summary>
        public ulong[] States { get; }

        /// <summary>When time alone changes something here, at the earliest, in ticks of UTC. What stands still does not look at it.</summary>
        public long DueFrom { get; set; } = long.MaxValue;

        public Page Copy(object writer) => new(this, writer);
    }
}
