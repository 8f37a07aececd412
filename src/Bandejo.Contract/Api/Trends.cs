namespace Bandejo.Contract.Api;

/// <summary>How something went from day to day.</summary>
/// <param name="What">compliance, fleet or versions.</param>
/// <param name="Parts">What is counted, in the order of the counts.</param>
/// <param name="Days">One for each day, the earliest first.</param>
/// <param name="Standings">Of versions, how each part stands today: newest, behind, ahead or unknown; null of all else.</param>
public sealed record TrendInfo(string What, IReadOnlyList<string> Parts, IReadOnlyList<TrendDay> Days, IReadOnlyList<string>? Standings = null);

/// <summary>How it stood at the end of a day; of today, now.</summary>
/// <param name="Day">In UTC.</param>
/// <param name="Counts">How many, by the order of the parts.</param>
public sealed record TrendDay(DateOnly Day, IReadOnlyList<int> Counts);
