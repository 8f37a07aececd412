using System.Security.Claims;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Access;

/// <summary>Somebody who was let in, as requests carry them. Whether they may still be here is asked of <see cref="Rights"/>.</summary>
internal static class SignedIn
{
    /// <summary>Names the token or session by which somebody came in.</summary>
    public const string By = "by";

    /// <summary>Whether somebody who was let in may still, with all the roles that they came with.</summary>
    public static bool Still(WorldHost world, ClaimsPrincipal who) =>
        who.FindFirstValue(By) is { } hash && world.Peek(each => Rights.Of(each, hash)) is { } now
            && who.Claims.Where(claim => claim.Type == ClaimTypes.Role).All(claim => now.Roles.Contains(claim.Value));

    /// <summary>Whether somebody who was let in may still just what they might then, no less and no more.</summary>
    public static bool AsBefore(WorldHost world, ClaimsPrincipal who) =>
        who.FindFirstValue(By) is { } hash && world.Peek(each => Rights.Of(each, hash)) is { } now
            && now.Roles.ToHashSet(StringComparer.Ordinal).SetEquals(who.Claims.Where(claim => claim.Type == ClaimTypes.Role).Select(claim => claim.Value));

    /// <summary>Somebody who was let in, with the roles that they have now; null where they may not be here any more.</summary>
    public static ClaimsPrincipal? Now(WorldHost world, ClaimsPrincipal who, string scheme) =>
        who.FindFirstValue(By) is { } hash && world.Peek(each => Rights.Of(each, hash)) is { } now
            ? Principal(now.Account.Account, now.Roles, hash, scheme)
            : null;

    /// <summary>The principal of somebody who was let in.</summary>
    public static ClaimsPrincipal Principal(string account, IEnumerable<string> roles, string hash, string scheme) =>
        new(new ClaimsIdentity([new Claim(ClaimTypes.Name, account), new Claim(By, hash), .. roles.Select(role => new Claim(ClaimTypes.Role, role))], scheme));
}
