using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>How everything was at one moment. Devices stand by their numbers in the store, which stay theirs for ever, also when they are gone.</summary>
public interface IPast
{
    /// <summary>The moment that was asked for.</summary>
    DateTimeOffset At { get; }

    /// <summary>Where each deployment stood that had begun, by its identity.</summary>
    IReadOnlyDictionary<string, DeploymentState> Deployments();

    /// <summary>How many targets of a deployment were in each state, by the order of <see cref="TargetState"/>.</summary>
    int[] States(string deployment);

    /// <summary>How many targets of a deployment were in each state among some devices, for several such.</summary>
    /// <param name="among">By numbers.</param>
    IReadOnlyList<int[]> States(string deployment, IReadOnlyList<Bitmap> among);

    /// <summary>The targets of a deployment, by the numbers of their devices, whose identities they do not say.</summary>
    IEnumerable<(int Number, Target Target)> Targets(string deployment);

    /// <summary>The targets of some devices in some deployments, by the numbers of the devices, whose identities they do not say.</summary>
    IReadOnlyList<(string Deployment, int Number, Target Target)> Targets(IReadOnlyCollection<string> deployments, IReadOnlyCollection<int> of);

    /// <summary>The targets of a device in all deployments, in any order.</summary>
    IReadOnlyList<(string Deployment, Target Target)> TargetsOf(string device);

    /// <summary>A device; null where it was not there.</summary>
    PastDevice? Device(string id);

    /// <summary>The device of a name that was removed since; null for none.</summary>
    string? IdOf(string name);

    /// <summary>Devices by their numbers; those that were not there are left out.</summary>
    IReadOnlyList<PastDevice> Devices(IEnumerable<int> numbers);

    /// <summary>The identities of devices by their numbers, of all that ever were.</summary>
    IReadOnlyDictionary<int, string> Identities();

    /// <summary>The groups that there were, in the order of their slugs.</summary>
    IReadOnlyList<GroupRecord> Groups();

    /// <summary>Who was in a group, by numbers.</summary>
    Bitmap Members(string group);

    /// <summary>The groups in which a device was.</summary>
    IReadOnlyList<string> GroupsOf(string device);
}

/// <summary>A device as it was.</summary>
/// <param name="Number">In the store.</param>
/// <param name="Programs">Those that it named.</param>
/// <param name="IsInventoryComplete">Whether it named all that it has.</param>
public sealed record PastDevice(
    int Number, string Id, string Name, DateTimeOffset Joined, IReadOnlyList<PastFact> Facts, IReadOnlyList<PastProgram> Programs, bool IsInventoryComplete)
{
    /// <summary>The value of a fact; null where it was not said.</summary>
    public string? Fact(string name) => Facts.FirstOrDefault(fact => fact.Name == name)?.Value;
}

/// <summary>A fact as it was said.</summary>
/// <param name="Since">When it was first reported so.</param>
public sealed record PastFact(string Name, string Value, DateTimeOffset Since);

/// <summary>A program as it was told of.</summary>
public sealed record PastProgram(string Name, string Version, string Source);

/// <summary>What became of a target.</summary>
/// <param name="At">When it was kept.</param>
/// <param name="From">The state before; null where it came in.</param>
/// <param name="Target">How it stood then; null where it was taken away.</param>
public sealed record TargetStep(DateTimeOffset At, TargetState? From, Target? Target);

/// <summary>How many there were at the end of a day.</summary>
/// <param name="Day">In UTC.</param>
/// <param name="Part">The kind of device, or the version.</param>
public sealed record DayCount(DateOnly Day, string Part, int Count);

/// <summary>How many targets of a deployment were in each state at the end of a day.</summary>
/// <param name="States">By the order of <see cref="TargetState"/>.</param>
public sealed record DayStates(DateOnly Day, string Deployment, DeploymentState Stood, int[] States);
