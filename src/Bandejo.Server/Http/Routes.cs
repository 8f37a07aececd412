using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Microsoft.AspNetCore.Authorization;

namespace Bandejo.Server.Http;

/// <summary>Small words for declaring routes.</summary>
internal static class Routes
{
    /// <summary>The route is for accounts with one of the roles; administrators always have it.</summary>
    public static RouteHandlerBuilder For(this RouteHandlerBuilder route, params string[] roles)
    {
        string[] all = [.. roles, Roles.Administrator];
        return route.RequireAuthorization(new AuthorizationPolicyBuilder(Authentication.People).RequireRole(all).Build()).WithMetadata(new NeededRoles(all));
    }

    /// <summary>The route only shows something: it is for accounts with one of the roles, for auditors and administrators.</summary>
    public static RouteHandlerBuilder ForSeeing(this RouteHandlerBuilder route, params string[] roles) => route.For([.. roles, Roles.Auditor]);

    /// <summary>The route is for everybody who is signed in.</summary>
    public static RouteHandlerBuilder ForAll(this RouteHandlerBuilder route) =>
        route.RequireAuthorization(new AuthorizationPolicyBuilder(Authentication.People).RequireAuthenticatedUser().Build())
            .WithMetadata(new NeededRoles(Roles.All));

    /// <summary>What the route shows has a revision, or what it changes: read as <c>ETag</c>, sent as <c>If-Match</c>.</summary>
    public static RouteHandlerBuilder Revised(this RouteHandlerBuilder route) => route.WithMetadata(new HasRevision());

    /// <summary>Who asks.</summary>
    public static string Person(this HttpContext context) =>
        context.User.Identity?.Name ?? throw new InvalidOperationException("The route lets in who is not signed in.");

    /// <summary>Whether who asks has a role, or is an administrator.</summary>
    public static bool Has(this HttpContext context, string role) => context.User.IsInRole(role) || context.User.IsInRole(Roles.Administrator);

    /// <summary>Tells the revision of what is answered.</summary>
    public static IResult WithRevision<T>(this HttpContext context, T value, int revision)
    {
        context.Response.Headers.ETag = $"\"{revision}\"";
        return Results.Ok(value);
    }

    /// <summary>A failure where <c>If-Match</c> names another revision, or is missing where it must not.</summary>
    public static Failure? Unmatched(this HttpContext context, int revision, bool must)
    {
        var header = context.Request.Headers.IfMatch.ToString();
        if (header.Length == 0)
        {
            return must
                ? new Failure(
                    ErrorKind.Stale, $"Say which revision you change with the header If-Match: \"{revision}\" (see ETag), so that nobody's change is lost.")
                : null;
        }

        return header == "*" || header == $"\"{revision}\""
            ? null
            : new Failure(ErrorKind.Stale, $"Somebody changed this meanwhile (it is at revision {revision}); look at it again.");
    }

    /// <summary>The size of a page from what was asked.</summary>
    public static int PageSize(int? limit) => Math.Clamp(limit ?? Contract.ApiLimits.PageSize, 1, Contract.ApiLimits.MaxPageSize);
}

/// <summary>Marks a route of something that has a revision.</summary>
internal sealed class HasRevision;
