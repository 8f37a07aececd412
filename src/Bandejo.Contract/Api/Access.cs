using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>Asks for a session (browser) or a personal token (command line).</summary>
/// <param name="Account">The account's name.</param>
/// <param name="Password">Its password.</param>
/// <param name="Label">What the token is for; only for tokens.</param>
/// <param name="Days">For how many days the token is good, 1 to 365; 90 unless set.</param>
/// <param name="Roles">The roles that the token has, of those that its person has; null for all of them.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record SignInRequest(string Account, string Password, string? Label = null, int? Days = null, IReadOnlyList<string>? Roles = null);

/// <summary>Who is signed in.</summary>
/// <param name="Account">The account's name.</param>
/// <param name="Name">The person's name.</param>
/// <param name="Roles">viewer, packager, operator, approver, administrator.</param>
/// <param name="CsrfToken">What a browser sends back as <c>X-CSRF-Token</c> with every change; null for tokens.</param>
public sealed record SessionInfo(string Account, string Name, IReadOnlyList<string> Roles, string? CsrfToken);

/// <summary>A new personal token; its secret is shown this once.</summary>
public sealed record NewToken(string Id, string Secret, string Account, string Label, DateTimeOffset Expires);

/// <summary>A personal token, or the session of a browser, without its secret.</summary>
/// <param name="Account">Whose it is.</param>
/// <param name="IsSession">It is the session of a browser.</param>
/// <param name="Roles">The roles that it has, of those of its person; null for all of them.</param>
/// <param name="IsThis">It is the one by which this was asked.</param>
public sealed record TokenInfo(
    string Id, string Label, DateTimeOffset Created, DateTimeOffset Expires, string Account, bool IsSession, IReadOnlyList<string>? Roles, bool IsThis);

/// <summary>Changes one's own password; every other token and session of the account is ended.</summary>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record PasswordChange(string Old, string New);

/// <summary>An account.</summary>
public sealed record AccountInfo(string Account, string Name, IReadOnlyList<string> Roles, bool IsDisabled, IReadOnlyList<string> SigningKeys, int Revision);

/// <summary>A new account.</summary>
/// <param name="Account">2 to 32 lower-case letters, digits and hyphens.</param>
/// <param name="Name">The person's name.</param>
/// <param name="Password">At least 10 characters.</param>
/// <param name="Roles">At least one.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record AccountRequest(
    [property: Limits(Text = 32)] string Account, [property: Limits(Text = ApiLimits.MaxName)] string Name, string Password, IReadOnlyList<string> Roles);

/// <summary>Changes an account; what is null stays.</summary>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record AccountChange(
    [property: Limits(Text = ApiLimits.MaxName)] string? Name = null, string? Password = null, IReadOnlyList<string>? Roles = null, bool? IsDisabled = null);

/// <summary>A public key for building packages: P-256 in the form of RFC 7517.</summary>
/// <param name="Proof">That one has it: a compact JWS (ES256) with this key over <c>{"use":"signing-key","account":NAME}</c>.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record SigningKeyRequest(string X, string Y, string Proof);

/// <summary>What proves that one has a key for building.</summary>
public sealed record SigningKeyProof(string Use, string Account);

/// <summary>The key's identity, its RFC 7638 thumbprint.</summary>
public sealed record SigningKeyInfo(string KeyId);

/// <summary>A page of a list. The next page is asked for with <paramref name="Next"/> as <c>cursor</c>.</summary>
/// <param name="Items">The items of this page.</param>
/// <param name="Next">Where the next page begins; null on the last.</param>
/// <param name="Total">How many there are in all, where that is known.</param>
public sealed record Page<T>(IReadOnlyList<T> Items, string? Next, int? Total);

/// <summary>Something wrong in what was sent: what, where, and what would be right.</summary>
public sealed record FindingInfo(string Message, string? Where, int Line, int Column, int Length, bool IsWarning);

/// <summary>A reason for something done by hand.</summary>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record ReasonRequest([property: Limits(Text = ApiLimits.MaxReason)] string? Reason = null);

/// <summary>Who this service is to devices and command lines that speak with it over TLS.</summary>
/// <param name="Authority">The name of the authority that stands for it now; null where it does not listen with TLS.</param>
/// <param name="Until">When the certificate that it shows ends.</param>
/// <param name="Names">The names and addresses that the certificate is for.</param>
/// <param name="Before">Authorities before, which devices may still know it by.</param>
/// <param name="Devices">Devices that have checked in since the service was started.</param>
/// <param name="Knowing">Those of them that believe just the authorities that stand for it now.</param>
public sealed record IdentityInfo(
    string? Authority, DateTimeOffset? Until, IReadOnlyList<string> Names, IReadOnlyList<string> Before, int Devices, int Knowing);

/// <summary>What this service is.</summary>
/// <param name="Speed">How many times as fast as the real time its clock runs; 1 for the real time itself.</param>
public sealed record ServiceInfo(string Version, int DeviceProtocol, DateTimeOffset Now, int Devices, int Deployments, int Packages, double Speed);

/// <summary>The service's clock.</summary>
/// <param name="Speed">How many times as fast as the real time it runs; 0 stands still.</param>
/// <param name="IsDemo">It is a demo clock, which can be set.</param>
/// <param name="Goal">Where it is being led step by step; null where it runs by itself.</param>
public sealed record ClockInfo(DateTimeOffset Now, double Speed, bool IsDemo, DateTimeOffset? Goal);

/// <summary>Sets a demo clock; what is null stays.</summary>
/// <param name="Speed">0 to 100,000 times as fast as the real time.</param>
/// <param name="To">The moment it shall be brought to; not before the present one.</param>
/// <param name="Advance">How far it shall be brought forward, such as <c>2h</c>; instead of <paramref name="To"/>.</param>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record ClockRequest(double? Speed = null, DateTimeOffset? To = null, [property: Limits(Text = 40)] string? Advance = null);
