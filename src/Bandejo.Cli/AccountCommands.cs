using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo account</c></summary>
internal static class AccountCommands
{
    public static Command All() => Shared.Noun("account", "People who may sign in", List(), New(), Change());

    private static Command List() => Shared.Verb("list", "Lists accounts", "account list", async (parsed, client, cancellation) =>
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
        var roles = new Option<string[]>("--role", "-r") { Description = "viewer, packager, operator, approver or administrator; several are possible", Required = true, AllowMultipleArgumentsPerToken = true };
        return Shared.Verb("new", "Makes an account; its password is read from standard input", "account new ruth --name Ruth --role approver < password.txt", async (parsed, client, cancellation) =>
        {
            var made = await client.Post(
                "/api/v1/accounts", new AccountRequest(parsed.GetValue(account)!, parsed.GetValue(name) ?? parsed.GetValue(account)!, await Console.In.ReadLineAsync(cancellation) ?? "", parsed.GetValue(roles)!),
                ContractJson.Default.AccountRequest, ContractJson.Default.AccountInfo, cancellation);
            Console.WriteLine($"Account '{made.Account}' has the roles {string.Join(", ", made.Roles)}.");
            return ExitCode.Done;
        }, account, name, roles);
    }

    private static Command Change()
    {
        var account = new Argument<string>("account");
        var name = new Option<string?>("--name", "-n") { Description = "The person's name" };
        var roles = new Option<string[]>("--role", "-r") { Description = "All roles it has from now on", AllowMultipleArgumentsPerToken = true };
        var disable = new Option<bool>("--disable") { Description = "May not sign in any more" };
        var enable = new Option<bool>("--enable") { Description = "May sign in again" };
        var password = new Option<bool>("--password-stdin") { Description = "Sets the password that standard input holds" };
        return Shared.Verb("change", "Changes an account", "account change ruth --role approver operator", async (parsed, client, cancellation) =>
        {
            var accounts = await client.Get("/api/v1/accounts", ContractJson.Default.IReadOnlyListAccountInfo, cancellation);
            var found = accounts.FirstOrDefault(each => each.Account == parsed.GetValue(account)) ?? throw new WrongUseException($"There is no account '{parsed.GetValue(account)}'.");
            var change = new AccountChange(
                parsed.GetValue(name), parsed.GetValue(password) ? await Console.In.ReadLineAsync(cancellation) : null, parsed.GetValue(roles) is { Length: > 0 } asked ? asked : null,
                parsed.GetValue(disable) ? true : parsed.GetValue(enable) ? false : null);
            var changed = await client.Change(HttpMethod.Patch, $"/api/v1/accounts/{found.Account}", change, ContractJson.Default.AccountChange, ContractJson.Default.AccountInfo, $"\"{found.Revision}\"", cancellation);
            Console.WriteLine($"Account '{changed.Account}' has the roles {string.Join(", ", changed.Roles)}{(changed.IsDisabled ? " and is disabled" : "")}.");
            return ExitCode.Done;
        }, account, name, roles, disable, enable, password);
    }
}

/// <summary><c>bandejo token</c></summary>
internal static class TokenCommands
{
    public static Command All() => Shared.Noun("token", "Your personal tokens", List(), End());

    private static Command List() => Shared.Verb("list", "Lists your tokens", "token list", async (parsed, client, cancellation) =>
    {
        var tokens = await client.Get("/api/v1/tokens", ContractJson.Default.IReadOnlyListTokenInfo, cancellation);
        var sheet = new Sheet("Id", "For", "Made", "Ends");
        foreach (var token in tokens)
        {
            sheet.Add(token.Id, token.Label, Say.When(token.Created), Say.When(token.Expires));
        }

        sheet.Print(parsed.GetValue(Shared.Output)!, tokens, ContractJson.Default.IReadOnlyListTokenInfo, "You have no tokens.");
        return ExitCode.Done;
    });

    private static Command End()
    {
        var id = new Argument<string>("id") { Description = "From 'token list'" };
        return Shared.Verb("end", "Ends a token of yours", "token end 01a2…", async (parsed, client, cancellation) =>
        {
            await client.Do(HttpMethod.Delete, $"/api/v1/tokens/{Uri.EscapeDataString(parsed.GetValue(id)!)}", null, cancellation);
            Console.WriteLine("The token is good for nothing any more.");
            return ExitCode.Done;
        }, id);
    }
}
