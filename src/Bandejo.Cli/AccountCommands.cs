using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo account</c></summary>
internal static class AccountCommands
{
    public static Command All() => Shared.Noun("account", "People who may sign in", List(), New(), Change(), Password(), Shared.Noun("key",
        "Keys of an account for building packages", RemoveKey()));

    private static Command List() => Shared.Table("list", "Lists accounts", "account list", async (parsed, client, cancellation) =>
    {
        var accounts = await client.Get("/api/v1/accounts", ContractJson.Default.IReadOnlyListAccountInfo, cancellation);
        var sheet = new Sheet("Account", "Name", "Roles", "Disabled", "#Keys");
        foreach (var account in accounts)
        {
            sheet.Add(account.Account, account.Name, string.Join(", ", account.Roles), account.IsDisabled ? "yes" : "no", $"{account.SigningKeys.Count}");
        }

        sheet.Print(parsed.GetValue(Shared.Output)!, accounts, ContractJson.Default.IReadOnlyListAccountInfo, "No accounts.");
        return ExitCode.Done;
    });

    private static Command New()
    {
        var account = new Argument<string>("account") { Description = "Lower-case letters, digits and hyphens" };
        var name = new Option<string?>("--name", "-n") { Description = "The person's name" };
        var roles = Shared.Names("--role", "role", "viewer, packager, operator, approver, auditor or administrator");
        roles.Required = true;
        return Shared.Verb(
            "new", "Makes an account; its password is asked for, or read from standard input", "account new ruth --name Ruth --role approver < password.txt",
            async (parsed, client, cancellation) =>
        {
            var made = await client.Post(
                "/api/v1/accounts",
                new AccountRequest(
                    parsed.GetValue(account)!, parsed.GetValue(name) ?? parsed.GetValue(account)!,
                    await Passwords.Of($"Password for {parsed.GetValue(account)}", cancellation, isNew: true), parsed.GetValue(roles)!),
                ContractJson.Default.AccountRequest, ContractJson.Default.AccountInfo, cancellation);
            Console.WriteLine($"Account '{made.Account}' has the roles {string.Join(", ", made.Roles)}.");
            return ExitCode.Done;
        }, account, name, roles);
    }

    private static Command Password() =>
        Shared.Verb(
            "password",
            "Changes your own password, which is asked for (or the old and the new on standard input, a line each); every other token and session of yours "
                + "ends",
            "account password < passwords.txt", async (_, client, cancellation) =>
    {
        var (old, fresh) = (await Passwords.Of("Your password as it is", cancellation), await Passwords.Of("The new one", cancellation, isNew: true));
        await client.Send(HttpMethod.Post, "/api/v1/account/password", new PasswordChange(old, fresh), ContractJson.Default.PasswordChange, cancellation);
        Console.WriteLine("Your password is changed. Every other token and session of yours was ended.");
        return ExitCode.Done;
    });

    private static Command RemoveKey()
    {
        var account = new Argument<string>("account") { Description = "Whose key it is" };
        var key = new Argument<string>("key") { Description = "The key's identity, as the audit trail and the list of accounts have it" };
        return Shared.Verb(
            "remove", "Takes a key for building packages away: what it signed stays, nothing more that it signs is taken", "account key remove ines 01ab…",
            async (parsed, client, cancellation) =>
        {
            await client.Do(
                HttpMethod.Delete,
                $"/api/v1/accounts/{Uri.EscapeDataString(parsed.GetValue(account)!)}/signing-keys/{Uri.EscapeDataString(parsed.GetValue(key)!)}", null,
                cancellation);
            Console.WriteLine("The key is good for nothing more.");
            return ExitCode.Done;
        }, account, key);
    }

