using System.Globalization;
using System.Text.Json;
using System.Threading.Channels;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Compliance;

/// <summary>The journal, the audit trail, and the stream of everything that happens.</summary>
internal static class JournalRoutes
{
    private static readonly string[] Topics = ["journal", "target", "device", "audit", "package", "group"];

    public static void MapJournal(this RouteGroupBuilder api)
    {
        api.MapGet(
            "/journal",
            (WorldHost world, HttpContext context, string? topic, string? deployment, string? device, string? group, string? cursor, int? limit) =>
                Page(world, context.Has(Roles.Administrator), topic ?? (group is null ? "journal" : "group"), deployment, device, group, cursor, limit)
                    .Answer())
            .ForAll()
                .WithSummary(
                    "What the service decided, newest first; topic is journal, target, device, group or any; group shows who came into a group and who left")
                .Produces<Page<EventInfo>>();
        api.MapGet("/audit", (WorldHost world, string? cursor, int? limit) => Page(world, true, "audit", null, null, null, cursor, limit).Answer())
            .For().WithSummary("Who changed what, newest first").Produces<Page<EventInfo>>();
        api.MapGet("/events", Stream).ForAll().WithSummary("Everything that happens, as server-sent events; resumes after Last-Event-ID or ?after=")
            .Produces<EventInfo>(200, "text/event-stream");
    }

    private static Outcome<Page<EventInfo>> Page(
        WorldHost world, bool mayAudit, string topic, string? deployment, string? device, string? group, string? cursor, int? limit)
    {
        if (topic != "any" && !Topics.Contains(topic))
        {
            return new Failure(ErrorKind.Invalid, $"There is no topic '{topic}'. Topics: {string.Join(", ", Topics)}, any.");
        }

        if (topic == "audit" && !mayAudit)
        {
            return new Failure(ErrorKind.Forbidden, "The audit trail is for administrators.");
        }

        long? before = null;
        if (cursor is not null)
        {
            if (!long.TryParse(cursor, NumberStyles.None, CultureInfo.InvariantCulture, out var number))
            {
                return new Failure(ErrorKind.Invalid, "The cursor is not one that was given out.");
            }

            before = number;
        }

        string? deploymentId = null;
        if (deployment is not null)
        {
            var found = world.Read(each => Named.Deployment(each, deployment));
            if (!found.Ok)
            {
                return found.Failure!;
            }

            deploymentId = found.Value.Id;
        }

        var deviceId = device is null ? null : world.Peek(each => each.Devices.Find(device)?.Id) ?? "none";
        var size = Routes.PageSize(limit);
        var query = new EventQuery(topic == "any" ? null : topic, deploymentId, deviceId, null, before, size + 1, group is null ? null : [
            GroupEntry.MoveWord(group, isIn: true), GroupEntry.MoveWord(group, isIn: false)]);
        var events = new List<EventRecord>();
        for (var found = world.Store.Events(query); ; found = world.Store.Events(query with { Before = found[^1].Number }))
        {
            events.AddRange(found.Where(each => mayAudit || each.Topic != "audit"));
            if (events.Count > size || found.Count < query.Limit)
            {
                break;
            }
        }

        return new Page<EventInfo>(
            [.. events.Take(size).Select(Views.Event)], events.Count > size ? events[size - 1].Number.ToString(CultureInfo.InvariantCulture) : null, null);
    }

    private static async Task Stream(HttpContext context, WorldHost world, IHostApplicationLifetime life, PeopleLines lines, long? after)
    {
        using var either = CancellationTokenSource.CreateLinkedTokenSource(context.RequestAborted, life.ApplicationStopping);
        var cancellation = either.Token;
        var last = long.TryParse(context.Request.Headers["Last-Event-ID"], NumberStyles.None, CultureInfo.InvariantCulture, out var resumed)
            ? resumed
            : after ?? world.LastEvent;
        var mayAudit = context.Has(Roles.Administrator);
        using var line = lines.Open(context.Person());
        using var all = CancellationTokenSource.CreateLinkedTokenSource(cancellation, line.Closed);
        cancellation = all.Token;

        // Holds one: however much is added while it is sent, it is looked once more.
        var added = Channel.CreateBounded<bool>(1);
        var more = added.Reader.WaitToReadAsync(cancellation).AsTask();
        void Added() => added.Writer.TryWrite(true);
        context.Response.ContentType = "text/event-stream";
        context.Response.Headers.CacheControl = "no-store";
        world.EventsAdded += Added;
        try
        {
            await context.Response.WriteAsync(": open\n\n", cancellation);
            await context.Response.Body.FlushAsync(cancellation);
            while (SignedIn.Still(world, context.User))
            {
                for (var events = Next(); events.Count > 0; events = Next())
                {
                    foreach (var happened in events)
                    {
                        last = happened.Number;
                        if ((happened.Topic != "audit" || mayAudit) && SignedIn.Still(world, context.User))
                        {
                            await context.Response.WriteAsync(
                                $"id: {happened.Number}\nevent: {happened.Topic}\ndata: "
                                    + $"{JsonSerializer.Serialize(Views.Event(happened), ContractJson.Default.EventInfo)}\n\n",
                                cancellation);
                        }
                    }

                    await context.Response.Body.FlushAsync(cancellation);
                }

                try
                {
                    await more.WaitAsync(TimeSpan.FromSeconds(20), cancellation);
                    _ = added.Reader.TryRead(out _);
                    more = added.Reader.WaitToReadAsync(cancellation).AsTask();
                }
                catch (TimeoutException)
                {
                    // A comment now and then keeps proxies from closing a quiet stream.
                    await context.Response.WriteAsync(": quiet\n\n", cancellation);
                    await context.Response.Body.FlushAsync(cancellation);
                }
            }
        }
        catch (OperationCanceledException)
        {
            // The reader left or the service ends.
        }
        finally
        {
            world.EventsAdded -= Added;
        }

        IReadOnlyList<EventRecord> Next() => world.Store.Events(new EventQuery(null, null, null, last, null, 500));
    }
}
