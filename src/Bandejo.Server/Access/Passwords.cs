using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Microsoft.AspNetCore.Identity;

namespace Bandejo.Server.Access;

/// <summary>Checks passwords, and hashes them (PBKDF2, as ASP.NET Core Identity does it).</summary>
internal sealed class Passwords(WorldHost world, SignInPace pace)
{
    private const int LongestName = 32;
    private const int LongestPassword = 200;

    private static readonly PasswordHasher<string> Hasher = new();

    // Compared with when there is no such account, so that the time taken tells nothing.
    private static readonly string NobodysHash = Hasher.HashPassword("nobody", Guid.NewGuid().ToString());

    /// <summary>The account for a name and password. Wrong ones from one address make that address wait, and nobody else.</summary>
    public async Task<Outcome<AccountRecord>> SignIn(SignInRequest request, HttpContext context)
    {
        var name = request.Account.Trim().ToLowerInvariant();
        var address = context.Connection.RemoteIpAddress?.ToString() ?? "nowhere";
        if (name.Length > LongestName || request.Password.Length > LongestPassword)
        {
            return new Failure(ErrorKind.Unauthenticated, "The account or the password is wrong.");
        }

        using var turn = await pace.Turn(address, name, context.RequestAborted);
        if (turn is null)
        {
            return new Failure(ErrorKind.Forbidden, "Too many tries for this account wait from where you are; let them end first.");
        }

        var account = world.Peek(each => each.Accounts.GetValueOrDefault(name));
        var isRight = Hasher.VerifyHashedPassword(name, account?.PasswordHash ?? NobodysHash, request.Password) != PasswordVerificationResult.Failed
            && account is { IsDisabled: false };
        pace.Tried(address, name, isRight);
        return isRight ? account! : new Failure(ErrorKind.Unauthenticated, "The account or the password is wrong.");
    }

    /// <summary>A password as it is decided upon: hashed before, for that takes its time. One that is too long to be taken is not hashed.</summary>
    public static PasswordAsk Hashed(string password) => new(password.Length, password.Length > LongestPassword ? "" : Hasher.HashPassword("", password));
}
