using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Store;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Http.Metadata;

namespace Bandejo.Server.Http;

/// <summary>Turns failures into problem documents (RFC 9457).</summary>
internal static partial class Problems
{
    // Quotes as they are: what is answered is JSON with its own content type and read by people too.
    private static readonly ContractJson Form = new(
        new JsonSerializerOptions(ContractJson.Default.Options) { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping });

    /// <summary>All types of problems.</summary>
    public static IReadOnlyList<string> Types { get; } =
    [
        .. Enum.GetValues<ErrorKind>().Select(Kind).Concat([
            "csrf", "done-before", "fault", "in-progress", "key-used", "not-possible-here", "not-ready", "too-many-attempts", "wrong-form"]).Select(TypeOf),
    ];

    /// <summary>The answer for an outcome: what <paramref name="good"/> makes of the value, or the problem.</summary>
    public static IResult Answer<T>(this Outcome<T> outcome, Func<T, IResult> good) => outcome.Ok ? good(outcome.Value) : Of(outcome.Failure!);

    /// <summary>The value as JSON, or the problem.</summary>
    public static IResult Answer<T>(this Outcome<T> outcome) => outcome.Answer(value => Results.Ok(value));

    /// <summary>The problem for a failure.</summary>
    public static IResult Of(Failure failure)
    {
        var (status, title) = Status(failure.Kind);
        var problem = new Problem(
            TypeOf(Kind(failure.Kind)), title, status, failure.Message,
            failure.Findings.Count == 0 ? null : [.. failure.Findings.Select(Info)], failure.Taken);
        return new Refusal(problem);
    }

    /// <summary>The HTTP status that a kind of failure is answered with.</summary>
    public static int StatusOf(ErrorKind kind) => Status(kind).Status;

    /// <summary>A finding as it travels.</summary>
    public static FindingInfo Info(Finding finding) => new(finding.Message, finding.Where, finding.Line, finding.Column, finding.Length, finding.IsWarning);

    /// <summary>Writes a problem where no result can be returned.</summary>
    public static Task Write(HttpContext context, int status, string type, string detail) =>
        Send(context, new Problem(TypeOf(type), Title(status), status, detail));

    /// <summary>Sends a problem and says so in the log: who was refused what, and why.</summary>
    private static Task Send(HttpContext context, Problem problem)
    {
        var log = context.RequestServices.GetRequiredService<ILoggerFactory>().CreateLogger("Bandejo.Server.Refusals");
        Refused(log, context.Request.Method, context.Request.Path, context.User.Identity?.Name ?? "nobody", problem.Status, problem.Detail);
        context.Response.StatusCode = problem.Status;
        return context.Response.WriteAsJsonAsync(problem, Form.Problem, "application/problem+json", context.RequestAborted);
    }

    /// <summary>Gives every refusal a body, and every bug an answer that shows nothing of its insides.</summary>
    public static void UseProblems(this WebApplication app)
    {
        app.UseExceptionHandler(handler => handler.Run(context => Handle(context, app.Logger, context.Features.Get<IExceptionHandlerFeature>()?.Error)));
        app.UseStatusCodePages(context =>
        {
            var status = context.HttpContext.Response.StatusCode;
            if (status == 400 && Unread(context.HttpContext) is { } unread)
            {
                return Write(context.HttpContext, status, "invalid", unread);
            }

            return Write(context.HttpContext, status, TypeOf(status), status switch
            {
                401 => "Sign in first: 'bandejo sign-in', or POST /api/v1/session.",
                403 => Forbidden(context.HttpContext),
                404 => $"There is nothing at {context.HttpContext.Request.Path}.",
                405 => $"{context.HttpContext.Request.Method} is not possible at {context.HttpContext.Request.Path}.",
                413 => "The body is larger than is taken here.",
                415 => "Send JSON with the content type application/json.",
                429 => "Too many attempts; wait a minute.",
                _ => $"The request was refused with status {status}.",
            });
        });
    }

    /// <summary>Answers for an exception.</summary>
    public static Task Handle(HttpContext context, ILogger log, Exception? error) => error switch
    {
        BadHttpRequestException bad => Write(context, bad.StatusCode, "invalid", Unread(context) ?? Plain(bad)),
        StoreException =>
            NotReady(
                context,
                HttpMethods.IsGet(context.Request.Method)
                    ? "The service is reading its state anew. Try again shortly."
                    : "The service cannot write its state at the moment; nothing was changed. Try again shortly."),
        IOException => NotReady(context, "The service cannot write to its disk at the moment; nothing was changed. Try again shortly."),
        _ => Unexpected(log, context, error),
    };

    private static Task NotReady(HttpContext context, string detail)
    {
        context.Response.Headers.RetryAfter = "1";
        return Write(context, 503, "not-ready", detail);
    }

    private static string Forbidden(HttpContext context)
    {
        var needed = context.GetEndpoint()?.Metadata.GetMetadata<NeededRoles>()?.Roles ?? [];
        var has = context.User.Claims.Where(claim => claim.Type == System.Security.Claims.ClaimTypes.Role).Select(claim => claim.Value);
        return $"This takes the role {string.Join(" or ", needed)}; {context.User.Identity?.Name} has {string.Join(", ", has)}. Ask an administrator.";
    }

