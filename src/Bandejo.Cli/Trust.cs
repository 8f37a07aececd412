using System.Net.Security;
using System.Security.Authentication;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Identity;

namespace Bandejo.Cli;

/// <summary>
/// Whom the command line believes to be a service: one that this machine's own authorities stand for, or one whose identity was accepted at signing in.
/// </summary>
internal static class Trust
{
    private const int LargestAnswer = 512 * 1024;

    /// <summary>Connections with a service, and nobody in its place.</summary>
    /// <param name="accepted">The authority that was accepted for it; null for none.</param>
    public static SocketsHttpHandler Handler(Uri address, AuthorityInfo? accepted) => AskedConnections.Handler((shown, beside, errors) =>
    {
        var pinned = accepted is null ? null : Authority.Read(accepted.Certificate, accepted.Name);
        if (pinned is null ? errors != SslPolicyErrors.None : new ServiceIdentity([pinned]).Problem(shown, beside, address.Host) is not null)
        {
            throw new AuthenticationException(pinned is null
                ? $"Nobody that this machine knows stands for who answers at {address}. If it is your service, look its identity up where it runs, in what "
                    + $"it printed at its start, and accept it: bandejo sign-in ACCOUNT --service {address.GetLeftPart(UriPartial.Authority)} --identity "
                        + $"IDENTITY"
                : $"Whoever answers at {address} is not {pinned.Name}, whom you accepted: "
                    + $"{new ServiceIdentity([pinned]).Problem(shown, beside, address.Host)}. Nothing was sent. If the service was given another identity, "
                        + $"ask whoever did for it, and sign in again with --identity.");
        }
    });

    /// <summary>The authority of a name, as the service at an address has it. Nothing else that answers there is believed.</summary>
    /// <exception cref="NotReachableException">Nobody answers, or somebody else.</exception>
    public static async Task<AuthorityInfo> Fetch(Uri address, string name, CancellationToken cancellation)
    {
        using var http = new HttpClient(
            AskedConnections.Handler((_, _, _) => { }))
            { BaseAddress = address, Timeout = TimeSpan.FromSeconds(30), MaxResponseContentBufferSize = LargestAnswer };
        try
        {
            var shown = MessageForm.Read<TrustInfo>(await http.GetByteArrayAsync(DeviceProtocol.Prefix + "/authorities", cancellation));
            return shown.Authorities.FirstOrDefault(each => Authority.Read(each.Certificate, name) is not null) is { } found ? found with { Name = name }
                : throw new NotReachableException($"Whoever answers at {address} is not {name}. Nothing was sent.");
        }
        catch (Exception error) when (error is HttpRequestException or IOException or System.Text.Json.JsonException || (
            error is TaskCanceledException && !cancellation.IsCancellationRequested))
        {
            throw new NotReachableException($"Nobody at {address} says who they are: {Troubles.InWords(error.GetBaseException())}.");
        }
    }

    /// <summary>What went wrong on the way, in words.</summary>
    public static string Words(string address, Exception error) =>
        error.GetBaseException() is AuthenticationException distrust ? distrust.Message
            : $"{address} cannot be reached: {Troubles.InWords(error.GetBaseException())}. Does the service run there? Another address: --service, or "
                + "BANDEJO_SERVICE.";
}
