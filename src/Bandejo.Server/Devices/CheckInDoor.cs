using System.Buffers;
using System.Diagnostics;
using System.IO.Pipelines;
using System.Security.Claims;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Microsoft.AspNetCore.Http.Json;
using Microsoft.Extensions.Options;

namespace Bandejo.Server.Devices;

/// <summary>
/// Answers check-ins before anything else looks at a request: they are nearly all of what comes in, and take none of the ways that people's requests take
/// (cookies, roles, rate limits, routing).
/// </summary>
internal static class CheckInDoor
{
    private const string Path = DeviceProtocol.Prefix + "/check-in";

    [ThreadStatic]
    private static Utf8JsonWriter? _json;

    public static void UseCheckIns(this WebApplication app)
    {
        var form = app.Services.GetRequiredService<IOptions<JsonOptions>>().Value.SerializerOptions;
        var asked = (JsonTypeInfo<CheckInRequest>)form.GetTypeInfo(typeof(CheckInRequest));
        var keys = app.Services.GetRequiredService<SiteKeys>();
        var figures = app.Services.GetRequiredService<RequestFigures>();
        var checkIns = app.Services.GetRequiredService<CheckIns>();
        app.Use(
            (context, next) =>
                context.Request.Path.Equals(Path, StringComparison.Ordinal) && HttpMethods.IsPost(context.Request.Method) ? Answer(context) : next(context));

        async Task Answer(HttpContext context)
        {
            var began = Stopwatch.GetTimestamp();
            try
            {
                var device = Authentication.BearerOf(context.Request) is { } token ? await keys.DeviceOf(token) : null;
                var outcome = device is null
                    ? new Failure(ErrorKind.Unauthenticated, "The device token is missing or does not hold; ask for a new one.")
                    : await checkIns.Take(device, await Read(context.Request));
                if (!outcome.Ok)
                {
                    // The log of refusals says who was refused.
                    context.User = new ClaimsPrincipal(new ClaimsIdentity(device is null ? [] : [new Claim(ClaimTypes.Name, device)]));
                    await Problems.Of(outcome.Failure!).ExecuteAsync(context);
                    return;
                }

                await Write(context.Response, outcome.Value);
            }
            catch (OperationCanceledException) when (context.RequestAborted.IsCancellationRequested)
            {
                // The device has gone away; it sends the same again.
                if (!context.Response.HasStarted)
                {
                    context.Response.StatusCode = StatusCodes.Status499ClientClosedRequest;
                }
            }
            catch (Exception error) when (!context.Response.HasStarted)
            {
                await Problems.Handle(context, app.Logger, error);
            }
            finally
            {
                figures.Took(context, Path, began);
            }
        }

        async ValueTask<CheckInRequest> Read(HttpRequest request)
        {
            if (request.ContentLength > DeviceProtocol.MaxMessage)
            {
                throw new BadHttpRequestException("The check-in is larger than is taken here.", 413);
            }

            if (!request.HasJsonContentType())
            {
                throw new BadHttpRequestException("Send JSON with the content type application/json.", 415);
            }

            // Nearly always it is all there at the first look, and is read from where it lies.
            var read = await request.BodyReader.ReadAsync(request.HttpContext.RequestAborted);
            while (!read.IsCompleted && read.Buffer.Length <= DeviceProtocol.MaxMessage)
            {
                request.BodyReader.AdvanceTo(read.Buffer.Start, read.Buffer.End);
                read = await request.BodyReader.ReadAsync(request.HttpContext.RequestAborted);
            }

            try
            {
                if (read.Buffer.Length > DeviceProtocol.MaxMessage)
                {
                    throw new BadHttpRequestException("The check-in is larger than is taken here.", 413);
                }

                var message = JsonSerializer.Deserialize(read.Buffer.IsSingleSegment ? read.Buffer.FirstSpan : read.Buffer.ToArray(), asked)
                    ?? throw new BadHttpRequestException("The check-in is empty.", 400);
                return MessageForm.Problem(message, asked) is { } problem ? throw new BadHttpRequestException(problem, 422) : message;
            }
            catch (JsonException error)
            {
                throw new BadHttpRequestException("The check-in is not readable.", 400, error);
            }
            finally
            {
                request.BodyReader.AdvanceTo(read.Buffer.End);
            }
        }

        static ValueTask<FlushResult> Write(HttpResponse response, CheckInReply answer)
        {
            var json = _json ??= new Utf8JsonWriter(response.BodyWriter);
            json.Reset(response.BodyWriter);
            answer.Write(json);
            response.ContentType = "application/json; charset=utf-8";
            response.ContentLength = json.BytesCommitted + json.BytesPending;
            json.Flush();
            json.Reset();
            return response.BodyWriter.FlushAsync(response.HttpContext.RequestAborted);
        }
    }
}
