namespace Bandejo.Core.Rollouts;

/// <summary>What somebody asks for who wants to start a deployment, in their words.</summary>
public sealed record DeploymentAsk
{
    /// <summary>The package, by any of its names.</summary>
    public required string Package { get; init; }

    /// <summary>The groups that it reaches, by slug.</summary>
    public required IReadOnlyList<string> Groups { get; init; }

    public required IReadOnlyList<WaveAsk> Waves { get; init; }

    /// <summary>Null for one made of the package's.</summary>
    public string? Name { get; init; }

    /// <summary><c>have</c>, <c>gone</c> or <c>choice</c>.</summary>
    public string Wish { get; init; } = "have";

    /// <summary>The groups left out, by slug.</summary>
    public IReadOnlyList<string> Except { get; init; } = [];

    /// <summary>When it halts by itself; null for the usual rule.</summary>
    public string? Halt { get; init; }

    public bool RollBackOnHalt { get; init; }

    public DateTimeOffset? Deadline { get; init; }

    /// <summary>1 to 20.</summary>
    public int Tries { get; init; } = 3;

    /// <summary>The time before the second try, such as <c>15m</c>; null for the usual.</summary>
    public string? RetryPause { get; init; }

    /// <summary>How long a device may start it unheard, such as <c>1d</c>; null for the usual.</summary>
    public string? Lease { get; init; }

    public int Priority { get; init; }

    public bool AllowsDowngrade { get; init; }

    /// <summary>Whether it ends by itself once another deployment has wholly taken its place.</summary>
    public bool EndsWhenReplaced { get; init; }

    /// <summary>Values of the package's settings, over its defaults and the preset; null for none.</summary>
    public IReadOnlyDictionary<string, string>? Settings { get; init; }

    /// <summary>A preset of the package; null for none.</summary>
    public string? Preset { get; init; }

    /// <summary>A kept handling in the place of the app's; <c>none</c> for as the package has it; null for the app's.</summary>
    public string? Handling { get; init; }

    /// <summary>Calendars of its own, by name or short name.</summary>
    public IReadOnlyList<string> Calendars { get; init; } = [];

    /// <summary><c>late</c>, <c>start</c> or <c>close</c>.</summary>
    public string AfterDeadline { get; init; } = "late";

    /// <summary>So long before something starts for its deadline alone whoever is signed in is told, such as <c>15 min</c>; null for the usual.</summary>
    public string? Notice { get; init; }

    /// <summary>How files are fetched, as <see cref="Deployments.FetchRule"/> is written; null for the usual.</summary>
    public string? Fetch { get; init; }

    /// <summary>Whether devices that sleep are woken when their window opens.</summary>
    public bool Wakes { get; init; }

    /// <summary>How many devices of a site are changed at once, as <see cref="Deployments.AtOnce"/> is written; null for any number.</summary>
    public string? AtOnce { get; init; }

    /// <summary>What must be so on a device, as <see cref="Deployments.StartWhen"/> is written; null for at any time.</summary>
    public string? StartWhen { get; init; }

    /// <summary>When devices that need a restart are restarted, as <see cref="Deployments.RestartChoice"/> is written; null for left to people.</summary>
    public string? Restart { get; init; }

    /// <summary>What waves draw their devices by; null takes it of what is asked for, so that the start takes the devices that its preview named.</summary>
    public string? Salt { get; init; }
}

/// <summary>A wave as it is asked for.</summary>
/// <param name="Pick"><c>group NAME</c>, <c>12 devices</c>, <c>20 %</c> or <c>everyone else</c>.</param>
/// <param name="Gate">Such as <c>95 % met for 2 d, then approval</c>; null for the last wave.</param>
/// <param name="OpensAt">The earliest moment at which it opens.</param>
/// <param name="Hours">The hours in which it opens, such as <c>Mon-Thu 08:00-16:00 in Europe/Lisbon</c>; null for any.</param>
/// <param name="Deadline">When its devices are late, as <see cref="Deployments.WaveDeadline"/> is written; null for as the deployment says.</param>
public sealed record WaveAsk(string Name, string Pick, string? Gate, DateTimeOffset? OpensAt, string? Hours = null, string? Deadline = null);
