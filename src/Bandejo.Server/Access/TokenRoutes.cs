using System.Security.Claims;
using System.Security.Cryptography;
using Bandejo.Contract.Api;
using Bandejo.Core;
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
    private const int LongestDays = 365;
    private const int UsualDays = 90;

    /// <summary>How long a session is known here; the cookie itself ends sooner.</summary>
    private static readonly TimeSpan SessionLife = TimeSpan.FromDays(30);

    public static void MapTokens(this RouteGroupBuilder api)
    {
        api.MapPost("/tokens", async (Accounts accounts, FleetWorld world, HttpContext context, SignInRequest request) =>
        {
            var account = await accounts.SignIn(request, context);
            return account.Ok ? (await world.Change(account.Value.Account, change => NewToken(change, account.Value, request))).Answer(token => Results.Json(token, statusCode: 201)) : Problems.Of(account.Failure!);
        }).RequireRateLimiting("sign-in").WithSummary("A personal token for a name and password, for so many days, with all or some of the person's roles").Produces<NewToken>(201);
        api.MapGet("/tokens", (FleetWorld world, HttpContext context, string? account) =>
            account is not null && account != context.Person() && !context.Has(Roles.Administrator)
                ? Problems.Of(new Failure(ErrorKind.Forbidden, "Only administrators see the tokens and sessions of others."))
                : Results.Ok(world.Read(each => (IReadOnlyList<TokenInfo>)[.. each.Tokens.Values.Where(token => token.Expires > each.Now && (account == "any" || token.Account == (account ?? context.Person())))
                    .OrderBy(token => token.Account, StringComparer.Ordinal).ThenBy(token => token.Created).Select(token => Info(token, context))])))
            .ForAll().WithSummary("Your personal tokens and sessions; of another account, or of any, for administrators").Produces<IReadOnlyList<TokenInfo>>();
        api.MapDelete("/tokens/{id}", async (FleetWorld world, HttpContext context, string id) => (await world.Change(context.Person(), change => End(change, id, context.Has(Roles.Administrator)))).Answer(_ => Results.NoContent()))
            .ForAll().WithSummary("Ends a personal token or session of yours; of anybody, for administrators").Produces(204);
    }

    /// <summary>Begins the session of a browser.</summary>
    public static async Task<Outcome<bool>> BeginSession(HttpContext context, FleetWorld world, AccountRecord account)
    {
        var secret = RandomNumberGenerator.GetHexString(48, lowercase: true);
        var begun = await world.Change(account.Account, change =>
        {
            foreach (var ended in change.World.Tokens.Values.Where(token => token.Account == account.Account && token.Expires <= change.Now).ToList())
            {
                change.World.Tokens.Remove(ended.Hash);
                change.Keep(new DeleteToken(ended.Id));
            }

            var session = new TokenRecord(Guid.CreateVersion7(change.Now).ToString("N"), account.Account, SessionHash(secret), "browser", change.Now, change.Now + SessionLife, null, IsSession: true);
            change.World.Tokens[session.Hash] = session;
            change.Keep(new PutToken(session));
            change.Audit("signed-in", $"{account.Account} signed in with a browser.");
            return (Outcome<string>)session.Hash;
        });
        if (!begun.Ok)
        {
            return begun.Failure!;
        }

        context.User = Standing.Principal(account.Account, account.Roles, begun.Value, CookieAuthenticationDefaults.AuthenticationScheme);
        await context.SignInAsync(CookieAuthenticationDefaults.AuthenticationScheme, context.User);
        return true;
    }

    /// <summary>Ends the session that a request came with.</summary>
    public static async Task EndSession(HttpContext context, FleetWorld world)
    {
        if (context.User.FindFirstValue(Standing.By) is { } hash && world.Read(each => each.Tokens.GetValueOrDefault(hash)) is { IsSession: true } session)
        {
            await world.Change(context.Person(), change => End(change, session.Id, mayAny: false));
        }

        await context.SignOutAsync(CookieAuthenticationDefaults.AuthenticationScheme);
    }

    /// <summary>The hash of a session's secret; never that of a token.</summary>
    private static string SessionHash(string secret) => "session-" + Authentication.HashOf(secret);

    private static TokenInfo Info(TokenRecord token, HttpContext context) => new(token.Id, token.Label, token.Created, token.Expires, token.Account, token.IsSession, token.Roles, token.Hash == context.User.FindFirstValue(Standing.By));

    private static Outcome<NewToken> NewToken(WorldChange change, AccountRecord account, SignInRequest request)
    {
        var label = request.Label ?? "command line";
        if (label.Length is 0 or > 100 || label.Any(char.IsControl))
        {
            return new Failure(ErrorKind.Invalid, "A token's label has 1 to 100 characters on one line.");
        }

        if (request.Days is < 1 or > LongestDays)
        {
            return new Failure(ErrorKind.Invalid, $"A token is good for 1 to {LongestDays} days.");
        }

        if (request.Roles is { } roles && (roles.Count == 0 || roles.Any(role => !account.Roles.Contains(role) && !account.Roles.Contains(Roles.Administrator)) || roles.Any(role => !Roles.All.Contains(role))))
        {
            return new Failure(ErrorKind.Invalid, $"A token has no roles that its person lacks; {account.Account} has {string.Join(", ", account.Roles)}.");
        }

        var secret = "bdj_" + RandomNumberGenerator.GetHexString(48, lowercase: true);
        var token = new TokenRecord(Guid.CreateVersion7(change.Now).ToString("N"), change.By!, Authentication.HashOf(secret), label, change.Now, change.Now.AddDays(request.Days ?? UsualDays), request.Roles?.Distinct().ToList());
        change.World.Tokens[token.Hash] = token;
        change.Keep(new PutToken(token));
        change.Audit("token-made", $"{change.By} made a personal token ({label}){(token.Roles is { } fewer ? $" with the roles {string.Join(", ", fewer)}" : "")}.");
        return new NewToken(token.Id, secret, token.Account, label, token.Expires);
    }

    private static Outcome<bool> End(WorldChange change, string id, bool mayAny)
    {
        if (change.World.Tokens.Values.FirstOrDefault(token => token.Id == id && (mayAny || token.Account == change.By)) is not { } token)
        {
            return new Failure(ErrorKind.NotFound, mayAny ? "There is no such token or session." : "You have no such token.");
        }

        change.World.Tokens.Remove(token.Hash);
        change.Keep(new DeleteToken(id));
        change.Audit("token-ended", $"{change.By} ended a {(token.IsSession ? "session" : $"personal token ({token.Label})")}{(token.Account == change.By ? "" : $" of {token.Account}")}.");
        return true;
    }
}
