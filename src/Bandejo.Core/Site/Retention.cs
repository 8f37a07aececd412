using System.Globalization;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>How long what was is kept. Decisions and the audit trail are kept for ever.</summary>
/// <param name="HistoryDays">How targets, devices, groups and attempts were, 30 to 3,650 days.</param>
/// <param name="LogDays">The logs of attempts, 1 to 3,650 days.</param>
public sealed record RetentionRule(int HistoryDays, int LogDays)
{
    /// <summary>400 days, so that a year can be compared with the one before; and 90 days.</summary>
    public static RetentionRule Default { get; } = new(400, 90);
}

/// <summary>What went the last time.</summary>
/// <param name="At">When it was looked at.</param>
/// <param name="Rows">How many rows of what was.</param>
/// <param name="Logs">How many logs of attempts.</param>
/// <param name="LogBytes">What they took.</param>
public sealed record RetentionReport(DateTimeOffset At, long Rows, long Logs, long LogBytes)
{
    /// <summary>In the form in which it is kept: its parts with spaces between.</summary>
    public string Kept => string.Create(CultureInfo.InvariantCulture, $"{At.UtcTicks} {Rows} {Logs} {LogBytes}");

    /// <summary>From the form in which it is kept; null where it is in none.</summary>
    public static RetentionReport? Read(string? kept)
    {
        var parts = (kept ?? "").Split(' ').Select(part => long.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : -1)
            .ToList();
        return parts is [>= 0, >= 0, >= 0, >= 0] && parts[0] <= DateTimeOffset.MaxValue.UtcTicks
            ? new RetentionReport(new DateTimeOffset(parts[0], TimeSpan.Zero), parts[1], parts[2], parts[3])
            : null;
    }
}

/// <summary>What is over at a moment.</summary>
/// <param name="At">The moment.</param>
/// <param name="HistoryUntil">What was before this goes.</param>
/// <param name="LogsFrom">The logs of attempts that began from here on</param>
/// <param name="LogsUntil">and before this go.</param>
public sealed record RetentionTask(DateTimeOffset At, DateTimeOffset HistoryUntil, DateTimeOffset LogsFrom, DateTimeOffset LogsUntil);

/// <summary>Says how long what was is kept, and lets what is over go.</summary>
public static class Retention
{
    private const string HistorySetting = "keep.history-days";
    private const string LogSetting = "keep.log-days";
    private const string LogsFromSetting = "keep.logs-from";
    private const string LastSetting = "keep.last";
    private const int LeastHistory = 30;
    private const int MostDays = 3650;

    /// <summary>How long tokens and codes that are over are still there, for who asks why they were refused.</summary>
    private static readonly TimeSpan AfterEnd = TimeSpan.FromDays(1);

    /// <summary>How often it is looked what is over.</summary>
    private static readonly TimeSpan Pace = TimeSpan.FromDays(1);

    public static RetentionRule RuleOf(FleetWorld world) => new(
        Days(world, HistorySetting) ?? RetentionRule.Default.HistoryDays, Days(world, LogSetting) ?? RetentionRule.Default.LogDays);

    /// <summary>What went the last time; null where it was not looked at yet.</summary>
    public static RetentionReport? LastOf(FleetWorld world) => RetentionReport.Read(world.SiteSettings.GetValueOrDefault(LastSetting));

    /// <summary>Whether it is time to look what is over.</summary>
    public static bool IsDue(FleetWorld world) => !(LastOf(world)?.At + Pace > world.Now);

    /// <summary>What is over by now.</summary>
    public static RetentionTask TaskOf(FleetWorld world)
    {
        var rule = RuleOf(world);
        return new RetentionTask(
            world.Now, world.Now - TimeSpan.FromDays(rule.HistoryDays), LogsFrom(world) ?? DateTimeOffset.UnixEpoch,
                world.Now - TimeSpan.FromDays(rule.LogDays));
    }

    /// <summary>Before this moment what was is not kept any more; null where nothing went yet.</summary>
    public static DateTimeOffset? HistoryFrom(FleetWorld world) => Moment(world, GroupMoves.KnownFromSetting);

    /// <summary>Of attempts that began before this moment no log is kept any more; null where none went yet.</summary>
    public static DateTimeOffset? LogsFrom(FleetWorld world) => Moment(world, LogsFromSetting);

