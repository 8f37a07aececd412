using System.Data.Common;
using System.Security.Cryptography;
using System.Text.Encodings.Web;
using System.Text.Json;
using Bandejo.Core.World;
using Bandejo.Store.Databases;

namespace Bandejo.Store;

/// <summary>
/// The entries of the audit trail, chained in the order in which they were decided: the digest of each is SHA-256 of the digest before it (nothing before the
/// first) and of its line. None can be changed, taken out or put in without all after it saying so; how many there are, and the last digest, stand apart.
/// </summary>
internal sealed class AuditChain(Statements statements)
{
    /// <summary>The topic of its events.</summary>
    public const string Topic = "audit";

    private static readonly JsonWriterOptions Plain = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    private (long Entries, byte[] Digest)? _head;
    private bool _isChanged;

    /// <summary>
    /// An entry as one line of JSON in UTF-8: number, at (to the millisecond, UTC), what, by, deployment, device, text, reason, in this order and without those
    /// that are not there. It is what is digested and what is exported, so that anybody can digest it again.
    /// </summary>
    public static byte[] Line(EventRecord entry)
    {
        using var line = new MemoryStream();
        using (var json = new Utf8JsonWriter(line, Plain))
        {
            json.WriteStartObject();
            json.WriteNumber("number", entry.Number);
            json.WriteString("at", entry.At.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", null));
            Write("what", entry.What);
            Write("by", entry.By);
            Write("deployment", entry.Deployment);
            Write("device", entry.Device);
            Write("text", entry.Text);
            Write("reason", entry.Reason);
            json.WriteEndObject();

            void Write(string name, string? text)
            {
                if (text is not null)
                {
                    json.WriteString(name, Statements.Keepable(text));
                }
            }
        }

        return line.ToArray();
    }

    /// <summary>The digest of an entry.</summary>
    public static byte[] Digest(ReadOnlySpan<byte> before, ReadOnlySpan<byte> line)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        hash.AppendData(before);
        hash.AppendData(line);
        return hash.GetHashAndReset();
    }

    /// <summary>Chains an entry to those before it.</summary>
    public void Add(EventRecord entry)
    {
        var (entries, before) = _head ??= statements.First("SELECT entries, digest FROM audit_head", row => (row.Number(0), row.Bytes(1)));
        var digest = Digest(before, Line(entry));
        statements.Add("audit_chain", entries + 1, entry.Number, digest);
        (_head, _isChanged) = ((entries + 1, digest), true);
    }

    /// <summary>Writes where it ends.</summary>
    public void Flush()
    {
        if (_isChanged && _head is var (entries, digest))
        {
            statements.Run("UPDATE audit_head SET entries = $1, digest = $2", entries, digest);
            _isChanged = false;
        }
    }

    /// <summary>The entries with their digests, in their order, as they are kept.</summary>
    /// <param name="after">Only after so many.</param>
    public static IEnumerable<(long Entry, EventRecord Kept, byte[] Digest)> Read(DbConnection connection, long after = 0) => KeptTables.Rows(
        connection, $"SELECT {KeptTables.EventColumns}, entry, digest FROM audit_chain JOIN event USING (number) WHERE entry > @after ORDER BY entry",
        row => (row.GetInt64(9), KeptTables.Event(row), row.GetFieldValue<byte[]>(10)), ("@after", after));

    /// <summary>Looks at all of it, and says where something is not as it was written.</summary>
    /// <param name="of">An entry whose digest is known from elsewhere; null for none.</param>
    public static AuditState Verify(DbConnection connection, (long Entry, string Digest)? of)
    {
        var (entries, head) = KeptTables.Rows(connection, "SELECT entries, digest FROM audit_head", row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)))
            .SingleOrDefault((0, []));
        var (next, before, last) = (1L, Array.Empty<byte>(), (EventRecord?)null);
        string? against = null, isOther = of is null ? null : $"There is no entry {of.Value.Entry} any more.";
        foreach (var (entry, kept, digest) in Read(connection))
        {
            if (entry != next)
            {
                against = $"Entry {next} is missing{After(last)}.";
                break;
            }

            // Under another topic it would not be shown among the others.
            if (kept.Topic != Topic || !digest.AsSpan().SequenceEqual(Digest(before, Line(kept))))
            {
                against = $"Entry {entry} (event {kept.Number}, {kept.What}, {kept.At.UtcDateTime:yyyy-MM-dd HH:mm:ss} UTC) is not as it was written.";
                break;
            }

            if (entry == of?.Entry)
            {
                isOther = Convert.ToHexStringLower(digest) == of.Value.Digest
                    ? null
                    : $"Entry {entry}, or one before it, is another than it was when the proof was made.";
            }

            (next, before, last) = (entry + 1, digest, kept);
        }

        var loose = against is not null ? 0 : KeptTables.Rows(
            connection, "SELECT count(*) FROM event WHERE topic = 'audit' AND number NOT IN (SELECT number FROM audit_chain)", row => row.GetInt64(0)).Single();
        against ??= loose > 0 ? $"{loose} entries are not in the chain: they were put in later."
            : next - 1 != entries ? $"The trail ends with entry {next - 1}{After(last)}, and there were {entries}: what was after it was cut off."
            : !before.AsSpan().SequenceEqual(head) ? "The trail does not end as it was written."
            : isOther;
        return new AuditState(next - 1, last?.Number ?? 0, Convert.ToHexStringLower(before), against);
    }

    private static string After(EventRecord? last) => last is null ? "" : $", after event {last.Number} of {last.At.UtcDateTime:yyyy-MM-dd HH:mm:ss} UTC";
}

/// <summary>How the audit trail stands.</summary>
/// <param name="Entries">How many are whole, from the first on.</param>
/// <param name="Last">The number of the last of them.</param>
/// <param name="Digest">Of that one, in hexadecimal.</param>
/// <param name="Against">What is not as it was written; null where all is.</param>
public sealed record AuditState(long Entries, long Last, string Digest, string? Against);
