using System.Net;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Kit;

/// <summary>Calls the public API as somebody.</summary>
public sealed class ApiClient : IDisposable
{
    public ApiClient(string address, string? token = null)
    {
        // A test speaks with the service that it started itself; whether it is believed is tested with the command line and agents.
        Http = new HttpClient(
            new SocketsHttpHandler { SslOptions = new() { RemoteCertificateValidationCallback = (_, _, _, _) => true } }) { BaseAddress = new Uri(address) };
        if (token is not null)
        {
            Http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        }
    }

    public HttpClient Http { get; }

    /// <summary>A client that is signed in by a personal token.</summary>
    public static async Task<ApiClient> SignIn(string address, string account, string password)
    {
        using var nobody = new ApiClient(address);
        var token = await nobody.Post(
            "/api/v1/tokens", new SignInRequest(account, password), ContractJson.Default.SignInRequest, ContractJson.Default.NewToken);
        return new ApiClient(address, token.Secret);
    }

    public async Task<T> Get<T>(string path, JsonTypeInfo<T> form) => await Read(await Http.GetAsync(path), form);

    public async Task<T> Post<TBody, T>(string path, TBody body, JsonTypeInfo<TBody> bodyForm, JsonTypeInfo<T> form) =>
        await Read(await Http.PostAsync(path, new StringContent(JsonSerializer.Serialize(body, bodyForm), Encoding.UTF8, "application/json")), form);

    /// <summary>Sends anything and returns status and problem.</summary>
    public async Task<(HttpStatusCode Status, string Body)> Send(
        HttpMethod method, string path, string? json = null, params (string Name, string Value)[] headers)
    {
        using var request = new HttpRequestMessage(method, path) { Content = json is null ? null : new StringContent(json, Encoding.UTF8, "application/json") };
        foreach (var (name, value) in headers)
        {
            request.Headers.TryAddWithoutValidation(name, value);
        }

        using var response = await Http.SendAsync(request);
        return (response.StatusCode, await response.Content.ReadAsStringAsync());
    }

    /// <summary>Registers a key for building as the administrator's, with the proof that one has it.</summary>
    public Task RegisterKey(ECDsa key, string account = "root-admin")
    {
        var point = key.ExportParameters(includePrivateParameters: false).Q;
        var proof = new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false }
            .CreateToken(JsonSerializer.Serialize(new SigningKeyProof("signing-key", account), ContractJson.Default.SigningKeyProof), new SigningCredentials(
                new ECDsaSecurityKey(key), SecurityAlgorithms.EcdsaSha256));
        return Post(
            "/api/v1/account/signing-keys", new SigningKeyRequest(Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y), proof),
            ContractJson.Default.SigningKeyRequest, ContractJson.Default.SigningKeyInfo);
    }

    /// <summary>Waits until a condition holds; looks again whenever the service tells of an event.</summary>
    public async Task Until(Func<Task<bool>> holds, string what)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
        try
        {
            using var response = await Http.GetAsync("/api/v1/events?after=0", HttpCompletionOption.ResponseHeadersRead, limit.Token);
            using var reader = new StreamReader(await response.Content.ReadAsStreamAsync(limit.Token));
            while (!await holds())
            {
                string? line;
                do
                {
                    line = await reader.ReadLineAsync(limit.Token) ?? throw new IOException("The stream of events ended.");
                }
                while (!line.StartsWith("data:", StringComparison.Ordinal));
            }
        }
        catch (OperationCanceledException)
        {
            throw new TimeoutException($"It did not come to this: {what}");
        }
    }

    /// <summary>Waits until a condition holds of which no event tells; looks again several times a second.</summary>
    public static async Task Comes(Func<Task<bool>> holds, string what)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
        using var again = new PeriodicTimer(TimeSpan.FromMilliseconds(100));
        try
        {
            while (!await holds())
            {
                await again.WaitForNextTickAsync(limit.Token);
            }
        }
        catch (OperationCanceledException)
        {
            throw new TimeoutException($"It did not come to this: {what}");
        }
    }

    /// <summary>Waits until a device is in a state under a deployment, and returns the target.</summary>
    public async Task<TargetInfo> Becomes(string deployment, string device, string state)
    {
        TargetInfo? target = null;
        await Until(async () =>
        {
            var page = await Get($"/api/v1/deployments/{deployment}/targets?limit=1000", ContractJson.Default.PageTargetInfo);
            target = page.Items.FirstOrDefault(each => each.DeviceName == device);
            return target?.State == state;
        }, $"{device} {state} in {deployment}");
        return target!;
    }

    public Task<IReadOnlyList<AttemptInfo>> Attempts(string deployment, string device) =>
        Get($"/api/v1/deployments/{deployment}/attempts?device={device}", ContractJson.Default.IReadOnlyListAttemptInfo);

    public void Dispose() => Http.Dispose();

    private static async Task<T> Read<T>(HttpResponseMessage response, JsonTypeInfo<T> form)
    {
        var body = await response.Content.ReadAsStringAsync();
        return response.IsSuccessStatusCode
            ? JsonSerializer.Deserialize(body, form)!
            : throw new InvalidOperationException($"{(int)response.StatusCode}: {body}");
    }
}
