using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Identity;

namespace Bandejo.Server.Access;

/// <summary>Keeps accounts and checks passwords (PBKDF2, as ASP.NET Core Identity does it).</summary>
internal sealed class Accounts(FleetWorld world, SignInPace pace)
{
    private const string TakenKeysSetting = "keys.taken-away";
    private const int LongestName = 32;
    private const int MostKeys = 50;

    private static readonly PasswordHasher<string> Hasher = new();

    // Compared with when there is no such account, so that the time taken tells nothing.
    private static readonly string NobodysHash = Hasher.HashPassword("nobody", Guid.NewGuid().ToString());

    private const int LongestPassword = 200;

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

        var account = world.Read(each => each.Accounts.GetValueOrDefault(name));
        var isRight = Hasher.VerifyHashedPassword(name, account?.PasswordHash ?? NobodysHash, request.Password) != PasswordVerificationResult.Failed && account is { IsDisabled: false };
        pace.Tried(address, name, isRight);
        return isRight ? account! : new Failure(ErrorKind.Unauthenticated, "The account or the password is wrong.");
    }

    /// <summary>The hash of a password.</summary>
    public static string HashOf(string password) => Hasher.HashPassword("", password);

    public Outcome<AccountRecord> Add(WorldChange change, AccountRequest request)
    {
        if (request.Account.Length is < 2 or > 32 || FactCatalog.Slug(request.Account) != request.Account)
        {
            return new Failure(ErrorKind.Invalid, "An account's name is 2 to 32 lower-case letters, digits and hyphens.");
        }

        if (Check(request.Password, request.Roles) is { } failure)
        {
            return failure;
        }

        if (change.World.Accounts.ContainsKey(request.Account))
        {
            return new Failure(ErrorKind.Conflict, $"There is an account '{request.Account}' already.");
        }

        var account = new AccountRecord(request.Account, request.Name, HashOf(request.Password), [.. request.Roles.Distinct()], false, [], 1);
        Keep(change, account);
        change.Audit("account-made", $"Account '{account.Account}' was made with the roles {string.Join(", ", account.Roles)}.");
        return account;
    }

    public Outcome<AccountRecord> Alter(WorldChange change, HttpContext context, string name, AccountChange request)
    {
        if (!change.World.Accounts.TryGetValue(name, out var account))
        {
            return new Failure(ErrorKind.NotFound, $"There is no account '{name}'.");
        }

        if (context.Unmatched(account.Revision, must: true) is { } unmatched)
        {
            return unmatched;
        }

        if (Check(request.Password, request.Roles) is { } failure)
        {
            return failure;
        }

        var changed = account with
        {
            Name = request.Name ?? account.Name,
            PasswordHash = request.Password is null ? account.PasswordHash : HashOf(request.Password),
            Roles = request.Roles ?? account.Roles,
            IsDisabled = request.IsDisabled ?? account.IsDisabled,
            Revision = account.Revision + 1,
        };
        var isLastAdministrator = account.Roles.Contains(Roles.Administrator) && (changed.IsDisabled || !changed.Roles.Contains(Roles.Administrator))
            && !change.World.Accounts.Values.Any(other => other.Account != name && !other.IsDisabled && other.Roles.Contains(Roles.Administrator));
        if (isLastAdministrator)
        {
            return new Failure(ErrorKind.Conflict, $"'{name}' is the last administrator; make another first.");
        }

        Keep(change, changed);
        if (request.Password is not null || changed.IsDisabled)
        {
            Standing.EndAll(change, name, null);
        }

        var what = string.Join(", ", new[] { request.Name is null ? null : "name", request.Password is null ? null : "password", request.Roles is null ? null : $"roles ({string.Join(", ", changed.Roles)})", request.IsDisabled is null ? null : changed.IsDisabled ? "disabled" : "enabled" }.OfType<string>());
        change.Audit("account-changed", $"Account '{name}' was changed: {what}.");
        return changed;
    }

    public Outcome<SigningKeyInfo> AddKey(WorldChange change, SigningKeyRequest request)
    {
        var key = SiteKeys.ReadKey(request.X, request.Y);
        if (!key.Ok)
        {
            return key.Failure!;
        }

        if (TakenKeys(change.World).Contains(key.Value.KeyId))
        {
            return new Failure(ErrorKind.Gone, $"The key {key.Value.KeyId} was taken away and is not taken again; make another (for the command line: move build-key.pem out of its folder).");
        }

        var account = change.World.Accounts[change.By!];
        if (account.SigningKeys.Count >= MostKeys)
        {
            return new Failure(ErrorKind.TooMuch, $"An account has at most {MostKeys} keys; take one away that you do not use any more.");
        }

        if (!account.SigningKeys.Any(known => known.KeyId == key.Value.KeyId))
        {
            Keep(change, account with { SigningKeys = [.. account.SigningKeys, key.Value], Revision = account.Revision + 1 });
            change.Audit("signing-key-added", $"'{account.Account}' registered the signing key {key.Value.KeyId}.");
        }

        return new SigningKeyInfo(key.Value.KeyId);
    }

    /// <summary>Changes one's own password.</summary>
    /// <param name="by">The token or session by which it was asked, which stays.</param>
    public static Outcome<bool> ChangeOwn(WorldChange change, string password, string? by)
    {
        if (Check(password, null) is { } failure)
        {
            return failure;
        }

        var account = change.World.Accounts[change.By!];
        Keep(change, account with { PasswordHash = HashOf(password), Revision = account.Revision + 1 });
        var ended = Standing.EndAll(change, account.Account, by);
        change.Audit("account-changed", $"'{account.Account}' changed the own password; {ended} other token{(ended == 1 ? "" : "s")} or sessions were ended.");
        return true;
    }

    /// <summary>Takes a key for building away. What it signed stays as it is.</summary>
    public static Outcome<bool> TakeKey(WorldChange change, string name, string key)
    {
        if (!change.World.Accounts.TryGetValue(name, out var account) || account.SigningKeys.All(known => known.KeyId != key))
        {
            return new Failure(ErrorKind.NotFound, $"'{name}' has no key '{key}'.");
        }

        Keep(change, account with { SigningKeys = [.. account.SigningKeys.Where(known => known.KeyId != key)], Revision = account.Revision + 1 });
        var taken = string.Join(' ', TakenKeys(change.World).Append(key).Distinct());
        change.World.Settings[TakenKeysSetting] = taken;
        change.Keep(new PutSetting(TakenKeysSetting, taken));
        change.Audit("signing-key-taken", $"The signing key {key} of '{name}' was taken away.");
        return true;
    }

    private static IEnumerable<string> TakenKeys(FleetWorld world) => world.Settings.GetValueOrDefault(TakenKeysSetting, "").Split(' ', StringSplitOptions.RemoveEmptyEntries);

    /// <summary>Why somebody has not shown that a key is theirs; null where they have.</summary>
    public static async Task<Failure?> ProofProblem(SigningKeyRequest request, string account)
    {
        var key = SiteKeys.ReadKey(request.X, request.Y);
        return !key.Ok ? key.Failure : await SiteKeys.HoldsKey(request.Proof, key.Value, account) ? null
            : new Failure(ErrorKind.Invalid, "The proof does not show that you have this key: it is a JWS (ES256) with it over {\"use\":\"signing-key\",\"account\":\"YOUR ACCOUNT\"}.");
    }

    private static Failure? Check(string? password, IReadOnlyList<string>? roles)
    {
        if (password is { Length: < 10 or > 200 })
        {
            return new Failure(ErrorKind.Invalid, "A password has between 10 and 200 characters.");
        }

        if (roles is not null && (roles.Count == 0 || roles.Any(role => !Roles.All.Contains(role))))
        {
            return new Failure(ErrorKind.Invalid, $"An account has at least one of the roles {string.Join(", ", Roles.All)}.");
        }

        return null;
    }

    private static void Keep(WorldChange change, AccountRecord account)
    {
        change.World.Accounts[account.Account] = account;
        change.Keep(new PutAccount(account));
    }
}
