using System.Security.Claims;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.CheckIns;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Bandejo.Server.Devices;

/// <summary>The device protocol: see docs/design/protocol.md.</summary>
internal static class DeviceRoutes
{
    public static void MapDeviceProtocol(this WebApplication app)
    {
        var open = app.MapGroup(DeviceProtocol.Prefix).ExcludeFromDescription().WithForm();
        open.MapPost("/join", async (JoinRequest request, Joining joining) => (await joining.Join(request)).Answer()).RequireRateLimiting("join");
        open.MapPost("/token", async (DeviceTokenRequest request, Joining joining) => (await joining.Token(request)).Answer());

        // Nearly all requests are check-ins, and what people's requests pass through (cookies, roles, rate limits) has nothing to say about them.
        app.MapPost(DeviceProtocol.Prefix + "/check-in", CheckIn).ExcludeFromDescription()
            .WithMetadata(new RequestSizeLimitAttribute(DeviceProtocol.MaxMessage)).ShortCircuit();

        var device = app.MapGroup(DeviceProtocol.Prefix).ExcludeFromDescription()
            .RequireAuthorization(new AuthorizationPolicyBuilder(Authentication.Device).RequireAuthenticatedUser().Build());
        device.MapGet("/hail", Hail);
        device.MapGet(
            "/files/{sha256}",
            (string sha256, HttpContext context, WorldHost world, FileStore files) =>
                IsDigest(sha256) && world.Peek(each => each.Devices.Get(context.Person()) is { } device && DeviceOrder.Names(each, device, sha256))
                    && files.Find(sha256) is { } path
            ? Results.File(path, "application/octet-stream", enableRangeProcessing: true, entityTag: new($"\"{sha256}\""))
            : Problems.Of(new Failure(ErrorKind.NotFound, "No order of this device names a file with this digest.")));
        device.MapPut("/attempts/{id}/log", async (string id, HttpContext context, WorldHost world, FileStore files) =>
        {
            var isOwn = id.All(char.IsAsciiLetterOrDigit) && id.Length is > 0 and <= 40
                && (world.Store.Attempt(id) ?? world.Read(each => each.OpenAttempts.GetValueOrDefault(id)))?.Device == context.Person();
            if (!isOwn)
            {
                return Problems.Of(new Failure(ErrorKind.Forbidden, $"Attempt {id} is not known, or belongs to another device; its log was not taken."));
            }

            var isNew = files.FindLog(id) is null;
            await files.KeepLog(id, context.Request.Body, DeviceProtocol.MaxLog, context.RequestAborted);
            return !isNew ? Results.NoContent() : (await world.Change<bool>(null, change =>
            {
                change.Event(
                    "device", "log", $"The log of attempt {id} has arrived.", null, context.Person(), null, change.World.Devices.Get(context.Person())?.Name);
                return true;
            })).Answer(_ => Results.NoContent());
        });
    }

    private static async Task<IResult> CheckIn(HttpContext context, CheckIns checkIns, SiteKeys keys)
    {
        if (Authentication.BearerOf(context.Request) is not { } token || await keys.DeviceOf(token) is not { } device)
        {
            return Problems.Of(new Failure(ErrorKind.Unauthenticated, "The device token is missing or does not hold; ask for a new one."));
        }

        // The log of refusals says who was refused.
        context.User = new ClaimsPrincipal(new ClaimsIdentity([new Claim(ClaimTypes.Name, device)]));
        var request = await context.ReadForm<CheckInRequest>();
        return (request.Ok ? await checkIns.Take(device, request.Value) : request.Failure!).Answer();
    }

    private static bool IsDigest(string text) => text.Length == 64 && text.All(char.IsAsciiHexDigitLower);

    private static async Task Hail(HttpContext context, Hails hails)
    {
        var stopping = context.RequestServices.GetRequiredService<IHostApplicationLifetime>().ApplicationStopping;
        using var hail = hails.Listen(context.Person());
        if (hail is null)
        {
            await Problems.Of(new Failure(
                ErrorKind.Conflict, "As many devices listen as there may; check in at the usual times, and try to listen again later."))
                .ExecuteAsync(context);
            return;
        }

        using var either = CancellationTokenSource.CreateLinkedTokenSource(context.RequestAborted, stopping, hail.Closed);
        context.Response.ContentType = "text/event-stream";
        context.Response.Headers.CacheControl = "no-store";
        try
        {
            await context.Response.WriteAsync(": listening\n\n", either.Token);
            await context.Response.Body.FlushAsync(either.Token);
            while (!either.IsCancellationRequested)
            {
                await hail.Next(either.Token);
                await context.Response.WriteAsync("event: check-in\ndata: now\n\n", either.Token);
                await context.Response.Body.FlushAsync(either.Token);
            }
        }
        catch (OperationCanceledException)
        {
            // The device went away or the service ends; both are how this request ends.
        }
    }
}
