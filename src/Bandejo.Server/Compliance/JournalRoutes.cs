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
    /// <summary>After so long without an event the stream says that it is there.</summary>
    private static readonly TimeSpan Beat = TimeSpan.FromSeconds(10);

    internal static readonly string[] Topics = ["journal", "target", "device", "audit", "package", "group"];

    public static void MapJournal(this RouteGroupBuilder api)
    {
        api.MapGet("/journal", (WorldHost world, HttpContext context, [AsParameters] JournalQuery query) =>
            Page(world, context.Has(Roles.Auditor), query.Topic ?? (query.Group is null ? "journal" : "group"), query).Answer())
            .ForAll()
                .WithName("listJournal").WithSummary(
                    "What the service decided, newest first; topic is journal, target, device, group or any; found by person, what happened, deployment, "
                        + "device, group, app, words, and time")
                .Produces<Page<EventInfo>>();
        api.MapGet("/audit", (WorldHost world, [AsParameters] JournalQuery query) => query.Topic is null or "audit"
            ? Page(world, true, "audit", query).Answer()
            : Problems.Of(new Failure(ErrorKind.Invalid, "The audit trail has one topic; the others are in the journal.")))
            .ForSeeing().WithName("listAudit").WithSummary("Who changed what, newest first; found as in the journal").Produces<Page<EventInfo>>();
        api.MapGet("/audit/verify", async (WorldHost world, SiteKeys keys, long? entry, string? digest) =>
            (await AuditTrail.Verify(world, keys, entry, digest)).Answer())
            .ForSeeing()
                .WithName("verifyAudit")
                .WithSummary("Whether the audit trail is as it was written; with entry and digest of an export, also whether it is still the one of then")
                .Produces<AuditVerification>();
        api.MapGet("/audit/export", (WorldHost world, SiteKeys keys) => AuditTrail.Export(world, keys))
            .ForSeeing().WithName("exportAudit")
            .WithSummary("The whole audit trail, a line of JSON each, and at its end a proof of it").Produces<string>(200, "application/x-ndjson");
        api.MapGet("/events", Stream).ForAll().WithName("followEvents")
            .WithSummary("Everything that happens, as server-sent events; resumes after Last-Event-ID or ?after=")
            .Produces<EventInfo>(200, "text/event-stream");
    }

    private static Outcome<Page<EventInfo>> Page(WorldHost world, bool mayAudit, string topic, JournalQuery asked)
    {
        var query = EventQueries.Of(world, topic, asked);
        if (!query.Ok)
        {
            return query.Failure!;
        }

        if (topic != "any" && !Topics.Contains(topic))
        {
            return new Failure(ErrorKind.Invalid, $"There is no topic '{topic}'. Topics: {string.Join(", ", Topics)}, any.");
        }

        if (topic == "audit" && !mayAudit)
        {
            return new Failure(ErrorKind.Forbidden, "The audit trail is for administrators and auditors.");
        }

        var size = query.Value.Limit - 1;
        var events = new List<EventRecord>();
        for (var found = world.Store.Events(query.Value); ; found = world.Store.Events(query.Value with { Before = found[^1].Number }))
        {
            events.AddRange(found.Where(each => mayAudit || each.Topic != "audit"));
            if (events.Count > size || found.Count < query.Value.Limit)
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
        var mayAudit = context.Has(Roles.Auditor);
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

            // Who may more or less than before is to begin anew.
            while (SignedIn.AsBefore(world, context.User))
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
                    await more.WaitAsync(Beat, cancellation);
                    _ = added.Reader.TryRead(out _);
                    more = added.Reader.WaitToReadAsync(cancellation).AsTask();
                }
                catch (TimeoutException)
                {
                    // Said now and then, so that who listens notices a line that is dead, and proxies do not close a quiet one.
                    await context.Response.WriteAsync("event: beat\ndata: {}\n\n", cancellation);
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
