using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>
/// The form in which records are kept that there are very many of, as <see cref="FormWriter"/> writes numbers and texts; instants as ticks of UTC; what may
/// be missing after a number whose bits say what is there. Fields are only ever added at the end, behind a new bit.
/// </summary>
internal static class CompactForm
{
    private const int MostArguments = 10_000;
    private const int DeepestReason = 4;

    public static byte[] Of(Target target)
    {
        var writer = new FormWriter();
        Write(writer, target);
        return writer.Written.ToArray();
    }

    public static void Write(FormWriter writer, Target target)
    {
        writer.Text(target.Device);
        writer.Number(target.Wave + 1);
        writer.Byte((byte)target.State);
        writer.Text(ReasonNames.Of(target.Reason.Code));
        Write(writer, target.Since);
        writer.Number(Bits(
            target.Next is not null, target.Variant is not null, target.Tries > 0, target.Repairs > 0, target.HasBegun, target.IsInstalledHere,
            target.IsGoingBack, target.HasFailed, target.Before is not null,
            target.BeforePackage is not null, target.ProvenAt is not null, target.TroubleAt is not null, target.TakenAt is not null, target.Harms > 0,
            target.Harm is not null, target.AppWhenOpened is not null, target.Order > 0,
            target.IsToGoBack, target.CannotGoBack, target.WaitsFor is not null, true));
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
        Write(writer, target.WaitsFor);
        WriteRest(writer, target.Reason);
    }

    /// <exception cref="FormatException">The form is not that of a target.</exception>
    /// <exception cref="IOException">It is cut short.</exception>
    public static Target ReadTarget(ref FormReader reader, TextPool texts)
    {
        var device = reader.Text(texts);
        var wave = reader.Number() - 1;
        var state = (TargetState)reader.Byte();
        if (!Enum.IsDefined(state))
        {
            throw new FormatException($"A kept target has the state {(int)state}, which is none.");
        }

        var code = reader.Text(texts);
        var since = Instant(ref reader);
        var bits = reader.Number();
        return new Target
        {
            Device = device,
            Wave = wave,
            State = state,
            Since = since,
            HasBegun = Has(4),
            IsInstalledHere = Has(5),
            IsGoingBack = Has(6),
            HasFailed = Has(7),
            IsToGoBack = Has(17),
            CannotGoBack = Has(18),
            Next = Has(0) ? Instant(ref reader) : null,
            Variant = Has(1) ? reader.Text(texts) : null,
            Tries = Has(2) ? reader.Number() : 0,
            Repairs = Has(3) ? reader.Number() : 0,
            Before = Has(8) ? reader.Text(texts) : null,
            BeforePackage = Has(9) ? reader.Text(texts) : null,
            ProvenAt = Has(10) ? Instant(ref reader) : null,
            TroubleAt = Has(11) ? Instant(ref reader) : null,
            TakenAt = Has(12) ? Instant(ref reader) : null,
            Harms = Has(13) ? reader.Number() : 0,
            Harm = Has(14) ? reader.Text(texts) : null,
            AppWhenOpened = Has(15) ? reader.Text(texts) : null,
            Order = Has(16) ? reader.Number() : 0,
            WaitsFor = Has(19) ? reader.Text(texts) : null,

            // Before reasons were kept by code and arguments they were kept in words.
            Reason = Has(20) ? ReadReason(code, ref reader, texts) : Reason.Said(code),
        };

        bool Has(int bit) => (bits & (1 << bit)) != 0;
    }

    private static void WriteRest(FormWriter writer, Reason reason)
    {
        writer.Number(reason.Arguments.Count);
        foreach (var argument in reason.Arguments)
        {
            writer.Text(argument);
        }

        writer.Byte(reason.Because is null ? (byte)0 : (byte)1);
        if (reason.Because is { } because)
        {
            writer.Text(ReasonNames.Of(because.Code));
            WriteRest(writer, because);
        }
    }

    private static Reason ReadReason(string code, ref FormReader reader, TextPool texts, int depth = 0)
    {
        var count = reader.Number();
        if (count is < 0 or > MostArguments || depth > DeepestReason)
        {
            throw new FormatException($"A kept reason has {count} arguments, or reasons behind it without end.");
        }

        var arguments = new string[count];
        for (var i = 0; i < arguments.Length; i++)
        {
            arguments[i] = reader.Text(texts);
        }

        var because = reader.Byte() == 0 ? null : ReadReason(reader.Text(texts), ref reader, texts, depth + 1);
        return new Reason(
            ReasonNames.Read(code) ?? throw new FormatException($"A kept target has the reason '{code}', which this version does not know."),
            arguments) { Because = because };
    }

