using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Device;

/// <summary>The device protocol over HTTP.</summary>
/// <param name="http">Has the service's address as its base address.</param>
/// <param name="key">The device's private key.</param>
/// <param name="time">For the age of assertions and tokens.</param>
public sealed class HttpLink(HttpClient http, ECDsa key, TimeProvider time) : IServiceLink
{
    private static readonly JsonWebTokenHandler Tokens = new() { SetDefaultTimesOnTokenCreation = false };
    // Not cached by the library: it would keep a key beyond the life of whoever handed it in.
    private readonly ECDsaSecurityKey _signingKey = new(key) { CryptoProviderFactory = new CryptoProviderFactory { CacheSignatureProviders = false } };
    /// <summary>The longest line of the service's events, in characters.</summary>
    private const int LongestHail = 4096;

    /// <summary>The largest refusal that is read, in bytes.</summary>
    private const int LargestProblem = 64 * 1024;

    /// <summary>The longest a token is used, in seconds.</summary>
    private const int LongestToken = 24 * 3600;

    private readonly SemaphoreSlim _tokenLock = new(1, 1);
    private string? _token;
    private DateTimeOffset _tokenEnds;
    private Stream? _hails;
    private StreamReader? _hailReader;

    /// <summary>The client with which it listens; null for the same as for all else. A line keeps a connection for itself as long as it is up.</summary>
    public HttpClient? Lines { get; init; }

    /// <summary>The token that is in use; null before the first was asked for.</summary>
    public string? Token => _token;

    /// <summary>How many calls were heard on the line.</summary>
    public int HailsHeard { get; private set; }

    /// <summary>The device's identity; empty before it has joined.</summary>
    public string DeviceId { get; set; } = "";

    /// <summary>The public part of a device's key, named by its thumbprint (RFC 7638).</summary>
    public static PublicKeyInfo PublicOf(ECDsa key)
    {
        var point = key.ExportParameters(includePrivateParameters: false).Q;
        string x = Base64UrlEncoder.Encode(point.X), y = Base64UrlEncoder.Encode(point.Y);
        return new PublicKeyInfo(
            Base64UrlEncoder.Encode(SHA256.HashData(Encoding.ASCII.GetBytes($$"""{"crv":"P-256","kty":"EC","x":"{{x}}","y":"{{y}}"}"""))), x, y);
    }

    /// <summary>The authorities that whoever answers says stand for it. Everybody may ask; what comes is worth what its name is compared with.</summary>
    public async Task<IReadOnlyList<AuthorityInfo>> Authorities(CancellationToken cancellation)
    {
        using var message = new HttpRequestMessage(HttpMethod.Get, DeviceProtocol.Prefix + "/authorities");
        return (await Send(message, MessageForm.Read<TrustInfo>, cancellation)).Authorities;
    }

    public async Task<JoinAnswer> Join(JoinRequest request, CancellationToken cancellation)
    {
        using var message = new HttpRequestMessage(
            HttpMethod.Post, DeviceProtocol.Prefix + "/join") { Content = JsonContent.Create(request, ContractJson.Default.JoinRequest) };
        return await Send(message, MessageForm.Read<JoinAnswer>, cancellation);
    }

    public async Task<CheckInAnswer> CheckIn(CheckInRequest request, CancellationToken cancellation) => await WithToken(
        () =>
            new HttpRequestMessage(
                HttpMethod.Post, DeviceProtocol.Prefix + "/check-in") { Content = JsonContent.Create(request, ContractJson.Default.CheckInRequest) },
        message => Send(message, AnswerReading.CheckIn, cancellation), cancellation);