    private static Command Change()
    {
        var account = new Argument<string>("account");
        var name = new Option<string?>("--name", "-n") { Description = "The person's name" };
        var roles = Shared.Names("--role", "role", "All roles it has from now on");
        var disable = new Option<bool>("--disable") { Description = "May not sign in any more" };
        var enable = new Option<bool>("--enable") { Description = "May sign in again" };
        var password = new Option<bool>("--password-stdin") { Description = "Sets a new password, which is asked for or stands on standard input" };
        return Shared.Verb("change", "Changes an account", "account change ruth --role approver operator", async (parsed, client, cancellation) =>
        {
            var found = await client.Get(
                $"/api/v1/accounts/{Uri.EscapeDataString(parsed.GetValue(account)!)}", ContractJson.Default.AccountInfo, cancellation);
            var change = new AccountChange(
                parsed.GetValue(name), parsed.GetValue(password) ? await Passwords.Of($"New password for {found.Account}", cancellation, isNew: true) : null,
                parsed.GetValue(roles) is { Length: > 0 } asked ? asked : null,
                parsed.GetValue(disable) ? true : parsed.GetValue(enable) ? false : null);
            var changed = await client.Change(
                HttpMethod.Patch, $"/api/v1/accounts/{found.Account}", change, ContractJson.Default.AccountChange, ContractJson.Default.AccountInfo,
                $"\"{found.Revision}\"", cancellation);
            Console.WriteLine($"Account '{changed.Account}' has the roles {string.Join(", ", changed.Roles)}{(changed.IsDisabled ? " and is disabled" : "")}.");
            return ExitCode.Done;
        }, account, name, roles, disable, enable, password);
    }
}

/// <summary><c>bandejo token</c></summary>
internal static class TokenCommands
{
    public static Command All() => Shared.Noun("token", "Personal tokens, and sessions of browsers", List(), New(), End());

    private static Command List()
    {
        var of = new Option<string?>("--account") { Description = "Those of another account, or of 'any'; for administrators" };
        return Shared.Table("list", "Lists your tokens and the browsers in which you are signed in", "token list", async (parsed, client, cancellation) =>
        {
            var tokens = await client.Get(
                "/api/v1/tokens" + (parsed.GetValue(of) is { } account ? $"?account={Uri.EscapeDataString(account)}" : ""),
                ContractJson.Default.IReadOnlyListTokenInfo, cancellation);
            var sheet = new Sheet("Id", "Account", "For", "May", "Made", "Ends");
            foreach (var token in tokens)
            {
                sheet.Add(
                    Say.Identity(token.Id), token.Account, (token.IsSession ? "browser" : token.Label) + (token.IsThis ? " (this one)" : ""),
                    token.Roles is { } roles ? string.Join(", ", roles) : "all of its person", Say.When(token.Created), Say.When(token.Expires));
            }

            sheet.Print(parsed.GetValue(Shared.Output)!, tokens, ContractJson.Default.IReadOnlyListTokenInfo, "There are no tokens.");
            return ExitCode.Done;
        }, of);
    }

    private static Command New()
    {
        var label = new Argument<string>("label") { Description = "What it is for, such as 'nightly export'" };
        var account = new Option<string>("--account") { Description = "Whose token it is", Required = true };
        var days = new Option<int?>("--days") { Description = "For how many days it is good, 1 to 365 [90]" };
        var roles = Shared.Names("--role", "role", "The roles that it has, of those of its person [all of them]");
        return Shared.Verb(
            "new", "Makes a token for a program and prints it; the password is asked for, or read from standard input",
            "token new \"nightly export\" --account tomas --days 30 --role viewer < password.txt", async (parsed, client, cancellation) =>
        {
            var request = new SignInRequest(
                parsed.GetValue(account)!, await Passwords.Of($"Password of {parsed.GetValue(account)}", cancellation), parsed.GetValue(label)!,
                    parsed.GetValue(days),
                parsed.GetValue(roles) is { Length: > 0 } some ? some : null);
            var token = await client.Post("/api/v1/tokens", request, ContractJson.Default.SignInRequest, ContractJson.Default.NewToken, cancellation);
            Console.WriteLine(
                $"{token.Secret}\n\nGood until {token.Expires:yyyy-MM-dd}. It is shown this once; a program gives it in BANDEJO_TOKEN, or as "
                    + $"'Authorization: Bearer'.");
            return ExitCode.Done;
        }, label, account, days, roles);
    }

    private static Command End()
    {
        var id = new Argument<string>("id") { Description = "From 'token list'" };
        const string Says = "Ends a token or session of yours; anybody's, for administrators";
        return Shared.Verb("remove", Says, "token remove 01a2…", async (parsed, client, cancellation) =>
        {
            await client.Do(HttpMethod.Delete, $"/api/v1/tokens/{Uri.EscapeDataString(parsed.GetValue(id)!)}", null, cancellation);
            Console.WriteLine("The token is good for nothing any more.");
            return ExitCode.Done;
        }, id);
    }
}
