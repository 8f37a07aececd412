using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary>Signing in and out.</summary>
internal static class SignIn
{
    public static Command In()
    {
        var account = new Argument<string>("account") { Description = "The account's name" };
        var stdin = new Option<bool>("--password-stdin") { Description = "Read the password from standard input" };
        var identity = new Option<string?>(
            "--identity")
            { Description = "Accepts the service as this identity, which it printed at its start, where this machine knows nobody that stands for it" };
        return Shared.Verb("sign-in", "Signs in and keeps a personal token for 90 days", "sign-in tomas", async (parsed, plain, cancellation) =>
        {
            if (parsed.GetValue(identity) is { } asked && !Identity.Authority.IsName(asked))
            {
                throw new WrongUseException($"'{asked}' is no identity; one is 33 letters and digits, and the service prints it at its start.");
            }

            using var client = parsed.GetValue(identity) is { } accepted ? await plain.Believing(accepted, cancellation) : plain;
            var name = parsed.GetValue(account)!;
            var password = parsed.GetValue(stdin)
                ? await Task.Run(Terminal.ReadLine, cancellation).WaitAsync(cancellation)
                : await Passwords.Of($"Password for {name}", cancellation);

            var label = $"command line on {Environment.MachineName}";
            var token = await client.Post(
                "/api/v1/tokens", new SignInRequest(name, password ?? "", label), ContractJson.Default.SignInRequest, ContractJson.Default.NewToken,
                cancellation);
            // Whoever is believed says who they are from now on; what was accepted long ago does not have to last for ever.
            var authority = client.Authority is null
                ? null
                : (await client.Get("/device/v1/authorities", ContractJson.Default.TrustInfo, cancellation)).Authorities[0];
            new Kept(client.Address, token.Account, token.Secret, authority).Write();
            Console.WriteLine($"Signed in to {client.Address} as {token.Account}, until {token.Expires:yyyy-MM-dd}.");
            return ExitCode.Done;
        }, account, stdin, identity);
    }

    public static Command Out() => Shared.Verb("sign-out", "Ends the kept token and forgets it", "sign-out", async (_, client, cancellation) =>
    {
        if (Kept.Read() is not { } kept)
        {
            Console.WriteLine("Nobody is signed in.");
            return ExitCode.Done;
        }

        var tokens = await client.Get("/api/v1/tokens", ContractJson.Default.IReadOnlyListTokenInfo, cancellation);
        foreach (var token in tokens.Where(token => token.IsThis))
        {
            await client.Do(HttpMethod.Delete, $"/api/v1/tokens/{token.Id}", null, cancellation);
        }

        Kept.Forget();
        Console.WriteLine($"Signed out of {kept.Service}.");
        return ExitCode.Done;
    });
}
