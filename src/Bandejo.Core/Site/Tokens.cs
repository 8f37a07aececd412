using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>Somebody who was let in: whose token or session it is, and with which rights.</summary>
public sealed record Rights(AccountRecord Account, TokenRecord Token, IReadOnlyList<string> Roles)
{
    /// <summary>
    /// Who comes with a secret, by its hash; null where they may not be here any more. Asked at each request, and again and again on lines that stay open:
    /// whoever
    /// is disabled, has another password, lost a role, signed out, or whose token was ended has no rights any more, from that moment on.
    /// </summary>
    public static Rights? Of(FleetWorld world, string hash) =>
        world.Tokens.GetValueOrDefault(hash) is { } token && token.Expires > world.Now
            && world.Accounts.GetValueOrDefault(token.Account) is { IsDisabled: false } account
            ? new Rights(account, token, token.Roles is { } fewer ? [.. account.Roles.Where(fewer.Contains)] : account.Roles)
            : null;
}

/// <summary>Gives tokens and sessions, and ends them.</summary>
public static class Tokens
{
    private const int LongestDays = 365;
    private const int UsualDays = 90;
    private const int LongestLabel = 100;

    /// <summary>How long a session is known here; its cookie ends sooner.</summary>
    private static readonly TimeSpan SessionLife = TimeSpan.FromDays(30);

    /// <summary>Gives a personal token.</summary>
    /// <param name="hash">The hash of its secret.</param>
    /// <param name="roles">The roles that it has; null for all of its person.</param>
    public static Outcome<TokenRecord> Add(Decision decision, AccountRecord account, string hash, string label, int? days, IReadOnlyList<string>? roles)
    {
        if (label.Length is 0 or > LongestLabel || label.Any(char.IsControl))
        {
            return new Failure(ErrorKind.Invalid, $"A token's label has 1 to {LongestLabel} characters on one line.");
        }

        if (days is < 1 or > LongestDays)
        {
            return new Failure(ErrorKind.Invalid, $"A token is good for 1 to {LongestDays} days.");
        }

        if (roles is not null
            && (roles.Count == 0 || roles.Any(role => !account.Roles.Contains(role) && !account.Roles.Contains(Roles.Administrator)) || roles.Any(
                role => !Roles.All.Contains(role))))
        {
            return new Failure(ErrorKind.Invalid, $"A token has no roles that its person lacks; {account.Account} has {string.Join(", ", account.Roles)}.");
        }

        var token = new TokenRecord(
            decision.NewId(), decision.By!, hash, label, decision.Now, decision.Now.AddDays(days ?? UsualDays), roles?.Distinct().ToList());
        decision.Do(new PutToken(token));
        decision.Audit(
            "token-made", $"{decision.By} made a personal token ({label}){(token.Roles is { } fewer ? $" with the roles {string.Join(", ", fewer)}" : "")}.");
        return token;
    }

    /// <summary>Begins the session of a browser, and forgets the person's sessions and tokens that are no longer good.</summary>
    /// <param name="hash">The hash of its secret.</param>
    public static Outcome<TokenRecord> BeginSession(Decision decision, AccountRecord account, string hash)
    {
        foreach (var ended in decision.World.Tokens.Values.Where(token => token.Account == account.Account && token.Expires <= decision.Now).ToList())
        {
            decision.Do(new DeleteToken(ended.Id, ended.Hash));
        }

        var session = new TokenRecord(decision.NewId(), account.Account, hash, "browser", decision.Now, decision.Now + SessionLife, null, IsSession: true);
        decision.Do(new PutToken(session));
        decision.Audit("signed-in", $"{account.Account} signed in with a browser.");
        return session;
    }

    /// <summary>Ends a token or session.</summary>
    /// <param name="mayAny">Of anybody, not only one's own.</param>
    public static Outcome<bool> End(Decision decision, string id, bool mayAny)
    {
        var found = Named.Token(decision.World.Tokens.Values.Where(token => mayAny || token.Account == decision.By), id);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var token = found.Value;
        decision.Do(new DeleteToken(token.Id, token.Hash));
        decision.Audit(
            "token-ended",
            $"{decision.By} ended a {(token.IsSession ? "session" : $"personal token ({token.Label})")}"
                + $"{(token.Account == decision.By ? "" : $" of {token.Account}")}.");
        return true;
    }

    /// <summary>Ends every token and session of an account but one.</summary>
    /// <param name="but">The hash of the one that stays; null for none.</param>
    internal static int EndAll(Decision decision, string account, string? but)
    {
        var ended = decision.World.Tokens.Values.Where(token => token.Account == account && token.Hash != but).ToList();
        ended.ForEach(token => decision.Do(new DeleteToken(token.Id, token.Hash)));
        return ended.Count;
    }
}
