using System.Text;
using Bandejo.Core.Deployments;

namespace Bandejo.Store;

/// <summary>
/// The form in which records are kept that there are very many of: numbers in seven bits a byte, texts as UTF-8 after their length, both as
/// <see cref="BinaryWriter"/> writes them; instants as ticks of UTC; what may be missing after a number whose bits say what is there.
/// Fields are only ever added at the end, behind a new bit.
/// </summary>
internal static class CompactForm
{
    public static byte[] Of(Target target)
    {
        using var form = new MemoryStream(160);
        using var writer = new BinaryWriter(form);
        Write(writer, target);
        return form.ToArray();
    }

    public static void Write(BinaryWriter writer, Target target)
    {
        writer.Write(target.Device);
        writer.Write7BitEncodedInt(target.Wave + 1);
        writer.Write((byte)target.State);
        writer.Write(target.Reason);
        Write(writer, target.Since);
        writer.Write7BitEncodedInt(Bits(
            target.Next is not null, target.Variant is not null, target.Tries > 0, target.Repairs > 0, target.HasBegun, target.IsInstalledHere, target.IsGoingBack, target.HasFailed, target.Before is not null,
            target.BeforePackage is not null, target.ProvenAt is not null, target.TroubleAt is not null, target.TakenAt is not null, target.Harms > 0, target.Harm is not null, target.AppWhenOpened is not null, target.Order > 0));
        Write(writer, target.Next);
        Write(writer, target.Variant);
        Write(writer, target.Tries);
        Write(writer, target.Repairs);
        Write(writer, target.Before);
        Write(writer, target.BeforePackage);
        Write(writer, target.ProvenAt);
        Write(writer, target.TroubleAt);
        Write(writer, target.TakenAt);
        Write(writer, target.Harms);
        Write(writer, target.Harm);
        Write(writer, target.AppWhenOpened);
        Write(writer, target.Order);
    }

    /// <exception cref="FormatException">The form is not that of a target.</exception>
    /// <exception cref="IOException">It is cut short.</exception>
    public static Target ReadTarget(BinaryReader reader, TextPool texts)
    {
        var device = reader.ReadString();
        var wave = reader.Read7BitEncodedInt() - 1;
        var state = (TargetState)reader.ReadByte();
        if (!Enum.IsDefined(state))
        {
            throw new FormatException($"A kept target has the state {(int)state}, which is none.");
        }

        var reason = texts.Of(reader.ReadString());
        var since = Instant(reader);
        var bits = reader.Read7BitEncodedInt();
        return new Target
        {
            Device = device,
            Wave = wave,
            State = state,
            Reason = reason,
            Since = since,
            HasBegun = Has(4),
            IsInstalledHere = Has(5),
            IsGoingBack = Has(6),
            HasFailed = Has(7),
            Next = Has(0) ? Instant(reader) : null,
            Variant = Has(1) ? texts.Of(reader.ReadString()) : null,
            Tries = Has(2) ? reader.Read7BitEncodedInt() : 0,
            Repairs = Has(3) ? reader.Read7BitEncodedInt() : 0,
            Before = Has(8) ? texts.Of(reader.ReadString()) : null,
            BeforePackage = Has(9) ? texts.Of(reader.ReadString()) : null,
            ProvenAt = Has(10) ? Instant(reader) : null,
            TroubleAt = Has(11) ? Instant(reader) : null,
            TakenAt = Has(12) ? Instant(reader) : null,
            Harms = Has(13) ? reader.Read7BitEncodedInt() : 0,
            Harm = Has(14) ? reader.ReadString() : null,
            AppWhenOpened = Has(15) ? texts.Of(reader.ReadString()) : null,
            Order = Has(16) ? reader.Read7BitEncodedInt() : 0,
        };

        bool Has(int bit) => (bits & (1 << bit)) != 0;
    }

