using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>A change of an account; what is null stays.</summary>
/// <param name="Password">How long the new password is, and its hash.</param>
public sealed record AccountAsk(string? Name = null, PasswordAsk? Password = null, IReadOnlyList<string>? Roles = null, bool? IsDisabled = null);

/// <summary>A password that was hashed before anything is decided: that takes its time.</summary>
/// <param name="Length">In characters.</param>
public sealed record PasswordAsk(int Length, string Hash);

/// <summary>Makes accounts and changes them.</summary>
public static class Accounts
{
    /// <summary>The name of the first administrator.</summary>
    public const string First = "root-admin";

    private const string TakenKeysSetting = "keys.taken-away";
    private const int MostKeys = 50;

    public static Outcome<AccountRecord> Add(Decision decision, string named, string name, PasswordAsk password, IReadOnlyList<string> roles)
    {
        if (named.Length is < 2 or > 32 || FactCatalog.Slug(named) != named)
        {
            return new Failure(ErrorKind.Invalid, "An account's name is 2 to 32 lower-case letters, digits and hyphens.");
        }

        if (Against(password, roles) is { } against)
        {
            return against;
        }

        if (decision.World.Accounts.ContainsKey(named))
        {
            return new Failure(ErrorKind.Conflict, $"There is an account '{named}' already.");
        }

        var account = new AccountRecord(named, name, password.Hash, [.. roles.Distinct()], false, [], 1);
        decision.Do(new PutAccount(account));
        decision.Audit("account-made", $"Account '{named}' was made with the roles {string.Join(", ", account.Roles)}.");
        return account;
    }

    /// <summary>Makes the first administrator.</summary>
    public static Outcome<AccountRecord> AddFirst(Decision decision, string passwordHash)
    {
        var account = new AccountRecord(First, "First administrator", passwordHash, [Roles.Administrator], false, [], 1);
        decision.Do(new PutAccount(account));
        decision.Audit("account-made", $"The first administrator '{First}' was made at first start.");
        return account;
    }

    public static Outcome<AccountRecord> Alter(Decision decision, RevisionCheck seen, string named, AccountAsk ask)
    {
        var found = Named.Account(decision.World, named, isWhole: true);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var account = found.Value;
        if ((seen(account.Revision, must: true) ?? Against(ask.Password, ask.Roles)) is { } against)
        {
            return against;
        }

        var changed = account with
        {
            Name = ask.Name ?? account.Name,
            PasswordHash = ask.Password?.Hash ?? account.PasswordHash,
            Roles = ask.Roles ?? account.Roles,
            IsDisabled = ask.IsDisabled ?? account.IsDisabled,
            Revision = account.Revision + 1,
        };
        var isLastAdministrator = account.Roles.Contains(Roles.Administrator) && (changed.IsDisabled || !changed.Roles.Contains(Roles.Administrator))
            && !decision.World.Accounts.Values.Any(other => other.Account != named && !other.IsDisabled && other.Roles.Contains(Roles.Administrator));
        if (isLastAdministrator)
        {
            return new Failure(ErrorKind.Conflict, $"'{named}' is the last administrator; make another first.");
        }

        decision.Do(new PutAccount(changed));
        if (ask.Password is not null || changed.IsDisabled)
        {
            Tokens.EndAll(decision, named, null);
        }

        var what = string.Join(
            ", ",
            new[]
            {
                ask.Name is null ? null : "name", ask.Password is null ? null : "password",
                ask.Roles is null ? null : $"roles ({string.Join(", ", changed.Roles)})",
                ask.IsDisabled is null ? null : changed.IsDisabled ? "disabled" : "enabled",
            }
                .OfType<string>());
        decision.Audit("account-changed", $"Account '{named}' was changed: {what}.");
        return changed;
    }

    /// <summary>Changes one's own password.</summary>
    /// <param name="by">The hash of the token or session by which it was asked, which stays.</param>
    public static Outcome<bool> ChangeOwn(Decision decision, PasswordAsk password, string? by)
    {
        if (Against(password, null) is { } against)
        {
            return against;
        }

        var account = decision.World.Accounts[decision.By!];
        decision.Do(new PutAccount(account with { PasswordHash = password.Hash, Revision = account.Revision + 1 }));
        var ended = Tokens.EndAll(decision, account.Account, by);
        decision.Audit(
            "account-changed", $"'{account.Account}' changed the own password; {ended} other token{(ended == 1 ? "" : "s")} or sessions were ended.");
        return true;
    }

    /// <summary>Registers a key for building that somebody has shown to be theirs.</summary>
    public static Outcome<KeyRecord> AddKey(Decision decision, KeyRecord key)
    {
        if (TakenKeys(decision.World).Contains(key.KeyId))
        {
            return new Failure(
                ErrorKind.Gone,
                $"The key {key.KeyId} was taken away and is not taken again; make another (for the command line: move build-key.pem out of its folder).");
        }

        var account = decision.World.Accounts[decision.By!];
        if (account.SigningKeys.Count >= MostKeys)
        {
            return new Failure(ErrorKind.TooMuch, $"An account has at most {MostKeys} keys; take one away that you do not use any more.");
        }

        if (!account.SigningKeys.Any(known => known.KeyId == key.KeyId))
        {
            decision.Do(new PutAccount(account with { SigningKeys = [.. account.SigningKeys, key], Revision = account.Revision + 1 }));
            decision.Audit("signing-key-added", $"'{account.Account}' registered the signing key {key.KeyId}.");
        }

        return key;
    }

    /// <summary>Takes a key for building away. What it signed stays as it is.</summary>
    public static Outcome<bool> TakeKey(Decision decision, string named, string key)
    {
        if (!decision.World.Accounts.TryGetValue(named, out var account) || account.SigningKeys.All(known => known.KeyId != key))
        {
            return new Failure(ErrorKind.NotFound, $"'{named}' has no key '{key}'.");
        }

        decision.Do(new PutAccount(
            account with { SigningKeys = [.. account.SigningKeys.Where(known => known.KeyId != key)], Revision = account.Revision + 1 }));
        decision.Do(new PutSetting(TakenKeysSetting, string.Join(' ', TakenKeys(decision.World).Append(key).Distinct())));
        decision.Audit("signing-key-taken", $"The signing key {key} of '{named}' was taken away.");
        return true;
    }

    /// <summary>A key with which packages may be built now; null for none.</summary>
    public static KeyRecord? BuildKey(FleetWorld world, string keyId) => world.Accounts.Values
        .Where(account => !account.IsDisabled && (account.Roles.Contains(Roles.Packager) || account.Roles.Contains(Roles.Administrator)))
        .SelectMany(account => account.SigningKeys).FirstOrDefault(key => key.KeyId == keyId);

    private static IEnumerable<string> TakenKeys(FleetWorld world) =>
        world.SiteSettings.GetValueOrDefault(TakenKeysSetting, "").Split(' ', StringSplitOptions.RemoveEmptyEntries);

    private static Failure? Against(PasswordAsk? password, IReadOnlyList<string>? roles) =>
        password is { Length: < 10 or > 200 } ? new Failure(ErrorKind.Invalid, "A password has between 10 and 200 characters.")
        : roles is not null && (roles.Count == 0 || roles.Any(role => !Roles.All.Contains(role)))
            ? new Failure(ErrorKind.Invalid, $"An account has at least one of the roles {string.Join(", ", Roles.All)}.")
        : null;
}
