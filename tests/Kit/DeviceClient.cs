using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Kit;

/// <summary>Speaks the device protocol by hand, so that it can also be spoken wrongly.</summary>
public sealed class DeviceClient : IDisposable
{
    private readonly HttpClient _http;

    /// <param name="time">The clock that it goes by; the real one unless given.</param>
    public DeviceClient(string address, TimeProvider? time = null)
    {
        _http = new HttpClient { BaseAddress = new Uri(address) };
        Link = new HttpLink(_http, Key, time ?? TimeProvider.System);
    }

    public ECDsa Key { get; } = ECDsa.Create(ECCurve.NamedCurves.nistP256);

    public HttpLink Link { get; }

    public string Id => Link.DeviceId;

    public JoinRequest JoinRequest(string code, string name = "FAKE-01")
    {
        var point = Key.ExportParameters(false).Q;
        return new JoinRequest(1, code, new PublicKeyInfo("", Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y)), name, new FactReport(
            new Dictionary<string, string> { ["kind"] = "desk" }, []));
    }

    public async Task<JoinAnswer> Join(string code, string name = "FAKE-01")
    {
        var answer = await Link.Join(JoinRequest(code, name), default);
        Link.DeviceId = answer.DeviceId;
        return answer;
    }

    /// <summary>A check-in with nothing in it but what is given.</summary>
    public Task<CheckInAnswer> CheckIn(long sequence, IReadOnlyList<AttemptReport>? attempts = null, IReadOnlyList<ProofReport>? proofs = null) =>
        Link.CheckIn(new CheckInRequest(sequence, "", null, "", proofs ?? [], attempts ?? []), default);

    /// <summary>An assertion of RFC 7523, signed with the device's key.</summary>
    public string Assertion(DateTimeOffset expires, string? issuer = null, string audience = DeviceProtocol.Audience, string id = "one") =>
        new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false }.CreateToken(new SecurityTokenDescriptor
        {
            Issuer = issuer ?? Id, Audience = audience, Claims = new Dictionary<string, object> { ["jti"] = id }, Expires = expires.UtcDateTime,
            SigningCredentials = new SigningCredentials(new ECDsaSecurityKey(Key), SecurityAlgorithms.EcdsaSha256),
        });

    public void Dispose()
    {
        _http.Dispose();
        Key.Dispose();
    }
}
