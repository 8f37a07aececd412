using System.Globalization;
using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Compliance;

/// <summary>What is asked of the journal or the audit trail. All parts may be missing; what is named must all fit.</summary>
internal sealed record JournalQuery
{
    public string? Topic { get; init; }

    public string? Deployment { get; init; }

    public string? Device { get; init; }

    public string? Group { get; init; }

    public string? App { get; init; }

    /// <summary>A person's account, or a device's name; <c>service</c> for what nobody did.</summary>
    public string? By { get; init; }

    /// <summary>What happened: <c>halted</c>, <c>account-made</c>; several between commas.</summary>
    public string? What { get; init; }

    /// <summary>Words that must all stand in the text or the reason.</summary>
    public string? Words { get; init; }

    /// <summary>From this moment on: a day (its beginning), a minute in UTC, or how long ago.</summary>
    public string? From { get; init; }

    /// <summary>Up to this moment: a day (its end), a minute in UTC, or how long ago.</summary>
    public string? To { get; init; }

    public string? Cursor { get; init; }

    public int? Limit { get; init; }
}

/// <summary>Turns what is asked into what the store looks for.</summary>
internal static class EventQueries
{
    private const int MostWords = 10;
    private const int LongestWord = 200;

    public static Outcome<EventQuery> Of(WorldHost world, string topic, JournalQuery asked)
    {
        long? before = null;
        if (asked.Cursor is not null)
        {
            if (!long.TryParse(asked.Cursor, NumberStyles.None, CultureInfo.InvariantCulture, out var number))
            {
                return new Failure(ErrorKind.Invalid, "The cursor is not one that was given out.");
            }

            before = number;
        }

        var words = (asked.Words ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (words.Length > MostWords || words.Any(word => word.Length > LongestWord))
        {
            return new Failure(ErrorKind.Invalid, $"At most {MostWords} words of at most {LongestWord} characters can be looked for.");
        }

        var (from, to) = (Bound(asked.From, isEnd: false, world.Now), Bound(asked.To, isEnd: true, world.Now));
        if (!from.Ok || !to.Ok)
        {
            return (from.Failure ?? to.Failure)!;
        }

        return world.Read<Outcome<EventQuery>>(each =>
        {
            var deployment = asked.Deployment is null ? default : Named.Deployment(each, asked.Deployment);
            if (asked.Deployment is not null && !deployment.Ok)
            {
                return deployment.Failure!;
            }

            // Of one that was removed there are events too, under the identity that it had.
            var device = asked.Device is null || IsIdentity(asked.Device) ? default : Named.Device(each, asked.Device);
            if (asked.Device is not null && !IsIdentity(asked.Device) && !device.Ok)
            {
                return device.Failure!;
            }

            // Of a group that was removed there are events too, under its short name.
            var named = asked.Group is null ? default : Named.Group(each, asked.Group);
            if (asked.Group is not null && named is { Ok: false, Failure.Kind: ErrorKind.Conflict })
            {
                return named.Failure!;
            }

            var group = named.Ok ? named.Value?.Record.Slug : asked.Group;

            var app = asked.App is null ? default : Named.App(each, asked.App);
            if (asked.App is not null && !app.Ok)
            {
                return app.Failure!;
            }

            var its = asked.App is null ? null : each.Deployments.Values.Where(of => of.Plan.App == app.Value).ToList();
            var called = asked.App is null ? null : each.Packages.Values.FirstOrDefault(package => package.Record.App == app.Value)?.Contents.Name;

            var what = (asked.What ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).ToList();
            what.AddRange(group is null ? [] : [GroupEntry.MoveWord(group, isIn: true), GroupEntry.MoveWord(group, isIn: false)]);
            return new EventQuery(
                topic == "any" ? null : topic, asked.Deployment is null ? null : deployment.Value.Id,
                asked.Device is null ? null : device.Ok ? device.Value.Id : asked.Device, null, before, Routes.PageSize(asked.Limit) + 1,
                what.Count == 0 ? null : what)
            {
                From = from.Value, To = to.Value, By = asked.By == "service" ? "" : asked.By, Words = words,
                Deployments = its is null ? null : [.. its.Select(of => of.Id)],
                Or = [.. called is null ? [] : new[] { $"{called} " }, .. group is null ? [] : new[] { $"'{group}'" }],
            };
        });
    }

    private static bool IsIdentity(string device) => device.Length == 32 && device.All(char.IsAsciiHexDigitLower);

    private static Outcome<DateTimeOffset?> Bound(string? text, bool isEnd, DateTimeOffset now) => text is null ? (DateTimeOffset?)null
        : PastMoments.Bound(text, isEnd, now) is { } at ? (DateTimeOffset?)at
        : PastMoments.NoMoment(text);
}