    public async Task AwaitHail(CancellationToken cancellation)
    {
        try
        {
            if (_hailReader is null)
            {
                var response = await WithToken(
                    () => new HttpRequestMessage(HttpMethod.Get, DeviceProtocol.Prefix + "/hail"),
                    async message =>
                        await Checked(await (Lines ?? http).SendAsync(message, HttpCompletionOption.ResponseHeadersRead, cancellation), cancellation),
                    cancellation);
                _hails = await response.Content.ReadAsStreamAsync(cancellation);
                _hailReader = new StreamReader(_hails, Encoding.UTF8, detectEncodingFromByteOrderMarks: false, LongestHail);

                // What was called out while nobody listened is lost; a line that has just come up is therefore a hail itself.
                return;
            }

            while (true)
            {
                var line = await ReadLine(_hailReader, cancellation) ?? throw new LinkException("The line to the service was closed.", 0);
                if (line.StartsWith("data:", StringComparison.Ordinal))
                {
                    HailsHeard++;
                    return;
                }
            }
        }
        catch (Exception error) when (error is HttpRequestException or IOException or LinkException)
        {
            _hailReader?.Dispose();
            _hailReader = null;
            throw error as LinkException ?? new LinkException(Words(error), 0, error);
        }
    }

    /// <summary>One line of the events; null at their end. A line that does not end is none.</summary>
    private static async Task<string?> ReadLine(StreamReader reader, CancellationToken cancellation)
    {
        var line = new StringBuilder();
        var one = new char[1];
        while (await reader.ReadAsync(one, cancellation) > 0)
        {
            if (one[0] == '\n')
            {
                return line.ToString();
            }

            if (line.Length == LongestHail)
            {
                throw new LinkException("The line to the service brings something that is no event.", 0);
            }

            line.Append(one[0]);
        }

        return null;
    }

    public async Task Fetch(string sha256, long most, IContentCache cache, FetchPace? pace, CancellationToken cancellation)
    {
        for (var again = 0; again < 2; again++)
        {
            var have = cache.PartLength(sha256) is var part && part <= most ? part : 0;
            await WithToken(
                () =>
                {
                    var message = new HttpRequestMessage(HttpMethod.Get, $"{DeviceProtocol.Prefix}/files/{sha256}");
                    message.Headers.Range = have > 0 ? new RangeHeaderValue(have, null) : null;
                    return message;
                },
                async message =>
                {
                    using var response = await http.SendAsync(message, HttpCompletionOption.ResponseHeadersRead, cancellation);
                    if (response.StatusCode == HttpStatusCode.RequestedRangeNotSatisfiable)
                    {
                        // All of it was there already; whether it is right, its digest says.
                        return true;
                    }

                    await Checked(response, cancellation);
                    await using var source = await response.Content.ReadAsStreamAsync(cancellation);
                    await using var part = cache.AppendPart(sha256);
                    if (response.StatusCode == HttpStatusCode.OK)
                    {
                        part.SetLength(0);
                        part.Position = 0;
                    }

                    if (!await AnswerReading.Copy(source, part, most - part.Length, cancellation, pace))
                    {
                        part.SetLength(0);
                        throw new LinkException($"The file {sha256[..12]}… is larger than the {most} bytes that it was sealed with; it was refused.", 0);
                    }

                    return true;
                }, cancellation);
            if (cache.Complete(sha256))
            {
                return;
            }
        }

        throw new LinkException($"The file {sha256[..12]}… arrived twice with other content than its digest says.", 0);
    }

    public async Task SendLog(string attempt, Stream log, CancellationToken cancellation) => await WithToken(
        () =>
        {
            log.Position = Math.Max(0, log.Length - DeviceProtocol.MaxLog);
            return new HttpRequestMessage(HttpMethod.Put, $"{DeviceProtocol.Prefix}/attempts/{attempt}/log") { Content = new StreamContent(log) };
        },
        async message =>
        {
            using var response = await http.SendAsync(message, cancellation);
            await Checked(response, cancellation);
            return true;
        }, cancellation);

    private async Task<T> WithToken<T>(Func<HttpRequestMessage> make, Func<HttpRequestMessage, Task<T>> send, CancellationToken cancellation)
    {
        try
        {
            for (var isFirst = true; ; isFirst = false)
            {
                using var message = make();
                message.Headers.Authorization = new AuthenticationHeaderValue("Bearer", await GetToken(renew: !isFirst, cancellation));
                try
                {
                    return await send(message);
                }
                catch (LinkException error) when (error.Status == 401 && isFirst)
                {
                    // The service was restarted or the token ran out on the way; one new token is worth trying.
                }
            }
        }
        catch (Exception error) when (IsOfTheWay(error, cancellation))
        {
            throw new LinkException(Words(error), 0, error);
        }
    }