    public static void Write(BinaryWriter writer, StoredAttempt attempt)
    {
        writer.Write(attempt.Id);
        writer.Write(attempt.Deployment);
        writer.Write(attempt.Device);
        writer.Write(attempt.Kind);
        writer.Write(attempt.Version);
        Write(writer, attempt.StartedAt);
        writer.Write(attempt.Phase);
        writer.Write(attempt.Message);
        writer.Write7BitEncodedInt(Bits(attempt.EndedAt is not null, attempt.Outcome is not null, attempt.ExitCode is not null, attempt.HasLog));
        Write(writer, attempt.EndedAt);
        Write(writer, attempt.Outcome);
        if (attempt.ExitCode is { } code)
        {
            writer.Write(code);
        }
    }

    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static StoredAttempt ReadAttempt(BinaryReader reader)
    {
        var (id, deployment, device, kind, version) = (reader.ReadString(), reader.ReadString(), reader.ReadString(), reader.ReadString(), reader.ReadString());
        var (started, phase, message, bits) = (Instant(reader), reader.ReadString(), reader.ReadString(), reader.Read7BitEncodedInt());
        return new StoredAttempt(
            id, deployment, device, kind, version, started, (bits & 1) != 0 ? Instant(reader) : null, (bits & 2) != 0 ? reader.ReadString() : null, phase, (bits & 4) != 0 ? reader.ReadInt32() : null, message, (bits & 8) != 0);
    }

    public static void Write(BinaryWriter writer, StoredEvent added)
    {
        writer.Write7BitEncodedInt64(added.Number);
        Write(writer, added.At);
        writer.Write(added.Topic);
        writer.Write(added.What);
        writer.Write(added.Text);
        writer.Write7BitEncodedInt(Bits(added.By is not null, added.Deployment is not null, added.Device is not null, added.Reason is not null));
        Write(writer, added.By);
        Write(writer, added.Deployment);
        Write(writer, added.Device);
        Write(writer, added.Reason);
    }

    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static StoredEvent ReadEvent(BinaryReader reader)
    {
        var (number, at, topic, what, text, bits) = (reader.Read7BitEncodedInt64(), Instant(reader), reader.ReadString(), reader.ReadString(), reader.ReadString(), reader.Read7BitEncodedInt());
        var (by, deployment, device, reason) = (Text(0), Text(1), Text(2), Text(3));
        return new StoredEvent(number, at, topic, what, by, deployment, device, text, reason);

        string? Text(int bit) => (bits & (1 << bit)) != 0 ? reader.ReadString() : null;
    }

    private static int Bits(params ReadOnlySpan<bool> each)
    {
        var bits = 0;
        for (var i = 0; i < each.Length; i++)
        {
            bits |= each[i] ? 1 << i : 0;
        }

        return bits;
    }

    private static DateTimeOffset Instant(BinaryReader reader) => reader.Read7BitEncodedInt64() is >= 0 and <= 3155378975999999999 and var ticks ? new DateTimeOffset(ticks, TimeSpan.Zero) : throw new FormatException("A kept instant is outside the calendar.");

    private static void Write(BinaryWriter writer, DateTimeOffset at) => writer.Write7BitEncodedInt64(at.UtcTicks);

    private static void Write(BinaryWriter writer, DateTimeOffset? at)
    {
        if (at is { } known)
        {
            Write(writer, known);
        }
    }

    private static void Write(BinaryWriter writer, string? text)
    {
        if (text is not null)
        {
            writer.Write(text);
        }
    }

    private static void Write(BinaryWriter writer, int number)
    {
        if (number > 0)
        {
            writer.Write7BitEncodedInt(number);
        }
    }
}

/// <summary>Holds each of many equal texts once.</summary>
internal sealed class TextPool
{
    private readonly Dictionary<string, string> _texts = new(StringComparer.Ordinal);

    public string Of(string text)
    {
        if (!_texts.TryGetValue(text, out var known))
        {
            _texts[text] = known = text;
        }

        return known;
    }
}
