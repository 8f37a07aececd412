using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>What a device tells at a check-in.</summary>
public sealed record CheckInTold
{
    /// <summary>Rises with every new check-in.</summary>
    public required long Sequence { get; init; }

    /// <summary>The digest of the facts that it has.</summary>
    public required string FactsDigest { get; init; }

    /// <summary>The facts, where they changed; null for as before.</summary>
    public FactsTold? Facts { get; init; }

    public IReadOnlyList<AttemptTold> Attempts { get; init; } = [];

    public IReadOnlyList<ProofTold> Proofs { get; init; } = [];

    /// <summary>What it waits for before it starts.</summary>
    public IReadOnlyList<WaitsFor> Waits { get; init; } = [];

    /// <summary>The tag of the orders that it holds.</summary>
    public string OrdersTag { get; init; } = "";

    /// <summary>The deployments whose orders it may start and whose files it has.</summary>
    public IReadOnlyList<string> Fetched { get; init; } = [];

    /// <summary>What its agent can do.</summary>
    public AgentSkills Skills { get; init; }

    /// <summary>What its user said.</summary>
    public IReadOnlyList<UserTold> Said { get; init; } = [];

    /// <summary>The deployments that it tells of.</summary>
    public IEnumerable<string> Deployments => Attempts.Where(attempt => !attempt.IsOfTrial).Select(attempt => attempt.Deployment).Concat(
        Proofs.Select(proof => proof.Deployment)).Distinct();

    /// <summary>Whether there is anything in it beyond being here.</summary>
    public bool HasNews => Facts is not null || Attempts.Count > 0 || Proofs.Count > 0 || Said.Count > 0;
}

/// <summary>What a device says of itself.</summary>
/// <param name="Programs">Null where it has no complete list.</param>
public sealed record FactsTold(IEnumerable<(string Name, string Value)> Facts, IEnumerable<(string Name, string Version, string Source)>? Programs);

/// <summary>The beginning or the end of an attempt.</summary>
/// <param name="Id">Its identity, made by the device.</param>
/// <param name="Kind"><c>install</c>, <c>remove</c>, <c>restore</c> or <c>trial</c>.</param>
/// <param name="Outcome">One of the words of <see cref="Deployments.Attempts.Outcomes"/>; null at the beginning.</param>
/// <param name="Before">The version that was there before; empty for none, null for not known.</param>
/// <param name="BeforePackage">The package that was there before, where it was ours.</param>
/// <param name="Trial">Of the end of a trial: its steps; null where it has none.</param>
public sealed record AttemptTold(
    string Id, string Deployment, string Kind, bool HasEnded, DateTimeOffset StartedAt, DateTimeOffset? EndedAt, string? Outcome, string Phase, int? ExitCode,
    string Message, bool HasLog, string? Before, string? BeforePackage,
    TrialTold? Trial = null)
{
    /// <summary>What the attempts of a trial are called.</summary>
    public const string TrialKind = "trial";

    /// <summary>What the attempts are called that put back what was there before.</summary>
    public const string RestoreKind = "restore";

    /// <summary>It is of a trial, not of a deployment.</summary>
    public bool IsOfTrial => Kind == TrialKind;
}

/// <summary>What the presence checks of an order said.</summary>
/// <param name="Answer">One of the names of <see cref="PresenceAnswer"/>.</param>
public sealed record ProofTold(string Deployment, string Answer, string Why);

/// <summary>Word of a device's user.</summary>
/// <param name="Id">Its identity, made by the device.</param>
/// <param name="Kind"><c>take</c> (from the shelf) or <c>harm</c>.</param>
public sealed record UserTold(string Id, string Kind, string App, string Text);

/// <summary>
/// What of a check-in was told before, as far as the world does not know that by itself; looked up where it is kept, before anything is decided.
/// </summary>
/// <param name="NewestAttempt">When the newest attempt of the device began that is kept.</param>
/// <param name="Attempts">Those of its attempts that are kept.</param>
/// <param name="Words">Those of its user's words that are kept.</param>
public sealed record ToldBefore(DateTimeOffset NewestAttempt, IReadOnlySet<string> Attempts, IReadOnlySet<string> Words)
{
    public static ToldBefore Nothing { get; } = new(DateTimeOffset.MinValue, new HashSet<string>(), new HashSet<string>());

    /// <summary>The device's targets in the deployments that are told of and are only kept.</summary>
    public ShelvedTargets Shelved { get; init; } = ShelvedTargets.None;

    /// <summary>What of a check-in must be looked up, and what comes of it.</summary>
    /// <param name="newest">When the newest attempt of the device began that is kept.</param>
    /// <param name="isAttemptKept">Looks an attempt up by its identity.</param>
    /// <param name="isWordKept">Looks a word up by its identity.</param>
    public static ToldBefore Of(CheckInTold told, DateTimeOffset newest, Func<string, bool> isAttemptKept, Func<string, bool> isWordKept) => new(
        newest,
        told.Attempts.Where(attempt => attempt.StartedAt <= newest && !attempt.IsOfTrial).Select(attempt => attempt.Id).Distinct().Where(isAttemptKept)
            .ToHashSet(StringComparer.Ordinal),
        told.Said.Select(word => word.Id).Distinct().Where(isWordKept).ToHashSet(StringComparer.Ordinal));
}
