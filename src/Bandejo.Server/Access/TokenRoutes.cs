using System.Security.Claims;
using System.Security.Cryptography;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;

namespace Bandejo.Server.Access;

/// <summary>Tokens and sessions: one's own, and for administrators everybody's.</summary>
internal static class TokenRoutes
{
    public static void MapTokens(this RouteGroupBuilder api)
    {
        api.MapPost("/tokens", async (Passwords passwords, WorldHost world, HttpContext context, SignInRequest request) =>
        {
            var account = await passwords.SignIn(request, context);
            if (!account.Ok)
            {
                return Problems.Of(account.Failure!);
            }

            var secret = "bdj_" + RandomNumberGenerator.GetHexString(48, lowercase: true);
            return (await world.Change(account.Value.Account, decision => Tokens.Add(
                decision, account.Value, Authentication.HashOf(secret), request.Label ?? "command line", request.Days, request.Roles)))
                .Answer(token => Results.Json(new NewToken(token.Id, secret, token.Account, token.Label, token.Expires), statusCode: 201));
        }).RequireRateLimiting("sign-in").WithName("createToken")
            .WithSummary("A personal token for a name and password, for so many days, with all or some of the person's "
            + "roles").Produces<NewToken>(201);
        api.MapGet("/tokens", (WorldHost world, HttpContext context, string? account) =>
            account is not null && account != context.Person() && !context.Has(Roles.Auditor)
                ? Problems.Of(new Failure(ErrorKind.Forbidden, "Only administrators and auditors see the tokens and sessions of others."))
                : Results.Ok(world.Read(each => (IReadOnlyList<TokenInfo>)[.. each.Tokens.Values.Where(
                    token => token.Expires > each.Now && (account == "any" || token.Account == (account ?? context.Person())))
                    .OrderBy(token => token.Account, StringComparer.Ordinal).ThenBy(token => token.Created).Select(token => Info(token, context))])))
            .ForAll().WithName("listTokens").WithSummary("Your personal tokens and sessions; of another account, or of any, for administrators and auditors")
                .Produces<IReadOnlyList<TokenInfo>>();
        api.MapDelete(
            "/tokens/{id}",
            async (WorldHost world, HttpContext context, string id) =>
                (await world.Change(context.Person(), decision => Tokens.End(decision, id, context.Has(Roles.Administrator)))).Answer(_ => Results.NoContent()))
            .ForAll().WithName("removeToken").WithSummary("Ends a personal token or session of yours; of anybody, for administrators").Produces(204);
    }

    /// <summary>Begins the session of a browser.</summary>
    public static async Task<Outcome<bool>> BeginSession(HttpContext context, WorldHost world, AccountRecord account)
    {
        var secret = RandomNumberGenerator.GetHexString(48, lowercase: true);
        var begun = await world.Change(account.Account, decision => Tokens.BeginSession(decision, account, SessionHash(secret)));
        if (!begun.Ok)
        {
            return begun.Failure!;
        }

        context.User = SignedIn.Principal(account.Account, account.Roles, begun.Value.Hash, CookieAuthenticationDefaults.AuthenticationScheme);
        await context.SignInAsync(CookieAuthenticationDefaults.AuthenticationScheme, context.User);
        return true;
    }

    /// <summary>Ends the session that a request came with.</summary>
    public static async Task EndSession(HttpContext context, WorldHost world)
    {
        if (context.User.FindFirstValue(SignedIn.By) is { } hash && world.Peek(each => each.Tokens.GetValueOrDefault(hash)) is { IsSession: true } session)
        {
            await world.Change(context.Person(), decision => Tokens.End(decision, session.Id, mayAny: false));
        }

        await context.SignOutAsync(CookieAuthenticationDefaults.AuthenticationScheme);
    }

    /// <summary>The hash of a session's secret; never that of a token.</summary>
    private static string SessionHash(string secret) => "session-" + Authentication.HashOf(secret);

    private static TokenInfo Info(TokenRecord token, HttpContext context) =>
        new(
            token.Id, token.Label, token.Created, token.Expires, token.Account, token.IsSession, token.Roles,
            token.Hash == context.User.FindFirstValue(SignedIn.By));
}
