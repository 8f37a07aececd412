using System.Security.Claims;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Antiforgery;

namespace Bandejo.Server.Access;

/// <summary>Sign-in, accounts and tokens.</summary>
internal static class AccessRoutes
{
    public static void MapAccess(this RouteGroupBuilder api)
    {
        api.MapPost("/session", async (Passwords passwords, WorldHost world, IAntiforgery antiforgery, HttpContext context, SignInRequest request) =>
        {
            var account = await passwords.SignIn(request, context);
            if (!account.Ok)
            {
                return Problems.Of(account.Failure!);
            }

            var begun = await TokenRoutes.BeginSession(context, world, account.Value);
            return !begun.Ok ? Problems.Of(begun.Failure!) : Results.Ok(Info(account.Value, antiforgery.GetAndStoreTokens(context).RequestToken));
        }).RequireRateLimiting("sign-in").WithName("signIn").WithSummary("Signs in with a cookie").Produces<SessionInfo>();
        api.MapGet("/session", (WorldHost world, IAntiforgery antiforgery, HttpContext context) =>
            Results.Ok(Info(
                world.Read(
                    each => each.Accounts[context.Person()])
                    with { Roles = context.User.Claims.Where(claim => claim.Type == ClaimTypes.Role).Select(claim => claim.Value).ToList() },
                context.Request.Headers.Authorization.Count > 0 ? null : antiforgery.GetAndStoreTokens(context).RequestToken)))
            .ForAll().WithName("getSession").WithSummary("Who is signed in").Produces<SessionInfo>();
        api.MapDelete("/session", async (WorldHost world, HttpContext context) =>
        {
            await TokenRoutes.EndSession(context, world);
            return Results.NoContent();
        }).ForAll().WithName("signOut").WithSummary("Signs out").Produces(204);

        api.MapTokens();
        api.MapGet("/accounts", (WorldHost world) => Results.Ok(world.Read(each => (IReadOnlyList<AccountInfo>)[
            .. each.Accounts.Values.OrderBy(account => account.Account, StringComparer.Ordinal).Select(Info)])))
            .ForSeeing().WithName("listAccounts").WithSummary("All accounts").Produces<IReadOnlyList<AccountInfo>>();
        api.MapGet("/accounts/{account}", (WorldHost world, HttpContext context, string account) =>
            world.Read(each => Named.Account(each, account)).Answer(found => context.WithRevision(Info(found), found.Revision)))
            .ForSeeing().WithName("getAccount").Revised().WithSummary("One account").Produces<AccountInfo>();
        api.MapPost("/accounts", async (WorldHost world, HttpContext context, AccountRequest request) =>
        {
            var password = Passwords.Hashed(request.Password);
            return (await world.Change(context.Person(), decision => Accounts.Add(decision, request.Account, request.Name, password, request.Roles)))
                .Answer(account => Results.Created($"/api/v1/accounts/{account.Account}", Info(account)));
        })
            .For().WithName("createAccount").WithSummary("A new account").Produces<AccountInfo>(201);
        api.MapPatch("/accounts/{account}", async (WorldHost world, HttpContext context, string account, AccountChange request) =>
        {
            var ask = new AccountAsk(request.Name, request.Password is { } password ? Passwords.Hashed(password) : null, request.Roles, request.IsDisabled);
            return (await world.Change(context.Person(), decision => Accounts.Alter(decision, context.Unmatched, account, ask)))
                .Answer(changed => context.WithRevision(Info(changed), changed.Revision));
        })
            .For().WithName("changeAccount").Revised().WithSummary("Changes an account; needs If-Match").Produces<AccountInfo>();
        api.MapPost("/account/password", async (Passwords passwords, WorldHost world, HttpContext context, PasswordChange request) =>
        {
            var known = await passwords.SignIn(new SignInRequest(context.Person(), request.Old), context);
            if (!known.Ok)
            {
                return Problems.Of(known.Failure!);
            }

            var password = Passwords.Hashed(request.New);
            return (await world.Change(context.Person(), decision => Accounts.ChangeOwn(decision, password, context.User.FindFirstValue(SignedIn.By))))
                .Answer(_ => Results.NoContent());
        }).ForAll().RequireRateLimiting("sign-in").WithName("changeOwnPassword")
            .WithSummary("Changes your own password, and ends every other token and session of yours").Produces(204);
        api.MapDelete(
            "/account/signing-keys/{key}",
            async (WorldHost world, HttpContext context, string key) =>
                (await world.Change(context.Person(), decision => Accounts.TakeKey(decision, context.Person(), key))).Answer(_ => Results.NoContent()))
            .For(Roles.Packager).WithName("removeOwnSigningKey").WithSummary("Takes a key of yours away: nothing more that it signs is taken").Produces(204);
        api.MapDelete(
            "/accounts/{account}/signing-keys/{key}",
            async (WorldHost world, HttpContext context, string account, string key) =>
                (await world.Change(context.Person(), decision => Accounts.TakeKey(decision, account, key))).Answer(_ => Results.NoContent()))
            .For().WithName("removeSigningKey").WithSummary("Takes a key of anybody's away: nothing more that it signs is taken").Produces(204);
        api.MapPost("/account/signing-keys", async (WorldHost world, HttpContext context, SigningKeyRequest request) =>
        {
            var key = await SiteKeys.ProvenKey(request, context.Person());
            return key.Ok
                ? (await world.Change(context.Person(), decision => Accounts.AddKey(decision, key.Value)))
                    .Answer(known => Results.Ok(new SigningKeyInfo(known.KeyId)))
                : Problems.Of(key.Failure!);
        })
            .For(Roles.Packager).WithName("addOwnSigningKey")
            .WithSummary("Registers a key of yours for building packages, with a proof that you have it").Produces<SigningKeyInfo>();
    }

    private static SessionInfo Info(AccountRecord account, string? csrf) => new(account.Account, account.Name, account.Roles, csrf);

    private static AccountInfo Info(AccountRecord account) =>
        new(account.Account, account.Name, account.Roles, account.IsDisabled, [.. account.SigningKeys.Select(key => key.KeyId)], account.Revision);
}