    // No default: a new kind without an answer must not build.
#pragma warning disable CS8524 // Values outside the enumeration cannot occur.
    private static (int Status, string Title) Status(ErrorKind kind) => kind switch
    {
        ErrorKind.Invalid => (422, "Not valid"),
        ErrorKind.NotFound => (404, "Not found"),
        ErrorKind.Conflict => (409, "Not possible now"),
        ErrorKind.Stale => (412, "Changed meanwhile"),
        ErrorKind.Forbidden => (403, "Not allowed"),
        ErrorKind.Unauthenticated => (401, "Not signed in"),
        ErrorKind.TooMuch => (413, "Too much"),
        ErrorKind.Gone => (410, "Gone"),
    };
#pragma warning restore CS8524

    private static string Title(int status) => status switch
    {
        400 => "Not readable",
        401 => "Not signed in",
        403 => "Not allowed",
        404 => "Not found",
        405 => "Not possible here",
        409 => "Not possible now",
        412 => "Changed meanwhile",
        413 => "Too much",
        415 => "Wrong form",
        428 => "Condition missing",
        429 => "Too many attempts",
        503 => "Not ready",
        _ => status >= 500 ? "A fault of the service" : "Refused",
    };

    private static string TypeOf(string name) => $"urn:bandejo:problem:{name}";

    /// <summary>The type of what is refused before anybody decides about it.</summary>
    private static string TypeOf(int status) => status switch
    {
        401 => Kind(ErrorKind.Unauthenticated),
        403 => Kind(ErrorKind.Forbidden),
        404 => Kind(ErrorKind.NotFound),
        405 => "not-possible-here",
        413 => Kind(ErrorKind.TooMuch),
        415 => "wrong-form",
        429 => "too-many-attempts",
        >= 500 => "fault",
        _ => Kind(ErrorKind.Invalid),
    };

    private static string Kind(ErrorKind kind) => StateNames.Hyphenate(kind.ToString());

    private static string Plain(BadHttpRequestException bad)
    {
        for (Exception? inner = bad; inner is not null; inner = inner.InnerException)
        {
            if (inner is System.Text.Json.JsonException json)
            {
                var place = json.Path is { Length: > 2 } path ? $", at {path[2..]}" : "";
                return $"The body is not the JSON that is expected here{place}: {Troubles.InWords(json)}.";
            }
        }

        return bad.Message;
    }

    /// <summary>
    /// Which value of the query cannot be read: the framework names the types of its language, and of one that may be left out nothing at all. Null where all
    /// can.
    /// </summary>
    private static string? Unread(HttpContext context)
    {
        // Whoever handles an exception finds the endpoint put aside.
        var endpoint = context.GetEndpoint() ?? context.Features.Get<IExceptionHandlerFeature>()?.Endpoint;
        foreach (var part in endpoint?.Metadata.GetOrderedMetadata<IParameterBindingMetadata>().Where(part => part.HasTryParse) ?? [])
        {
            if (context.Request.Query[part.Name].FirstOrDefault() is { Length: > 0 } value && Expected(part.ParameterInfo.ParameterType, value) is { } expected)
            {
                return $"'{value}' is not {expected} for '{JsonNamingPolicy.CamelCase.ConvertName(part.Name)}'.";
            }
        }

        return null;
    }

    /// <summary>What was expected instead of a value; null where it can be read.</summary>
    private static string? Expected(Type type, string value) => Type.GetTypeCode(Nullable.GetUnderlyingType(type) ?? type) switch
    {
        TypeCode.Int32 => int.TryParse(value, CultureInfo.InvariantCulture, out _) ? null : "a whole number",
        TypeCode.Int64 => long.TryParse(value, CultureInfo.InvariantCulture, out _) ? null : "a whole number",
        TypeCode.Boolean => bool.TryParse(value, out _) ? null : "true or false",
        _ => null,
    };

    private static Task Unexpected(ILogger log, HttpContext context, Exception? error)
    {
        UnexpectedFault(log, context.Request.Method, context.Request.Path, error);
        return Write(context, 500, "fault", "The service made a mistake; nothing of this request was kept. Its log has the details.");
    }

    private sealed class Refusal(Problem problem) : IResult
    {
        public Task ExecuteAsync(HttpContext httpContext) => Send(httpContext, problem);
    }

    [LoggerMessage(Level = LogLevel.Information, Message = "Refused: {Method} {Path} for {Person} with {Status}, {Why}")]
    private static partial void Refused(ILogger logger, string method, string path, string person, int status, string why);

    [LoggerMessage(Level = LogLevel.Error, Message = "{Method} {Path} failed unexpectedly")]
    private static partial void UnexpectedFault(ILogger logger, string method, string path, Exception? error);
}

/// <summary>Which roles a route takes, for the refusal and for the test of all routes.</summary>
internal sealed record NeededRoles(IReadOnlyList<string> Roles);
