using Bandejo.Core.Rules;

namespace Bandejo.Fleet;

/// <summary>What a fleet is and what happens to it: see docs/guide/fleet.md for its form.</summary>
internal sealed record FleetScript
{
    /// <summary>Everything that is left to chance follows from it.</summary>
    public int Seed { get; init; }

    /// <summary>Whether devices keep a line open on which the service can call them.</summary>
    public bool Listens { get; init; } = true;

    /// <summary>The share of answers to check-ins that are lost after the service has taken what was sent, 0 to 1.</summary>
    public double LostAnswers { get; init; }

    /// <summary>The share of check-ins that are sent twice.</summary>
    public double Repeats { get; init; }

    public required IReadOnlyList<DeviceKind> Kinds { get; init; }

    public required IReadOnlyDictionary<string, PlayedApp> Apps { get; init; }
}

/// <summary>Devices that are alike.</summary>
internal sealed record DeviceKind
{
    public required string Name { get; init; }

    public required int Count { get; init; }

    /// <summary>How they are named: <c>{site}</c> and <c>{n}</c> or <c>{n:000}</c>, which counts from 1 at each site.</summary>
    public required string Named { get; init; }

    public required IReadOnlyList<Weighted> Sites { get; init; }

    /// <summary>The group whose join code they use; null joins unsorted.</summary>
    public string? Joins { get; init; }

    /// <summary>Facts that all have.</summary>
    public required IReadOnlyDictionary<string, string> Facts { get; init; }

    /// <summary>Facts with one of several values, by weight.</summary>
    public required IReadOnlyDictionary<string, IReadOnlyList<Weighted>> Mixed { get; init; }

    /// <summary>Free room in bytes, from and to.</summary>
    public (double From, double To) Free { get; init; } = (20e9, 120e9);

    /// <summary>Facts that hold only for some: the first of these whose rule holds changes <see cref="Free"/>.</summary>
    public IReadOnlyList<(Rule When, double From, double To)> Tight { get; init; } = [];

    public Hours On { get; init; } = Hours.Always;

    /// <summary>When they restart each night; null for never.</summary>
    public TimeOnly? Restarts { get; init; }

    /// <summary>How long they are away and out of reach at a time, and how long between; null for never.</summary>
    public Trips? Away { get; init; }

    /// <summary>Bytes a second; 0 does not hold anything up.</summary>
    public double Network { get; init; }

    /// <summary>What is there when they join: app to versions by weight, <c>none</c> for not there.</summary>
    public required IReadOnlyDictionary<string, IReadOnlyList<Weighted>> Has { get; init; }
}

/// <summary>A text with a weight.</summary>
internal sealed record Weighted(string Text, double Weight);

/// <summary>When a device is switched on: on which days, from when to when.</summary>
internal sealed record Hours(IReadOnlySet<DayOfWeek> Days, TimeOnly From, TimeOnly To)
{
    public static Hours Always { get; } = new(Enum.GetValues<DayOfWeek>().ToHashSet(), TimeOnly.MinValue, TimeOnly.MaxValue);

    public bool IsAlways => this == Always;
}

/// <summary>Being away: every so often, for a length between two.</summary>
internal sealed record Trips(TimeSpan Every, TimeSpan Shortest, TimeSpan Longest);

/// <summary>How an app behaves on the devices.</summary>
internal sealed record PlayedApp
{
    /// <summary>The name under which the operating system lists it.</summary>
    public required string Name { get; init; }

    /// <summary>How long a step takes, from and to.</summary>
    public (TimeSpan From, TimeSpan To) Takes { get; init; } = (TimeSpan.FromMinutes(1), TimeSpan.FromMinutes(3));

    /// <summary>Room it takes on the disk, in bytes.</summary>
    public double Room { get; init; } = 100e6;

    public IReadOnlyList<Trouble> Troubles { get; init; } = [];

    /// <summary>The share of users who take it from the shelf, and within which time.</summary>
    public (double Share, TimeSpan Within) Takers { get; init; }

    public IReadOnlyList<HarmStory> Harms { get; init; } = [];
}

/// <summary>Something that goes wrong, or other than usual, in a step.</summary>
/// <param name="Version">Only for this version; null for all.</param>
/// <param name="When">For which devices.</param>
/// <param name="Share">For which share of them, 0 to 1.</param>
/// <param name="Tries">In how many first tries; 0 in all.</param>
/// <param name="Does">What happens.</param>
/// <param name="Code">The exit code of a failure.</param>
/// <param name="Says">The last line of the log.</param>
/// <param name="For">How long a device that dies stays off.</param>
internal sealed record Trouble(string? Version, Rule When, double Share, int Tries, TroubleKind Does, int Code, string Says, TimeSpan For);

internal enum TroubleKind
{
    /// <summary>The step ends with a code and changes nothing.</summary>
    Fails,

    /// <summary>The step never ends by itself.</summary>
    Hangs,

    /// <summary>It is in place after a restart.</summary>
    Restarts,

    /// <summary>Something else is being installed.</summary>
    Busy,

    /// <summary>It says done and has done nothing.</summary>
    Lies,

    /// <summary>The device loses power in the middle of the step.</summary>
    Dies,
}

/// <summary>A user who finds something broken.</summary>
internal sealed record HarmStory(string? Version, Rule When, double Share, TimeSpan From, TimeSpan To, string Says);
