using System.Security.Cryptography;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;

namespace Bandejo.Server.Access;

/// <summary>Sign-in, accounts and tokens.</summary>
internal static class AccessRoutes
{
    public static void MapAccess(this RouteGroupBuilder api)
    {
        api.MapPost("/session", async (Accounts accounts, IAntiforgery antiforgery, HttpContext context, SignInRequest request) =>
        {
            var account = accounts.SignIn(request);
            if (!account.Ok)
            {
                return Problems.Of(account.Failure!);
            }

            context.User = Authentication.Principal(account.Value, CookieAuthenticationDefaults.AuthenticationScheme);
            await context.SignInAsync(CookieAuthenticationDefaults.AuthenticationScheme, context.User);
            return Results.Ok(Info(account.Value, antiforgery.GetAndStoreTokens(context).RequestToken));
        }).RequireRateLimiting("sign-in").WithSummary("Signs in with a cookie").Produces<SessionInfo>();
        api.MapGet("/session", (FleetWorld world, IAntiforgery antiforgery, HttpContext context) =>
            Results.Ok(Info(world.Read(each => each.Accounts[context.Person()]), context.Request.Headers.Authorization.Count > 0 ? null : antiforgery.GetAndStoreTokens(context).RequestToken)))
            .ForAll().WithSummary("Who is signed in").Produces<SessionInfo>();
        api.MapDelete("/session", async (HttpContext context) =>
        {
            await context.SignOutAsync(CookieAuthenticationDefaults.AuthenticationScheme);
            return Results.NoContent();
        }).ForAll().WithSummary("Signs out").Produces(204);

        api.MapPost("/tokens", async (Accounts accounts, FleetWorld world, SignInRequest request) =>
        {
            var account = accounts.SignIn(request);
            return account.Ok ? (await world.Change(account.Value.Account, change => NewToken(change, request.Label ?? "command line"))).Answer(token => Results.Json(token, statusCode: 201)) : Problems.Of(account.Failure!);
        }).RequireRateLimiting("sign-in").WithSummary("A personal token for a name and password").Produces<NewToken>(201);
        api.MapGet("/tokens", (FleetWorld world, HttpContext context) => Results.Ok(world.Read(each =>
            (IReadOnlyList<TokenInfo>)[.. each.Tokens.Values.Where(token => token.Account == context.Person()).OrderBy(token => token.Created).Select(token => new TokenInfo(token.Id, token.Label, token.Created, token.Expires))])))
            .ForAll().WithSummary("Your personal tokens").Produces<IReadOnlyList<TokenInfo>>();
        api.MapDelete("/tokens/{id}", async (FleetWorld world, HttpContext context, string id) => (await world.Change(context.Person(), change => DeleteToken(change, id))).Answer(_ => Results.NoContent()))
            .ForAll().WithSummary("Ends a personal token of yours").Produces(204);

        api.MapGet("/accounts", (FleetWorld world) => Results.Ok(world.Read(each => (IReadOnlyList<AccountInfo>)[.. each.Accounts.Values.OrderBy(account => account.Account, StringComparer.Ordinal).Select(Info)])))
            .For().WithSummary("All accounts").Produces<IReadOnlyList<AccountInfo>>();
        api.MapPost("/accounts", async (Accounts accounts, FleetWorld world, HttpContext context, AccountRequest request) =>
            (await world.Change(context.Person(), change => accounts.Add(change, request))).Answer(account => Results.Created($"/api/v1/accounts/{account.Account}", Info(account))))
            .For().WithSummary("A new account").Produces<AccountInfo>(201);
        api.MapPatch("/accounts/{account}", async (Accounts accounts, FleetWorld world, HttpContext context, string account, AccountChange request) =>
            (await world.Change(context.Person(), change => accounts.Alter(change, context, account, request))).Answer(changed => context.WithRevision(Info(changed), changed.Revision)))
            .For().WithSummary("Changes an account; needs If-Match").Produces<AccountInfo>();
        api.MapPost("/account/signing-keys", async (Accounts accounts, FleetWorld world, HttpContext context, SigningKeyRequest request) =>
            (await world.Change(context.Person(), change => accounts.AddKey(change, request))).Answer())
            .For(Roles.Packager).WithSummary("Registers a key of yours for building packages").Produces<SigningKeyInfo>();
    }

    private static SessionInfo Info(StoredAccount account, string? csrf) => new(account.Account, account.Name, account.Roles, csrf);

    private static AccountInfo Info(StoredAccount account) => new(account.Account, account.Name, account.Roles, account.IsDisabled, [.. account.SigningKeys.Select(key => key.KeyId)], account.Revision);

    private static Outcome<NewToken> NewToken(WorldChange change, string label)
    {
        if (label.Length > 100)
        {
            return new Failure(ErrorKind.Invalid, "A token's label has at most 100 characters.");
        }

        var secret = "bdj_" + RandomNumberGenerator.GetHexString(48, lowercase: true);
        var token = new StoredToken(Guid.CreateVersion7(change.Now).ToString("N"), change.By!, Authentication.HashOf(secret), label, change.Now, change.Now.AddDays(90));
        change.World.Tokens[token.Hash] = token;
        change.Keep(new PutToken(token));
        change.Audit("token-made", $"{change.By} made a personal token ({label}).");
        return new NewToken(token.Id, secret, token.Account, label, token.Expires);
    }

    private static Outcome<bool> DeleteToken(WorldChange change, string id)
    {
        if (change.World.Tokens.Values.FirstOrDefault(token => token.Id == id && token.Account == change.By) is not { } token)
        {
            return new Failure(ErrorKind.NotFound, "You have no such token.");
        }

        change.World.Tokens.Remove(token.Hash);
        change.Keep(new DeleteToken(id));
        change.Audit("token-ended", $"{change.By} ended a personal token ({token.Label}).");
        return true;
    }
}
