using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>Why something stands where it stands. What each needs to be said stands beside it; <see cref="ReasonWords"/> says it.</summary>
public enum ReasonCode
{
    /// <summary>Nothing is to be said.</summary>
    None,

    /// <summary>In somebody's own words: [words].</summary>
    Said,

    OutOfScope,

    /// <summary>[a condition, what the device has of it, …]</summary>
    NotMeant,

    /// <summary>As for <see cref="NotMeant"/>.</summary>
    Required,

    /// <summary>As for <see cref="NotMeant"/>.</summary>
    FitNotKnown,

    /// <summary>As for <see cref="NotMeant"/>.</summary>
    RequirementNotKnown,

    /// <summary>[need, deployment]</summary>
    NeedIsBrought,

    /// <summary>[need]</summary>
    NeedNotKnown,

    /// <summary>[need, deployment]</summary>
    NeedGoesBack,

    /// <summary>[need, deployment, its state here]</summary>
    NeedStands,

    /// <summary>[need, deployment, version]</summary>
    NeedTooOld,

    /// <summary>[need]</summary>
    NeedNotBrought,

    /// <summary>[a deployment, …]</summary>
    WantsOpposite,

    StrongerIsContested,

    /// <summary>[deployment, app]</summary>
    Ruled,

    OnShelf,
    OrderOut,

    /// <summary>[for what]</summary>
    DeviceWaits,

    /// <summary>[status, why]</summary>
    DeploymentStopped,

    NoWave,

    /// <summary>[wave]</summary>
    WaveOpensLater,

    /// <summary>[wave]</summary>
    WaveAboutToOpen,

    /// <summary>[wave, wave before it, its gate]</summary>
    WaveOpensAfter,

    /// <summary>[site, empty for none known; how many at once]</summary>
    SiteAtIt,

    /// <summary>[how many rule it, how many a device holds]</summary>
    TooManyCalendars,

    /// <summary>[how many at once]</summary>
    TurnLater,

    /// <summary>[seconds for which it was not heard]</summary>
    TurnPassed,

    /// <summary>Its agent does not know how the deployment wants files fetched.</summary>
    AgentWithoutFetching,

    /// <summary>[calendar, …]</summary>
    OutsideWindow,

    /// <summary>[calendar, …]</summary>
    FrozenBy,

    /// <summary>[calendar, …]</summary>
    CalendarStale,

    ZoneNotKnown,

    /// <summary>[seconds that it takes, calendar, …]</summary>
    NoRoom,

    /// <summary>[time of day, calendar, …]</summary>
    BeforeReset,

    /// <summary>Its agent cannot tell its user before it starts for its deadline.</summary>
    AgentWithoutNotice,

    /// <summary>Its agent knows nothing of calendars.</summary>
    AgentWithoutCalendars,

    /// <summary>[calendar, …]</summary>
    WindowOpen,

    /// <summary>[what the device says of its restart]</summary>
    RestartHeld,

    TryTimeCame,

    /// <summary>[seconds]</summary>
    ProofOld,

    /// <summary>[seconds]</summary>
    FellSilent,

    Installing,
    TakingAway,
    BringingBack,

    /// <summary>[what the device says of the try]</summary>
    Told,

    /// <summary>[what the device says, tries made, tries in all]</summary>
    TryFailed,

    /// <summary>[what the device says, tries in all]</summary>
    TriesUsedUp,

    /// <summary>[what was found]</summary>
    Proven,

    /// <summary>[what was found]</summary>
    ProvenAlready,

    /// <summary>[what was found, times]</summary>
    RepairedTooOften,

    /// <summary>[what was found]</summary>
    ProofLost,

    /// <summary>[app, version; both empty for nothing]</summary>
    ToBeBroughtBack,

    BackAfterWork,

    /// <summary>Because of another reason.</summary>
    CannotGoBack,

    NothingChanged,

    /// <summary>[who]</summary>
    TryAsked,

    /// <summary>[app, version]</summary>
    NewerIsThere,

    /// <summary>[package]</summary>
    FilesLetGo,

    /// <summary>[package]</summary>
    NoRemoveStep,

    /// <summary>[app, version]</summary>
    EarlierNotKept,

    /// <summary>[app, version]</summary>
    EarlierWithdrawn,

    /// <summary>[app, version]</summary>
    EarlierLetGo,
}

/// <summary>A verdict's reason as data.</summary>
/// <param name="Code">Which.</param>
/// <param name="Arguments">What it needs to be said; as the code has it.</param>
/// <param name="Because">The reason behind it; null for none.</param>
public sealed record Reason(ReasonCode Code, IReadOnlyList<string> Arguments, Reason? Because = null)
{
    /// <summary>Nothing is to be said.</summary>
    public static Reason None { get; } = new(ReasonCode.None);

    public Reason(ReasonCode code, params string[] arguments)
        : this(code, (IReadOnlyList<string>)arguments)
    {
    }

    /// <summary>What somebody said in words of their own.</summary>
    public static Reason Said(string words) => words.Length == 0 ? None : new Reason(ReasonCode.Said, words);

    /// <summary>A reason of conditions, each with what the device has of it.</summary>
    public static Reason Of(ReasonCode code, IEnumerable<DecidedBy> conditions) =>
        new(code, (IReadOnlyList<string>)[.. conditions.SelectMany(each => new[] { each.Condition, each.Has })]);

    /// <summary>Whether it is about conditions, each with what the device has of it.</summary>
    public bool IsOfConditions => Code is ReasonCode.NotMeant or ReasonCode.Required or ReasonCode.FitNotKnown or ReasonCode.RequirementNotKnown;

    /// <summary>Whether it is the device itself that holds back, by calendars that it has: its order is out.</summary>
    public bool IsOfCalendars => Code is ReasonCode.OutsideWindow or ReasonCode.FrozenBy or ReasonCode.CalendarStale or ReasonCode.ZoneNotKnown
        or ReasonCode.NoRoom or ReasonCode.BeforeReset;

    /// <summary>The reason without what this device has, so that devices which lack the same can be counted together.</summary>
    public Reason WithoutWhatItHas() => IsOfConditions ? this with { Arguments = [.. Arguments.Select((argument, at) => at % 2 == 0 ? argument : "")] } : this;

    public bool Equals(Reason? other) =>
        ReferenceEquals(this, other) || (other is not null && Code == other.Code && Equals(Because, other.Because) && Arguments.SequenceEqual(other.Arguments));

    public override int GetHashCode()
    {
        var hash = new HashCode();
        hash.Add(Code);
        hash.Add(Because);
        foreach (var argument in Arguments)
        {
            hash.Add(argument);
        }

        return hash.ToHashCode();
    }

    public override string ToString() => ReasonWords.Of(this);
}
