using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>Says how long what was is kept.</summary>
/// <param name="HistoryDays">How targets, devices, groups and attempts were, 30 to 3,650 days.</param>
/// <param name="LogDays">The logs of attempts, 1 to 3,650 days.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record KeepingRequest(int HistoryDays, int LogDays);

/// <summary>How long what was is kept, and what went the last time. Decisions and the audit trail are kept for ever.</summary>
/// <param name="From">From when on it is known how it was.</param>
/// <param name="LastAt">When it was last looked at; null for never.</param>
/// <param name="Rows">How many rows of what was went then.</param>
/// <param name="Logs">How many logs of attempts.</param>
/// <param name="LogBytes">What these took.</param>
public sealed record KeepingInfo(int HistoryDays, int LogDays, DateTimeOffset From, DateTimeOffset? LastAt, long Rows, long Logs, long LogBytes);