    public static void Write(FormWriter writer, AttemptRecord attempt)
    {
        writer.Text(attempt.Id);
        writer.Text(attempt.Deployment);
        writer.Text(attempt.Device);
        writer.Text(attempt.Kind);
        writer.Text(attempt.Version);
        Write(writer, attempt.StartedAt);
        writer.Text(attempt.Phase);
        writer.Text(attempt.Message);
        writer.Number(Bits(attempt.EndedAt is not null, attempt.Outcome is not null, attempt.ExitCode is not null, attempt.HasLog));
        Write(writer, attempt.EndedAt);
        Write(writer, attempt.Outcome);
        if (attempt.ExitCode is { } code)
        {
            writer.Fixed(code);
        }
    }

    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static AttemptRecord ReadAttempt(ref FormReader reader, TextPool? texts = null)
    {
        var (id, deployment, device, kind, version) = (reader.Text(texts), reader.Text(texts), reader.Text(texts), reader.Text(texts), reader.Text(texts));
        var (started, phase, message, bits) = (Instant(ref reader), reader.Text(texts), reader.Text(texts), reader.Number());
        return new AttemptRecord(
            id, deployment, device, kind, version, started, (bits & 1) != 0 ? Instant(ref reader) : null, (bits & 2) != 0 ? reader.Text(texts) : null, phase,
            (bits & 4) != 0 ? reader.Fixed() : null, message, (bits & 8) != 0);
    }

    public static void Write(FormWriter writer, EventRecord added)
    {
        writer.Number(added.Number);
        Write(writer, added.At);
        writer.Text(added.Topic);
        writer.Text(added.What);
        writer.Text(added.Text);
        writer.Number(Bits(added.By is not null, added.Deployment is not null, added.Device is not null, added.Reason is not null));
        Write(writer, added.By);
        Write(writer, added.Deployment);
        Write(writer, added.Device);
        Write(writer, added.Reason);
    }

    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static EventRecord ReadEvent(ref FormReader reader, TextPool? texts = null)
    {
        var (number, at, topic, what, text, bits) = (
            reader.LongNumber(), Instant(ref reader), reader.Text(texts), reader.Text(texts), reader.Text(texts), reader.Number());
        var by = (bits & 1) != 0 ? reader.Text(texts) : null;
        var deployment = (bits & 2) != 0 ? reader.Text(texts) : null;
        var device = (bits & 4) != 0 ? reader.Text(texts) : null;
        var reason = (bits & 8) != 0 ? reader.Text(texts) : null;
        return new EventRecord(number, at, topic, what, by, deployment, device, text, reason);
    }

    /// <summary>Passes an event by, and says what it may be looked for by.</summary>
    /// <param name="offset">Where it begins.</param>
    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static RecentMark ReadMark(ref FormReader reader, int offset)
    {
        var (number, _, topic, _, _, bits) = (
            reader.LongNumber(), Instant(ref reader), RecentMark.KeyOf(reader.Utf8()), reader.Utf8().Length, reader.Utf8().Length, reader.Number());
        _ = (bits & 1) != 0 ? reader.Utf8() : default;
        var deployment = (bits & 2) != 0 ? RecentMark.KeyOf(reader.Utf8()) : RecentMark.NoKey;
        var device = (bits & 4) != 0 ? RecentMark.KeyOf(reader.Utf8()) : RecentMark.NoKey;
        _ = (bits & 8) != 0 ? reader.Utf8() : default;
        return new RecentMark(offset, number, topic, device, deployment);
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

    private static DateTimeOffset Instant(ref FormReader reader) =>
        reader.LongNumber() is >= 0 and <= 3155378975999999999 and var ticks
            ? new DateTimeOffset(ticks, TimeSpan.Zero)
            : throw new FormatException("A kept instant is outside the calendar.");

    private static void Write(FormWriter writer, DateTimeOffset at) => writer.Number(at.UtcTicks);

    private static void Write(FormWriter writer, DateTimeOffset? at)
    {
        if (at is { } known)
        {
            Write(writer, known);
        }
    }

    private static void Write(FormWriter writer, string? text)
    {
        if (text is not null)
        {
            writer.Text(text);
        }
    }

    private static void Write(FormWriter writer, int number)
    {
        if (number > 0)
        {
            writer.Number(number);
        }
    }
}
