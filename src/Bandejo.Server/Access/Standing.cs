using System.Security.Claims;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Access;

/// <summary>
/// Whether somebody who was let in may still be here: asked at each request, and again and again on lines that stay open. Whoever is disabled, has another
/// password, lost a role, signed out, or whose token was ended has no standing any more, from that moment on.
/// </summary>
internal static class Standing
{
    /// <summary>Names the token or session by which somebody came in.</summary>
    public const string By = "by";

    /// <summary>Who it is and with which rights; null where they may not be here any more.</summary>
    /// <param name="hash">The hash of the secret that they brought.</param>
    public static (AccountRecord Account, TokenRecord Token, IReadOnlyList<string> Roles)? Of(FleetWorld each, string hash) =>
        each.Tokens.GetValueOrDefault(hash) is { } token && token.Expires > each.Now && each.Accounts.GetValueOrDefault(token.Account) is { IsDisabled: false } account
            ? (account, token, token.Roles is { } fewer ? [.. account.Roles.Where(fewer.Contains)] : account.Roles)
            : null;

    /// <summary>Whether somebody who was let in may still, with all the roles that they came with.</summary>
    public static bool Still(FleetWorld world, ClaimsPrincipal who) =>
        who.FindFirstValue(By) is { } hash && world.Read(each => Of(each, hash)) is { } now && who.Claims.Where(claim => claim.Type == ClaimTypes.Role).All(claim => now.Roles.Contains(claim.Value));

    /// <summary>The principal of somebody who was let in.</summary>
    public static ClaimsPrincipal Principal(string account, IEnumerable<string> roles, string hash, string scheme) =>
        new(new ClaimsIdentity([new Claim(ClaimTypes.Name, account), new Claim(By, hash), .. roles.Select(role => new Claim(ClaimTypes.Role, role))], scheme));

    /// <summary>Ends every token and session of an account but one.</summary>
    /// <param name="but">The hash of the one that stays; null for none.</param>
    public static int EndAll(WorldChange change, string account, string? but)
    {
        var ended = change.World.Tokens.Values.Where(token => token.Account == account && token.Hash != but).ToList();
        foreach (var token in ended)
        {
            change.World.Tokens.Remove(token.Hash);
            change.Keep(new DeleteToken(token.Id));
        }

        return ended.Count;
    }
}
