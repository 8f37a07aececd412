using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Server.Compliance;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Past;

/// <summary>How things went from day to day.</summary>
internal static class Trends
{
    /// <summary>How many versions of an app are told apart; the others are counted together.</summary>
    private const int MostVersions = 6;

    private const int MostDays = 400;
    private const int UsualDays = 30;

    private static readonly string[] ComplianceParts = ["met", "unmet", "late", "unknown"];

    /// <summary>How it stood at the end of each of the last days.</summary>
    /// <param name="what">compliance, fleet or versions.</param>
    /// <param name="app">Of this app alone; versions are always of one.</param>
    /// <param name="days">1 to 400; no day before anything is known.</param>
    public static async Task<Outcome<TrendInfo>> Of(WorldHost world, string what, string? app, int? days)
    {
        if (days is < 1 or > MostDays)
        {
            return new Failure(ErrorKind.Invalid, $"1 to {MostDays} days, not {days}.");
        }

        var (store, today) = (await world.Kept(), DateOnly.FromDateTime(world.Now.UtcDateTime));
        var first = DateOnly.FromDateTime(world.KnownFrom(store).UtcDateTime);
        var from = today.AddDays(1 - (days ?? UsualDays));
        from = from < first ? first : from;
        var named = what == "compliance" && app is not null ? world.Read(each => Named.App(each, app)) : default;
        if (!named.Ok)
        {
            return named.Failure!;
        }

        return (what, app) switch
        {
            ("compliance", null) => Compliance(world, store, null, from, today),
            ("compliance", _) => Compliance(world, store, named.Value, from, today),
            ("fleet", null) => Counted("fleet", store.FleetByDay(from, today), from, today, int.MaxValue, part => part.Length == 0 ? "not known" : part),
            ("versions", { } slug) => Versions(
                world, slug, Counted("versions", store.VersionsByDay(slug, from, today), from, today, MostVersions, part => part)),
            ("fleet", _) => new Failure(ErrorKind.Invalid, "The size of the fleet is of no app."),
            ("versions", _) => new Failure(ErrorKind.Invalid, "Name the app whose versions are meant: app=foldline."),
            _ => new Failure(ErrorKind.NotFound, $"Told from day to day are compliance, fleet and versions, not '{what}'."),
        };
    }

    private static TrendInfo Compliance(WorldHost world, IStore store, string? app, DateOnly from, DateOnly today)
    {
        // By the last deadline of each: in which wave targets were on a day is not counted.
        var deadlines = world.Read(each => each.Deployments.Values.Where(deployment => app is null || deployment.Plan.App == app).ToDictionary(
            deployment => deployment.Id, deployment => Deadlines.Last(deployment.Plan, deployment.State), StringComparer.Ordinal));
        var now = world.Now;
        var sums = new Dictionary<DateOnly, ComplianceCount>();
        foreach (var each in store.StatesByDay(from, today).Where(each => deadlines.ContainsKey(each.Deployment)))
        {
            var end = new DateTimeOffset(each.Day, TimeOnly.MaxValue, TimeSpan.Zero);
            sums[each.Day] = sums.GetValueOrDefault(each.Day, ComplianceCount.None)
                + Counting.Compliance(each.States, Counting.Late(each.States, deadlines[each.Deployment], end < now ? end : now));
        }

        return new TrendInfo("compliance", ComplianceParts, [.. Days(from, today).Select(day => Day(day, sums.GetValueOrDefault(day, ComplianceCount.None)))]);

        static TrendDay Day(DateOnly day, ComplianceCount sum) => new(day, [sum.Met, sum.Unmet - sum.LateUnmet, sum.LateUnmet, sum.Unknown]);
    }

    private static TrendInfo Versions(WorldHost world, string app, TrendInfo trend)
    {
        var newest = world.Read(each => FieldVersions.Newest(each, app));
        return trend with
        {
            Standings = [.. trend.Parts.Select(part => StateNames.Of(FieldVersions.Of(AppVersion.TryParse(part, out var version) ? version : null, newest)))],
        };
    }

    private static TrendInfo Counted(
        string what, IReadOnlyList<DayCount> changes, DateOnly from, DateOnly to, int most, Func<string, string> name)
    {
        var (now, days) = (new Dictionary<string, int>(StringComparer.Ordinal), new List<Dictionary<string, int>>());
        var next = 0;
        foreach (var day in Days(from, to))
        {
            for (; next < changes.Count && changes[next].Day <= day; next++)
            {
                now[changes[next].Part] = changes[next].Count;
            }

            days.Add(new Dictionary<string, int>(now, StringComparer.Ordinal));
        }

        // The ones that most devices ever had are told apart; versions in their order, others with the most first.
        var byMost = now.Keys.Select(part => (Part: part, Most: days.Max(day => day.GetValueOrDefault(part)))).Where(each => each.Most > 0)
            .OrderByDescending(each => each.Most).ThenBy(each => each.Part, StringComparer.Ordinal).ToList();
        var shown = byMost.Take(most).Select(each => each.Part).ToList();
        if (what == "versions")
        {
            shown.Sort(Compare);
        }

        var rest = byMost.Skip(most).Select(each => each.Part).ToList();
        string[] others = rest.Count == 0 ? [] : [rest.Count == 1 ? "1 other" : $"{rest.Count} others"];
        return new TrendInfo(what, [.. shown.Select(name), .. others], [.. Days(from, to).Zip(days, Day)]);

        TrendDay Day(DateOnly day, Dictionary<string, int> counts) => new(
            day, [.. shown.Select(part => counts.GetValueOrDefault(part)), .. others.Select(_ => rest.Sum(part => counts.GetValueOrDefault(part)))]);
    }

    private static int Compare(string one, string other) =>
        AppVersion.TryParse(one, out var a) && AppVersion.TryParse(other, out var b)
            ? b.CompareTo(a)
            : string.CompareOrdinal(one, other);

    private static IEnumerable<DateOnly> Days(DateOnly from, DateOnly to)
    {
        for (var day = from; day <= to; day = day.AddDays(1))
        {
            yield return day;
        }
    }
}
