using System.Buffers.Text;
using System.CommandLine;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;

namespace Bandejo.Cli;

/// <summary><c>bandejo journal verify</c> and <c>bandejo journal export</c></summary>
internal static class AuditCommands
{
    /// <summary>The longest line of an export that is read, in characters.</summary>
    private const int LongestLine = 1 << 20;

    private const string NoProof = "The last line has no proof: the file is cut short, or no export.";

    public static Command Export() => Shared.Verb(
        "export", "Prints the whole audit trail, a line of JSON each, with a proof of it at the end", "journal export > audit.jsonl",
        async (parsed, client, cancellation) =>
    {
        await client.Print("/api/v1/audit/export", Console.Out, cancellation);
        return ExitCode.Done;
    });

    public static Command Verify()
    {
        var proof = new Option<string?>("--proof") { Description = "An export of earlier: whether it is whole, and still the beginning of the trail" };
        return Shared.Verb(
            "verify", "Exit code 0 if the audit trail is as it was written, 1 if anything was changed, taken out or cut off", "journal verify",
            async (parsed, client, cancellation) =>
        {
            var (query, key) = ("", (PublicKeyInfo?)null);
            if (parsed.GetValue(proof) is { } file)
            {
                var (read, against) = Read(file);
                if (against is not null)
                {
                    Console.WriteLine($"Does not hold: {against}");
                    return ExitCode.No;
                }

                (query, key) = ($"?entry={read!.Content.Entries}&digest={read.Content.Digest}", read.Key);
                Console.WriteLine(
                    $"{file} is whole: {read.Content.Entries.ToString("N0", CultureInfo.InvariantCulture)} entries, as of {Now.Day(read.Content.At)}, "
                        + $"signed with the key {read.Key.KeyId}.");
            }

            var state = await client.Get($"/api/v1/audit/verify{query}", ContractJson.Default.AuditVerification, cancellation);
            var isOther = key is not null && key != state.Key;
            if (parsed.GetValue(Shared.Output) == "json")
            {
                Say.Json(state, ContractJson.Default.AuditVerification);
            }
            else
            {
                Console.WriteLine(
                    isOther ? $"Does not hold: this service signs with the key {state.Key.KeyId}, and the file is signed with another."
                        : $"{(state.Holds ? "Holds" : "Does not hold")}: {state.Says}");
            }

            return state.Holds && !isOther ? ExitCode.Done : ExitCode.No;
        }, proof);
    }

    /// <summary>Reads an export and digests it anew.</summary>
    /// <returns>Its proof, or why it does not hold.</returns>
    private static (AuditProof? Proof, string? Against) Read(string file)
    {
        var (digest, entries, last) = (Array.Empty<byte>(), 0L, (string?)null);
        foreach (var line in File.ReadLines(file))
        {
            if (line.Length > LongestLine)
            {
                return (null, $"Line {entries + 1} is longer than any that an export has.");
            }

            if (last is not null)
            {
                digest = SHA256.HashData([.. digest, .. Encoding.UTF8.GetBytes(last)]);
                entries++;
            }

            last = line;
        }

        try
        {
            var proof = last is null ? null : JsonSerializer.Deserialize(last, ContractJson.Default.AuditExportEnd)?.Proof;
            return proof?.Content is null || proof.Key is null || proof.Signature is null ? (null, NoProof)
                : proof.Content.Entries != entries ? (null, $"The proof is of {proof.Content.Entries} entries, and the file has {entries}.")
                : proof.Content.Digest != Convert.ToHexStringLower(digest) ? (null, "A line is not as it was exported: the digest is not that of the proof.")
                : !IsSigned(proof) ? (null, "The signature of the proof does not hold.")
                : (proof, null);
        }
        catch (Exception error) when (error is JsonException or FormatException or CryptographicException)
        {
            return (null, NoProof);
        }
    }

    /// <summary>Whether the signature (compact JWS, ES256: RFC 7515, RFC 7518) is by the key, over just this content.</summary>
    private static bool IsSigned(AuditProof proof)
    {
        if (proof.Signature.Split('.') is not [var header, var payload, var signature])
        {
            return false;
        }

        using var head = JsonDocument.Parse(Base64Url.DecodeFromChars(header));
        using var key = ECDsa.Create(new ECParameters
        {
            Curve = ECCurve.NamedCurves.nistP256,
            Q = new ECPoint { X = Base64Url.DecodeFromChars(proof.Key.X), Y = Base64Url.DecodeFromChars(proof.Key.Y) },
        });
        return head.RootElement.GetProperty("alg").GetString() == "ES256"
            && JsonSerializer.Deserialize(Base64Url.DecodeFromChars(payload), ContractJson.Default.AuditContent) == proof.Content
            && key.VerifyData(
                Encoding.ASCII.GetBytes($"{header}.{payload}"), Base64Url.DecodeFromChars(signature), HashAlgorithmName.SHA256,
                DSASignatureFormat.IeeeP1363FixedFieldConcatenation);
    }
}
