using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>A device in the world. What is kept of it never changes in one entry: a change puts another into its place.</summary>
/// <param name="record">What is kept of it.</param>
/// <param name="row">Its row in the fleet's columns.</param>
/// <param name="presence">When it was last here, and what it said last.</param>
public sealed class DeviceEntry(DeviceRecord record, int row, DevicePresence presence)
{
    /// <summary>What is kept of it.</summary>
    public DeviceRecord Record { get; } = record;

    /// <summary>Its row in the fleet's columns.</summary>
    public int Row { get; } = row;

    /// <summary>When it was last here, and what it said last.</summary>
    public DevicePresence Presence { get; } = presence;

    /// <summary>Its identity.</summary>
    public string Id => Record.Id;

    /// <summary>Its name.</summary>
    public string Name => Record.Name;

    /// <summary>When it last checked in; null for never. May be ahead of what is kept.</summary>
    public DateTimeOffset? LastHeard => Presence.LastHeard;

    /// <summary>When it last checked in, or when it joined.</summary>
    public DateTimeOffset HeardOrJoined => LastHeard ?? Record.Joined;

    /// <summary>The latest moment at which it may have been heard; null for never. What goes by leases goes by this.</summary>
    /// <param name="interval">The time between two check-ins.</param>
    public DateTimeOffset? HeardAtMost(TimeSpan interval) => Presence.IsHeardHere ? LastHeard : LastHeard + DevicePresence.KeptLate(interval);

    /// <summary>What it said last.</summary>
    public DeviceMemory Memory => Presence.Memory;
}

/// <summary>
/// What changes at every check-in of a device and is not kept each time. The same for whoever decides and whoever reads what stands still: it may be ahead of
/// what else is read.
/// </summary>
public sealed class DevicePresence
{
    /// <summary>How long after the last time that is kept a device is at least heard before that is kept again.</summary>
    private static readonly TimeSpan LeastLate = TimeSpan.FromMinutes(30);

    private long _heard;
    private long _sequence;
    private HeardHours _hours;
    private volatile DeviceMemory _memory = DeviceMemory.Nothing;

    /// <summary>When it last checked in; null for never.</summary>
    public DateTimeOffset? LastHeard
    {
        get => Volatile.Read(ref _heard) is not 0 and var ticks ? new DateTimeOffset(ticks, TimeSpan.Zero) : null;
        internal set => Volatile.Write(ref _heard, value?.UtcTicks ?? 0);
    }

    /// <summary>
    /// Whether it was heard since the service started. Until then it may have been heard last up to <see cref="KeptLate"/> after what is known.
    /// </summary>
    public bool IsHeardHere { get; internal set; }

    /// <summary>How much later than kept a device may have been heard: a few check-ins, so that most of them write nothing.</summary>
    /// <param name="interval">The time between two check-ins.</param>
    public static TimeSpan KeptLate(TimeSpan interval) => interval * 6 > LeastLate ? interval * 6 : LeastLate;

    /// <summary>In which hours of the week it is usually heard.</summary>
    public HeardHours Hours => _hours;

    /// <summary>The number of its last check-in.</summary>
    public long Sequence
    {
        get => Volatile.Read(ref _sequence);
        internal set => Volatile.Write(ref _sequence, value);
    }

    /// <summary>Notes that it was heard.</summary>
    internal void NoteHour(DateTimeOffset at) => _hours.Note(at);

    /// <summary>What it said last.</summary>
    public DeviceMemory Memory
    {
        get => _memory;
        internal set => _memory = value;
    }

    /// <summary>
    /// The tag of whom it believes to be this service, as of its last check-in over TLS; null where there was none since the start. Decides nothing.
    /// </summary>
    public string? TrustTag { get; set; }

    /// <summary>The tag of its orders as last worked out; whether it still holds, the world knows.</summary>
    internal string? OrdersTag { get; set; }
}

/// <summary>What an agent can do beyond the first of its kind. What depends on something that it does not know is not started.</summary>
[Flags]
public enum AgentSkills
{
    None = 0,

    /// <summary>It holds calendars, and starts nothing outside their windows.</summary>
    Calendars = 1,

    /// <summary>It fetches ahead, within what limits that, and wakes its neighbours.</summary>
    Fetching = 2,

    /// <summary>It tells whoever is signed in before it starts for a deadline alone, and closes programs after that.</summary>
    Notice = 4,

    /// <summary>All that there is to know.</summary>
    All = Calendars | Fetching | Notice,
}

/// <summary>
/// What a device said last, as far as it is needed to understand what it says next. Not kept: after a start the device says it again, or the store is asked.
/// </summary>
public sealed record DeviceMemory
{
    /// <summary>Nothing heard since the start.</summary>
    public static DeviceMemory Nothing { get; } = new();

    /// <summary>
    /// When the newest attempt that it reported began, by its own clock; one that began later is new for certain. Null until the store was asked.
    /// </summary>
    public DateTimeOffset? NewestAttempt { get; init; }

    /// <summary>What its agent can do; null where it was not heard since the start.</summary>
    public AgentSkills? Skills { get; init; }

    /// <summary>Whether its agent is known to lack what something depends on.</summary>
    public bool Lacks(AgentSkills skill) => Skills is { } skills && !skills.HasFlag(skill);

    /// <summary>The ended attempts that its last check-in spoke of: what it sends again at once may not be in the store yet.</summary>
    public IReadOnlyList<string> LastReported { get; init; } = [];

    /// <summary>How many words that no device had said before it brought on a day.</summary>
    public (DateOnly Day, int Count) NewWords { get; init; }

    /// <summary>What it last said it waits for before it starts.</summary>
    public IReadOnlyList<WaitsFor> Waits { get; init; } = [];

    /// <summary>Whom it is to wake.</summary>
    public IReadOnlyList<ToWake> ToWake { get; init; } = [];

    /// <summary>The deployments whose files it last said to have.</summary>
    public IReadOnlyList<string> Fetched { get; init; } = [];

    /// <summary>What of its last facts was left out, and why.</summary>
    public IReadOnlyList<string> LeftOut { get; init; } = [];

    /// <summary>How many words of its user were taken on a day.</summary>
    public (DateOnly Day, int Count) WordsToday { get; init; }
}

/// <summary>What a device waits for before it starts with a deployment.</summary>
/// <param name="Why">For people.</param>
/// <param name="Until">Until when a calendar that it holds keeps it from starting; null where it waits for something else, or for no known moment.</param>
public sealed record WaitsFor(string Deployment, string Why, DateTimeOffset? Until = null);

/// <summary>A device that its neighbour is to wake.</summary>
/// <param name="Address">Its network address.</param>
/// <param name="Until">Until when the neighbour is told of it.</param>
public sealed record ToWake(string Address, DateTimeOffset Until);