    private async Task<string> GetToken(bool renew, CancellationToken cancellation)
    {
        await _tokenLock.WaitAsync(cancellation);
        try
        {
            var now = time.GetUtcNow();
            if (!renew && _token is not null && now < _tokenEnds)
            {
                return _token;
            }

            var assertion = Tokens.CreateToken(new SecurityTokenDescriptor
            {
                Issuer = DeviceId,
                Audience = DeviceProtocol.Audience,
                Claims = new Dictionary<string, object> { ["sub"] = DeviceId, ["jti"] = Guid.NewGuid().ToString("N") },
                Expires = now.AddSeconds(DeviceProtocol.MaxAssertionAge / 2).UtcDateTime,
                SigningCredentials = new SigningCredentials(_signingKey, SecurityAlgorithms.EcdsaSha256),
            });
            using var message = new HttpRequestMessage(
                HttpMethod.Post,
                DeviceProtocol.Prefix + "/token") { Content = JsonContent.Create(new DeviceTokenRequest(assertion), ContractJson.Default.DeviceTokenRequest) };
            var answer = await Send(message, MessageForm.Read<DeviceTokenAnswer>, cancellation);
            _token = AnswerReading.IsToken(answer.AccessToken) ? answer.AccessToken : throw new LinkException("The service sent a token that is none.", 0);
            _tokenEnds = now.AddSeconds(Math.Clamp(answer.ExpiresIn, 1, LongestToken) * 0.8);
            return _token;
        }
        finally
        {
            _tokenLock.Release();
        }
    }

    private async Task<T> Send<T>(HttpRequestMessage message, AnswerReading.Reader<T> read, CancellationToken cancellation)
    {
        try
        {
            using var response = await http.SendAsync(message, HttpCompletionOption.ResponseHeadersRead, cancellation);
            await Checked(response, cancellation);
            return read(await AnswerReading.Whole(response.Content, DeviceProtocol.MaxAnswer, cancellation));
        }
        catch (System.Text.Json.JsonException error)
        {
            throw new LinkException($"The service's answer cannot be understood: {error.Message.Split(" LineNumber:")[0]}", 0, error);
        }
        catch (Exception error) when (IsOfTheWay(error, cancellation))
        {
            throw new LinkException(Words(error), 0, error);
        }
    }

    /// <summary>What failed on the way, in words: of a connection that was not trusted, why.</summary>
    private static string Words(Exception error) =>
        error.GetBaseException() is System.Security.Authentication.AuthenticationException distrust
            ? distrust.Message
            : $"The service cannot be reached: {error.Message}";

    /// <summary>Whether something failed on the way, as also a call that took too long; not where the caller wants no answer any more.</summary>
    private static bool IsOfTheWay(Exception error, CancellationToken cancellation) =>
        error is HttpRequestException or IOException || (error is TaskCanceledException && !cancellation.IsCancellationRequested);

    private static async Task<HttpResponseMessage> Checked(HttpResponseMessage response, CancellationToken cancellation)
    {
        if (response.IsSuccessStatusCode)
        {
            return response;
        }

        var status = (int)response.StatusCode;
        string? detail = null;
        long? taken = null;
        try
        {
            var problem = MessageForm.Read<Problem>(await AnswerReading.Whole(response.Content, LargestProblem, cancellation));
            (detail, taken) = (AnswerReading.Words(problem.Detail), problem.Taken);
        }
        catch (Exception error) when (error is System.Text.Json.JsonException or InvalidOperationException or NotSupportedException or LinkException)
        {
            // Whatever answered is not our service; its status must do.
        }

        response.Dispose();
        throw new LinkException(detail ?? $"The service answered with status {status}.", status) { Taken = taken };
    }
}
