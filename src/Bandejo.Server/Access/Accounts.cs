using System.Collections.Concurrent;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Server.Http;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.Identity;

namespace Bandejo.Server.Access;

/// <summary>Keeps accounts and checks passwords (PBKDF2, as ASP.NET Core Identity does it).</summary>
internal sealed class Accounts(FleetWorld world)
{
    private const int MostFailures = 5;

    private static readonly TimeSpan LockedFor = TimeSpan.FromMinutes(1);
    private static readonly PasswordHasher<string> Hasher = new();

    // Compared with when there is no such account, so that the time taken tells nothing.
    private static readonly string NobodysHash = Hasher.HashPassword("nobody", Guid.NewGuid().ToString());

    private readonly ConcurrentDictionary<string, (int Failures, DateTimeOffset Last)> _failures = new(StringComparer.Ordinal);

    /// <summary>The account for a name and password. After five failures the name is locked for a minute.</summary>
    public Outcome<StoredAccount> SignIn(SignInRequest request)
    {
        var name = request.Account.Trim().ToLowerInvariant();
        if (_failures.TryGetValue(name, out var failures) && failures.Failures >= MostFailures && world.Now - failures.Last < LockedFor)
        {
            return new Failure(ErrorKind.Forbidden, "Too many failed attempts for this account; it is locked for a minute.");
        }

        var account = world.Read(each => each.Accounts.GetValueOrDefault(name));
        var verified = Hasher.VerifyHashedPassword(name, account?.PasswordHash ?? NobodysHash, request.Password);
        if (account is null || account.IsDisabled || verified == PasswordVerificationResult.Failed)
        {
            if (_failures.Count > 10_000)
            {
                _failures.Clear();
            }

            _failures.AddOrUpdate(name, _ => (1, world.Now), (_, before) => (world.Now - before.Last > LockedFor ? 1 : before.Failures + 1, world.Now));
            return new Failure(ErrorKind.Unauthenticated, "The account or the password is wrong.");
        }

        _failures.TryRemove(name, out _);
        return account;
    }

    /// <summary>The hash of a password.</summary>
    public static string HashOf(string password) => Hasher.HashPassword("", password);

    public Outcome<StoredAccount> Add(WorldChange change, AccountRequest request)
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

        var account = new StoredAccount(request.Account, request.Name, HashOf(request.Password), [.. request.Roles.Distinct()], false, [], 1);
        Keep(change, account);
        change.Audit("account-made", $"Account '{account.Account}' was made with the roles {string.Join(", ", account.Roles)}.");
        return account;
    }

    public Outcome<StoredAccount> Alter(WorldChange change, HttpContext context, string name, AccountChange request)
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

        var account = change.World.Accounts[change.By!];
        if (!account.SigningKeys.Any(known => known.KeyId == key.Value.KeyId))
        {
            Keep(change, account with { SigningKeys = [.. account.SigningKeys, key.Value], Revision = account.Revision + 1 });
            change.Audit("signing-key-added", $"'{account.Account}' registered the signing key {key.Value.KeyId}.");
        }

        return new SigningKeyInfo(key.Value.KeyId);
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

    private static void Keep(WorldChange change, StoredAccount account)
    {
        change.World.Accounts[account.Account] = account;
        change.Keep(new PutAccount(account));
    }
}
