using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary>Signing in and out.</summary>
internal static class SignIn
{
    public static Command In()
    {
        var account = new Argument<string>("account") { Description = "The account's name" };
        var stdin = new Option<bool>("--password-stdin") { Description = "Read the password from standard input" };
        return Shared.Verb("sign-in", "Signs in and keeps a personal token for 90 days", "sign-in tomas", async (parsed, client, cancellation) =>
        {
            var name = parsed.GetValue(account)!;
            string? password;
            if (parsed.GetValue(stdin) || Console.IsInputRedirected)
            {
                password = await Console.In.ReadLineAsync(cancellation);
            }
            else
            {
                password = await AnsiConsole.PromptAsync(new TextPrompt<string>($"Password for {Markup.Escape(name)}:").Secret(), cancellation);
            }

            var label = $"command line on {Environment.MachineName}";
            var token = await client.Post("/api/v1/tokens", new SignInRequest(name, password ?? "", label), ContractJson.Default.SignInRequest, ContractJson.Default.NewToken, cancellation);
            new Kept(client.Address, token.Account, token.Secret).Write();
            Console.WriteLine($"Signed in to {client.Address} as {token.Account}, until {token.Expires:yyyy-MM-dd}.");
            return ExitCode.Done;
        }, account, stdin);
    }

    public static Command Out() => Shared.Verb("sign-out", "Ends the kept token and forgets it", "sign-out", async (_, client, cancellation) =>
    {
        if (Kept.Read() is not { } kept)
        {
            Console.WriteLine("Nobody is signed in.");
            return ExitCode.Done;
        }

        var tokens = await client.Get("/api/v1/tokens", ContractJson.Default.IReadOnlyListTokenInfo, cancellation);
        foreach (var token in tokens.Where(token => token.Label == $"command line on {Environment.MachineName}"))
        {
            await client.Do(HttpMethod.Delete, $"/api/v1/tokens/{token.Id}", null, cancellation);
        }

        Kept.Forget();
        Console.WriteLine($"Signed out of {kept.Service}.");
        return ExitCode.Done;
    });
}
