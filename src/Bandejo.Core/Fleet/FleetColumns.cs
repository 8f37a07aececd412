using Bandejo.Core.Rules;

namespace Bandejo.Core.Fleet;

/// <summary>Which rows a rule holds for, and for which it is not known yet. All other live rows are false.</summary>
public sealed record RuleRows(Bitmap True, Bitmap NotKnown);

/// <summary>The place of one fact in a fleet's columns.</summary>
public readonly struct FactColumn : IEquatable<FactColumn>
{
    internal FactColumn(Column column) => Column = column;

    internal Column Column { get; }

    public bool Equals(FactColumn other) => ReferenceEquals(Column, other.Column);

    public override bool Equals(object? obj) => obj is FactColumn other && Equals(other);

    public override int GetHashCode() => Column.GetHashCode();
}

/// <summary>
/// What is known of every device, kept by fact instead of by device, so that a rule over the whole fleet is a few passes over dense arrays.
/// A device has a row number that stays the same while it is enrolled. Not safe for use from several threads at once.
/// </summary>
public sealed class FleetColumns
{
    private readonly Dictionary<FactRef, Column> _columns;
    private readonly List<AppColumn> _apps = [];
    private readonly Bitmap _live;
    private readonly Bitmap _complete;

    private readonly Stack<int> _free = new();
    private readonly Dictionary<string, RowTest> _tests = new(StringComparer.Ordinal);
    private int _rows;
    private (long Version, FleetColumns Columns)? _still;

    public FleetColumns() => (_columns, _live, _complete) = ([], new Bitmap(), new Bitmap());

    private FleetColumns(FleetColumns moving)
    {
        (_live, _complete, _rows, Version) = (moving._live.Still(), moving._complete.Still(), moving._rows, moving.Version);
        _columns = moving._columns.ToDictionary(pair => pair.Key, pair => pair.Value.Still(_complete));
    }

    /// <summary>Rises with every change of a fact.</summary>
    internal long Version { get; private set; }

    /// <summary>The rows that stand for a device.</summary>
    public Bitmap Live => _live;

    /// <summary>One more than the highest row ever given out.</summary>
    public int Rows => _rows;

    /// <summary>A row for a new device, without facts.</summary>
    public int Add()
    {
        var row = _free.TryPop(out var free) ? free : _rows++;
        Version++;
        _live[row] = true;
        return row;
    }

    /// <summary>What is known now, for readers on any thread, whatever changes here meanwhile. It must not be changed.</summary>
    public FleetColumns Still()
    {
        if (_still is not { } known || known.Version != Version)
        {
            _still = known = (Version, new FleetColumns(this));
        }

        return known.Columns;
    }

    /// <summary>Forgets a device; its row may be given to another.</summary>
    public void Remove(int row)
    {
        Version++;
        foreach (var column in _columns.Values)
        {
            column.Set(row, FactLookup.NotKnown);
        }

        _live[row] = false;
        _complete[row] = false;
        _free.Push(row);
    }

    /// <summary>Says whether the device's list of programs is complete: then an app without an entry is certainly absent.</summary>
    public void SetInventoryComplete(int row, bool isComplete)
    {
        Version++;
        _complete[row] = isComplete;
        foreach (var column in _apps)
        {
            column.Forget();
        }
    }

    /// <summary>Sets what is known of a fact. The value's type must be the fact's type in <see cref="FactCatalog"/>.</summary>
    public void Set(int row, FactRef fact, FactLookup value) => Set(row, Column(fact), value);

    /// <summary>The same for whoever has looked up the fact's place before.</summary>
    public void Set(int row, FactColumn fact, FactLookup value)
    {
        Version++;
        fact.Column.Set(row, value);
    }

    /// <summary>Where a fact stands; it stays there as long as this object lives.</summary>
    public FactColumn Column(FactRef fact)
    {
        if (!_columns.TryGetValue(fact, out var column))
        {
            _columns[fact] = column = NewColumn(fact);
        }

        return new FactColumn(column);
    }

    /// <summary>A rule in the form that is asked for one row at a time, in less than a microsecond.</summary>
    public RowRule Compile(Rule rule) => new(this, rule, condition =>
    {
        var text = Printer.Print(condition);
        if (!_tests.TryGetValue(text, out var test))
        {
            _tests[text] = test = Column(condition.Fact).Column.Compile(condition);
        }

        return test;
    });

    public FactLookup Get(int row, FactRef fact) =>
        _columns.TryGetValue(fact, out var column) ? column.Get(row) : fact.IsApp && _complete[row] ? FactLookup.Absent : FactLookup.NotKnown;

    /// <summary>The facts of one row.</summary>
    public IFactSource Row(int row) => new RowFacts(this, row);

    /// <summary>Evaluates a rule for every live row. The same answer, row by row, as <see cref="Rule.Evaluate"/>.</summary>
    public RuleRows Evaluate(Rule rule)
    {
        var (isTrue, notKnown, test) = (Bitmap.Unwritten(_rows), Bitmap.Unwritten(_rows), CompileBlocks(rule.Root));
        for (var word = 0; word < isTrue.Words.Length; word += BlockTest.MostWords)
        {
            var length = Math.Min(BlockTest.MostWords, isTrue.Words.Length - word);
            test.Mark(word, isTrue.Words.AsSpan(word, length), notKnown.Words.AsSpan(word, length));
        }

        return new RuleRows(isTrue.And(_live), notKnown.And(_live));
    }

    /// <summary>How many live rows have each value of a fact, most first; not known and absent left out.</summary>
    public IReadOnlyList<(FactValue Value, int Count)> Spread(FactRef fact, Bitmap rows) =>
        [
            .. rows.Rows().Select(row => Get(row, fact).Value).OfType<FactValue>().GroupBy(value => value).Select(group => (group.Key, group.Count()))
                .OrderByDescending(pair => pair.Item2).ThenBy(pair => pair.Key.ToString(), StringComparer.Ordinal)];

    private BlockTest CompileBlocks(RuleNode node) => node switch
    {
        ConstantNode constant => new ConstantBlocks(constant.Value ? Truth.True : Truth.False),
        UnreadableNode => new ConstantBlocks(Truth.NotKnown),
        NotNode not => new OppositeBlocks(CompileBlocks(not.Part)),
        JoinedNode joined => new JoinedBlocks(joined.IsAnd, [.. joined.Parts.Select(CompileBlocks)]),
        ConditionNode condition =>
            (_columns.GetValueOrDefault(condition.Fact) ?? (condition.Fact.IsApp ? new AppColumn(_complete) : Made(condition.Fact))).CompileBlocks(condition),
        _ => throw new InvalidOperationException($"No meaning for {node.GetType().Name}."),
    };

    private Column NewColumn(FactRef fact)
    {
        if (fact.IsApp)
        {
            var app = new AppColumn(_complete);
            _apps.Add(app);
            return app;
        }

        return Made(fact);
    }

    private Column Made(FactRef fact)
    {

        if (fact.Name.StartsWith(FactCatalog.LabelPrefix, StringComparison.Ordinal))
        {
            // Labels are whatever somebody makes up, and most devices lack most of them; a label that is not there is not known, for no list of them is ever
            // complete.
            return new AppColumn(null);
        }

        return FactCatalog.TypeOf(fact) switch
        {
            FactType.Number or FactType.Size or FactType.Duration or FactType.Date => new NumberColumn(FactCatalog.TypeOf(fact)!.Value),
            _ => new CodedColumn(),
        };
    }

    private sealed class RowFacts(FleetColumns columns, int row) : IFactSource
    {
        public FactLookup Find(FactRef fact) => columns.Get(row, fact);
    }
}