    /// <summary>Says how long it is kept from now on.</summary>
    public static Outcome<RetentionRule> Set(Decision decision, RetentionRule rule)
    {
        if (rule.HistoryDays is < LeastHistory or > MostDays || rule.LogDays is < 1 or > MostDays)
        {
            return new Failure(
                ErrorKind.Invalid, $"What was is kept for {LeastHistory} to {MostDays} days, logs of attempts for 1 to {MostDays}.");
        }

        if (rule.LogDays > rule.HistoryDays)
        {
            return new Failure(
                ErrorKind.Invalid,
                $"Logs of attempts go at the latest with the attempts themselves: {rule.LogDays} days for logs are more than {rule.HistoryDays} for what was.");
        }

        var before = RuleOf(decision.World);
        decision.Do(new PutSetting(HistorySetting, rule.HistoryDays.ToString(CultureInfo.InvariantCulture)));
        decision.Do(new PutSetting(LogSetting, rule.LogDays.ToString(CultureInfo.InvariantCulture)));
        decision.Audit(
            "keeping-changed",
            $"What was is kept for {rule.HistoryDays} days (before: {before.HistoryDays}), logs of attempts for {rule.LogDays} (before: {before.LogDays}).");
        return rule;
    }

    /// <summary>From when on what was will be kept. Said before anything goes, so that nobody is answered from half of it.</summary>
    public static Outcome<bool> Begin(Decision decision, DateTimeOffset from)
    {
        if (!(HistoryFrom(decision.World) >= from))
        {
            decision.Do(GroupMoves.KnownFrom(from));
        }

        return true;
    }

    /// <summary>Lets a slice of what was go.</summary>
    public static Outcome<bool> Forget(Decision decision, ForgetPast slice)
    {
        decision.Do(slice);
        return true;
    }

    /// <summary>Lets tokens, sessions and join codes go that have been over for a while, and the keys of changes that nobody repeats any more.</summary>
    /// <returns>How many went.</returns>
    public static Outcome<int> Expire(Decision decision)
    {
        var tokens = decision.World.Tokens.Values.Where(token => token.Expires + AfterEnd < decision.Now).ToList();
        var codes = decision.World.JoinCodes.Values.Where(code => code.Expires + AfterEnd < decision.Now).ToList();
        tokens.ForEach(token => decision.Do(new DeleteToken(token.Id, token.Hash)));
        codes.ForEach(code => decision.Do(new DeleteJoinCode(code.Id, code.Hash)));
        var onces = decision.World.Onces.Values.Where(once => !OnceKeys.Holds(once, decision.Now)).ToList();
        onces.ForEach(once => decision.Do(new DeleteOnce(once.Account, once.Key)));
        return tokens.Count + codes.Count + onces.Count;
    }

    /// <summary>Notes what went, and tells of it where anything did.</summary>
    /// <param name="logsFrom">Of attempts that began before this moment no log is kept any more.</param>
    public static Outcome<bool> End(Decision decision, RetentionReport report, DateTimeOffset logsFrom)
    {
        decision.Do(new PutSetting(LogsFromSetting, logsFrom.UtcTicks.ToString(CultureInfo.InvariantCulture)));
        decision.Do(new PutSetting(LastSetting, report.Kept));
        if (report.Rows + report.Logs > 0)
        {
            var rule = RuleOf(decision.World);
            decision.Event(
                "journal", "forgot",
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"What is older than {rule.HistoryDays} days went: {report.Rows:N0} row{(report.Rows == 1 ? "" : "s")} of what was; and "
                        + $"{report.Logs:N0} log{(report.Logs == 1 ? "" : "s")} of attempts older than "
                        + $"{rule.LogDays} days."));
        }

        return true;
    }

    private static DateTimeOffset? Moment(FleetWorld world, string setting) =>
        long.TryParse(world.SiteSettings.GetValueOrDefault(setting), NumberStyles.None, CultureInfo.InvariantCulture, out var ticks)
            && ticks <= DateTimeOffset.MaxValue.UtcTicks
            ? new DateTimeOffset(ticks, TimeSpan.Zero)
            : null;

    private static int? Days(FleetWorld world, string setting) =>
        int.TryParse(world.SiteSettings.GetValueOrDefault(setting), NumberStyles.None, CultureInfo.InvariantCulture, out var days) ? days : null;
}
