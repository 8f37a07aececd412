using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Http;

/// <summary>
/// A change that comes with a key is made once, however often it is sent (<c>Idempotency-Key</c>, draft-ietf-httpapi-idempotency-key-header). A repetition is
/// given the first answer; the same key with something else is refused, and so is one whose first request is still being answered.
/// </summary>
internal static class Once
{
    public const string Header = "Idempotency-Key";

    /// <summary>Says that an answer is that of an earlier request with the same key.</summary>
    public const string RepeatedHeader = "Bandejo-Repeated";

    /// <summary>The longest key, in characters.</summary>
    public const int Longest = 100;

    /// <summary>The largest answer that is kept, in bytes.</summary>
    private const int MaxAnswer = 16 * 1024;

    private static readonly AsyncLocal<OnceRecord?> Now = new();
    private static readonly ConcurrentDictionary<(WorldHost, string, string), bool> UnderWay = new();

    /// <summary>How long a key is held.</summary>
    public static TimeSpan Kept => OnceKeys.Kept;

    /// <summary>The key under which whatever a person changes now is to be kept; null for none.</summary>
    public static OnceRecord? Current => Now.Value;

    /// <summary>What comes with a key is made once.</summary>
    public static void UseOnce(this WebApplication app) => app.Use(async (context, next) =>
    {
        var header = context.Request.Headers[Header];
        if (header.Count == 0 || HttpMethods.IsGet(context.Request.Method) || HttpMethods.IsHead(context.Request.Method)
            || context.GetEndpoint()?.Metadata.GetMetadata<NeededRoles>() is null || context.User.Identity is not { IsAuthenticated: true, Name: { } account })
        {
            await next(context);
            return;
        }

        if (KeyOf(header) is not { } key)
        {
            await Refuse(
                context, 400, "invalid", $"{Header} is 1 to {Longest} visible characters in quotes, such as \"8e03978e-40d5-43e8-bc93-6894a57f9324\".");
            return;
        }

        var world = context.RequestServices.GetRequiredService<WorldHost>();
        var once = new OnceRecord(account, key, await Digest(context), default);
        if (!UnderWay.TryAdd((world, account, key), true))
        {
            await Refuse(context, 409, "in-progress", "A request with this key is being answered. Ask again shortly.");
            return;
        }

        try
        {
            var (found, full) = world.Peek(each => (OnceKeys.Find(each, account, key), OnceKeys.Full(each)));
            await (found is not null ? Repeat(context, once, found)
                : full is not null ? Problems.Of(full).ExecuteAsync(context)
                : Make(context, world, once, next));
        }
        finally
        {
            UnderWay.TryRemove((world, account, key), out _);
        }
    });

    private static async Task Make(HttpContext context, WorldHost world, OnceRecord once, RequestDelegate next)
    {
        var body = context.Response.Body;
        using var answer = new MemoryStream();
        context.Response.Body = answer;
        Now.Value = once;
        try
        {
            await next(context);
        }
        finally
        {
            Now.Value = null;
            context.Response.Body = body;
        }

        if (context.Response.StatusCode is >= 200 and < 300)
        {
            // Also of what is not decided but only written into a folder.
            var isKept = answer.Length <= MaxAnswer && context.GetEndpoint()!.Metadata.GetMetadata<AnswersSecret>() is null;
            try
            {
                _ = await world.Change(null, decision => OnceKeys.Answered(
                    decision, once, context.Response.StatusCode, isKept ? Encoding.UTF8.GetString(answer.GetBuffer(), 0, (int)answer.Length) : null));
            }
            catch (StoreException)
            {
                // The change is made and kept, with its key: that only its answer could not be kept must not be told as if nothing was.
            }
        }

        answer.Position = 0;
        await answer.CopyToAsync(body, context.RequestAborted);
    }

    private static async Task Repeat(HttpContext context, OnceRecord asked, OnceRecord made)
    {
        var when = made.At.UtcDateTime.ToString("d MMM yyyy, HH:mm:ss 'UTC'", CultureInfo.InvariantCulture);
        if (made.Asked != asked.Asked)
        {
            await Refuse(context, 422, "key-used", $"This key was used for another request, on {when}. Take a new key for each change.");
        }
        else if (made.Status is not { } status)
        {
            await Refuse(
                context, 409, "done-before", $"This change was made on {when}; its answer is not kept. Look at what is there; the journal tells of it too.");
        }
        else
        {
            context.Response.StatusCode = status;
            context.Response.Headers[RepeatedHeader] = when;
            if (made.Answer.Length > 0)
            {
                context.Response.ContentType = "application/json; charset=utf-8";
                await context.Response.WriteAsync(made.Answer, context.RequestAborted);
            }
        }
    }

    private static Task Refuse(HttpContext context, int status, string type, string detail) => Problems.Write(context, status, type, detail);

    /// <summary>A text of RFC 8941, or the same without its quotes.</summary>
    private static string? KeyOf(string? header)
    {
        var key = header is ['"', .. var inner, '"'] ? inner : header;
        return key is { Length: > 0 and <= Longest } && key.All(c => c is > ' ' and < '\x7f' and not '"' and not '\\' and not ',') ? key : null;
    }

    /// <summary>What is asked for, in short. Of what is uploaded in pieces the size stands for what it holds.</summary>
    private static async Task<string> Digest(HttpContext context)
    {
        var request = context.Request;
        using var digest = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        digest.AppendData(Encoding.UTF8.GetBytes(
            $"{request.Method}\n{request.Path}\n{request.QueryString}\n{request.Headers.IfMatch}\n{request.ContentType}\n{request.ContentLength}\n"));
        if (request.HasJsonContentType())
        {
            request.EnableBuffering(bufferThreshold: 64 * 1024, bufferLimit: ApiLimits.MaxBody);
            var buffer = new byte[16 * 1024];
            for (int read; (read = await request.Body.ReadAsync(buffer, context.RequestAborted)) > 0;)
            {
                digest.AppendData(buffer, 0, read);
            }

            request.Body.Position = 0;
        }

        return Convert.ToHexStringLower(digest.GetHashAndReset());
    }
}

/// <summary>Marks a route whose answer holds what is told once and never kept.</summary>
internal sealed class AnswersSecret;
