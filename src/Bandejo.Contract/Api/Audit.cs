using Bandejo.Contract.Device;

namespace Bandejo.Contract.Api;

/// <summary>Whether the audit trail is as it was written.</summary>
/// <param name="Entries">How many entries are whole, from the first on.</param>
/// <param name="Last">The number of the last of them.</param>
/// <param name="Digest">The digest of that one and all before it.</param>
/// <param name="Key">The service's key, with which it signs exports.</param>
public sealed record AuditVerification(bool Holds, long Entries, long Last, string Digest, string Says, PublicKeyInfo Key);

/// <summary>What the service says of the audit trail, and signs.</summary>
/// <param name="Use"><c>audit</c>.</param>
public sealed record AuditContent(string Use, long Entries, long Last, string Digest, DateTimeOffset At);

/// <summary>The proof of an export of the audit trail.</summary>
/// <param name="Key">The service's key.</param>
/// <param name="Signature">A compact JWS (ES256) with it over the content.</param>
public sealed record AuditProof(AuditContent Content, PublicKeyInfo Key, string Signature);

/// <summary>The last line of an export of the audit trail.</summary>
public sealed record AuditExportEnd(AuditProof Proof);
