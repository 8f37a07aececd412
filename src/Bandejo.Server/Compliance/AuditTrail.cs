using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Compliance;

/// <summary>The audit trail for an auditor: all of it with a proof, and whether it is as it was written.</summary>
internal static class AuditTrail
{
    /// <summary>Whether it is as it was written.</summary>
    /// <param name="entry">An entry that an export ended with; null for none.</param>
    /// <param name="digest">Its digest then.</param>
    public static async Task<Outcome<AuditVerification>> Verify(WorldHost world, SiteKeys keys, long? entry, string? digest)
    {
        if (entry is null != digest is null || entry < 1 || digest is { Length: not 64 } || digest?.All(char.IsAsciiHexDigitLower) == false)
        {
            return new Failure(
                ErrorKind.Invalid, "Name both the entry (1 or more) and its digest (64 hexadecimal digits, in lower case), as a proof says them.");
        }

        var state = (await world.Kept()).VerifyAudit(entry is { } of ? (of, digest!) : null);
        var said = entry is null ? "" : $" Entry {entry} is the one of the proof.";
        return new AuditVerification(
            state.Against is null, state.Entries, state.Last, state.Digest,
            state.Against ?? $"All {state.Entries:N0} entries are as they were written, none is missing.{said}", keys.SealKey);
    }

    /// <summary>All entries, one line of JSON each, and a last line with the proof.</summary>
    public static IResult Export(WorldHost world, SiteKeys keys) => Streams.Lines("application/x-ndjson", Lines(world, keys));

    private static IEnumerable<ReadOnlyMemory<byte>> Lines(WorldHost world, SiteKeys keys)
    {
        var (entries, last, digest) = (0L, 0L, "");
        foreach (var each in world.Store.AuditLines())
        {
            (entries, last, digest) = (each.Entry, each.Number, each.Digest);
            yield return each.Line;
        }

        var content = new AuditContent("audit", entries, last, digest, world.Now);
        yield return JsonSerializer.SerializeToUtf8Bytes(
            new AuditExportEnd(new AuditProof(content, keys.SealKey, keys.Sign(content, ContractJson.Default.AuditContent))),
            ContractJson.Default.AuditExportEnd);
    }
}
