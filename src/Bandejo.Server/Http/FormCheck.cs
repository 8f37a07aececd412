using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Core;

namespace Bandejo.Server.Http;

/// <summary>
/// Holds every body to the form that the contract has for it, in one place and before anything is decided: nothing is null in a list, no text or list is longer
/// than it may be, no moment beyond the calendar.
/// </summary>
internal static class FormCheck
{
    /// <summary>The longest value in a path or query, in characters.</summary>
    private const int MaxValue = 4000;

    public static TBuilder WithForm<TBuilder>(this TBuilder routes)
        where TBuilder : IEndpointConventionBuilder => routes.AddEndpointFilter(async (context, next) =>
    {
        var problem = context.HttpContext.Request.QueryString.Value?.Length > MaxValue * 2
            ? $"The query has more than {MaxValue * 2} characters."
            : context.Arguments.Select(Problem).FirstOrDefault(each => each is not null);
        return problem is null ? await next(context) : Problems.Of(new Failure(ErrorKind.Invalid, problem));
    });

    /// <summary>Reads a body where it must not be read before it is known who sends it.</summary>
    /// <exception cref="BadHttpRequestException">It is no JSON, or not of that form.</exception>
    public static async Task<Outcome<T>> ReadForm<T>(this HttpContext context)
        where T : class
    {
        if (!context.Request.HasJsonContentType())
        {
            throw new BadHttpRequestException("Send JSON with the content type application/json.", StatusCodes.Status415UnsupportedMediaType);
        }

        try
        {
            var message = await context.Request.ReadFromJsonAsync<T>(context.RequestAborted) ?? throw new BadHttpRequestException("The body is empty.");
            return Problem(message) is { } problem ? new Failure(ErrorKind.Invalid, problem) : message;
        }
        catch (JsonException error)
        {
            throw new BadHttpRequestException("The body is not readable.", StatusCodes.Status400BadRequest, error);
        }
    }

    private static string? Problem(object? argument) => argument switch
    {
        null => null,
        string text =>
            text.Length > MaxValue ? $"A value in the address has more than {MaxValue} characters."
                : text.Contains('\0', StringComparison.Ordinal) ? "A value in the address holds a character that is no text."
                : null,
        _ when argument.GetType().Namespace?.StartsWith("Bandejo.Contract", StringComparison.Ordinal) == true =>
            MessageForm.Problem(argument, MessageForm.Incoming.GetTypeInfo(argument.GetType())),
        _ => null,
    };
}
