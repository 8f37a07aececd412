namespace Bandejo.Core.Deployments;

/// <summary>What compliance counts a state as.</summary>
public enum ComplianceKind
{
    Met,
    Unmet,
    Unknown,
    NotNeeded,
    LeftOut,
}

/// <summary>What holds of a target because of its state alone. Asked here, never listed elsewhere.</summary>
[Flags]
public enum TargetTrait
{
    None = 0,

    /// <summary>It is late once the deadline has passed.</summary>
    Late = 1,

    /// <summary>Its device holds an order.</summary>
    Order = 1 << 1,

    /// <summary>Its device is to carry the order out, or is at it.</summary>
    Wanted = 1 << 2,

    /// <summary>Its device is to begin, and nothing but the device is waited for.</summary>
    Starts = 1 << 3,

    /// <summary>Work is in hand on its device, and may finish whatever is decided.</summary>
    Busy = 1 << 4,

    /// <summary>It stands still when its deployment is stopped.</summary>
    Idle = 1 << 5,

    /// <summary>What it wishes counts against what others wish of the same app.</summary>
    Claims = 1 << 6,

    /// <summary>It may come to have on its device what others need first.</summary>
    Brings = 1 << 7,

    /// <summary>Something may still be changed on its device.</summary>
    Open = 1 << 8,

    /// <summary>It counts as a failure.</summary>
    Fails = 1 << 9,

    /// <summary>It does not come to be met by itself.</summary>
    Stuck = 1 << 10,

    /// <summary>Somebody may set another try.</summary>
    Retry = 1 << 11,

    /// <summary>The package is meant for its device, and the device is in the groups.</summary>
    Meant = 1 << 12,

    /// <summary>Its device began, and nobody knows yet what came of it.</summary>
    Underway = 1 << 13,
}

/// <summary>The traits of the states: one table, beside the one of what becomes of them.</summary>
public static class TargetTraits
{
    // A row a state, a column a trait in the order of the enumeration; "x" where it holds. The first column is what compliance counts it as, the last in
    // which order a person looks at them: what needs somebody first.
    private const string Table = """
        .          counts-as  late order wanted starts busy idle claims brings open fails stuck retry  meant underway  need
        Unknown    unknown    x    x     .      .      .    x    x      x      x    .     .     .     x     .         9
        NotNeeded  not-needed .    .     .      .      .    .    .      .      .    .     .     .     .     .         15
        Blocked    unmet      x    x     .      .      .    x    .      .      x    .     x     .     x     .         5
        Waiting    unmet      x    x     .      .      .    x    x      x      x    .     .     .     x     .         10
        Ready      unmet      x    x     x      x      .    x    x      x      x    .     .     .     x     .         8
        Working    unmet      x    x     x      .      x    .    x      x      x    .     .     .     x     x         7
        Restart    unmet      x    x     x      .      x    .    x      x      x    .     .     .     x     .         6
        Retry      unmet      x    x     x      x      .    x    x      x      x    .     .     x     x     .         4
        Met        met        .    x     .      .      .    .    x      x      .    .     .     .     x     .         11
        Failed     unmet      x    x     .      .      .    .    x      .      x    x     x     x     x     .         1
        Lost       unmet      x    x     x      .      .    .    x      x      x    x     x     x     x     x         2
        Undone     unmet      .    x     .      .      .    .    x      x      .    .     x     x     x     .         12
        Contested  unmet      x    .     .      .      .    .    x      .      x    .     x     .     x     .         3
        Yielded    left-out   .    .     .      .      .    .    x      .      .    .     .     .     x     .         14
        Choice     left-out   .    x     .      .      .    .    x      x      x    .     .     .     x     .         13
        Left       left-out   .    .     .      .      .    .    .      .      .    .     .     .     .     .         16
        """;

    private static readonly (ComplianceKind Kind, TargetTrait Traits, int Need)[] Rows = Read();

    private static readonly TargetState[] AllByNeed = [.. Enum.GetValues<TargetState>().OrderBy(state => Rows[(int)state].Need)];

    /// <summary>All states, what needs somebody first.</summary>
    public static IReadOnlyList<TargetState> ByNeed => AllByNeed;

    /// <summary>Whether a trait holds of a state.</summary>
    public static bool Has(this TargetState state, TargetTrait trait) => (Rows[(int)state].Traits & trait) == trait;

    /// <summary>What compliance counts a state as.</summary>
    public static ComplianceKind CountsAs(this TargetState state) => Rows[(int)state].Kind;

    /// <summary>The states of which a trait holds, in their order.</summary>
    public static IEnumerable<TargetState> With(TargetTrait trait) => Enum.GetValues<TargetState>().Where(state => state.Has(trait));

    private static (ComplianceKind, TargetTrait, int)[] Read()
    {
        var rows = new (ComplianceKind, TargetTrait, int)[Enum.GetValues<TargetState>().Length];
        foreach (var line in Table.Split('\n', StringSplitOptions.RemoveEmptyEntries).Skip(1))
        {
            var cells = line.Split(' ', StringSplitOptions.RemoveEmptyEntries);
            var traits = TargetTrait.None;
            for (var column = 2; column < cells.Length - 1; column++)
            {
                traits |= cells[column] == "x" ? (TargetTrait)(1 << (column - 2)) : TargetTrait.None;
            }

            rows[(int)Enum.Parse<TargetState>(cells[0])] = (
                Enum.GetValues<ComplianceKind>().Single(kind => StateNames.Hyphenate(kind.ToString()) == cells[1]), traits,
                int.Parse(cells[^1], System.Globalization.CultureInfo.InvariantCulture));
        }

        return rows;
    }
}
