namespace Bandejo.Contract.Api;

/// <summary>What needs somebody, most urgent first, and what is moving.</summary>
public sealed record TodayInfo(DateTimeOffset Now, IReadOnlyList<NeedInfo> Needs, IReadOnlyList<DeploymentInfo> Moving);

/// <summary>Something that waits for a person.</summary>
/// <param name="Kind">halted, harm, contested, out-of-reach, approval, empty-wave, failures, takes-long, late, restart, overrun, silent, unsorted or
/// replaced.</param>
/// <param name="Title">What it is, in a few words.</param>
/// <param name="Detail">The figures, and what they share where that is known.</param>
/// <param name="Devices">How many devices it is about.</param>
/// <param name="Deployment">The deployment's identity; null where it is about none.</param>
/// <param name="Since">Since when; null where that is not one moment.</param>
/// <param name="Command">The command that shows or does it.</param>
public sealed record NeedInfo(
    string Kind, string Title, string Detail, int Devices, string? Deployment, string? DeploymentName, DateTimeOffset? Since, string Command);

/// <summary>A fact that rules may speak of.</summary>
/// <param name="Name">As it stands in a rule.</param>
/// <param name="Type">text, number, size, duration, version, yes-no, date or set.</param>
/// <param name="Meaning">One line of what it is.</param>
/// <param name="Values">What devices have of it most, at most 12, as it stands in a rule.</param>
public sealed record FactDescription(string Name, string Type, string Meaning, IReadOnlyList<CountInfo> Values);

/// <summary>What a command of the command line did, where its answer has no form of its own.</summary>
/// <param name="Says">The sentence that a person reads.</param>
public sealed record SaidInfo(string Says, System.Text.Json.JsonElement? Answer = null);
