using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Store.Earlier;

/// <summary>
/// The form in which records that there are very many of were kept before migration 14: numbers and texts as <see cref="BinaryWriter"/> writes them; instants
/// as ticks of UTC; what may be missing after a number whose bits say what is there.
/// </summary>
internal static class EarlierForm
{
    private const int MostArguments = 10_000;
    private const int DeepestReason = 4;

    /// <exception cref="FormatException">The form is not that of a target.</exception>
    /// <exception cref="IOException">It is cut short.</exception>
    public static Target ReadTarget(ref EarlierReader reader, TextPool texts)
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

    private static Reason ReadReason(string code, ref EarlierReader reader, TextPool texts, int depth = 0)
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

    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static AttemptRecord ReadAttempt(ref EarlierReader reader, TextPool? texts = null)
    {
        var (id, deployment, device, kind, version) = (reader.Text(texts), reader.Text(texts), reader.Text(texts), reader.Text(texts), reader.Text(texts));
        var (started, phase, message, bits) = (Instant(ref reader), reader.Text(texts), reader.Text(texts), reader.Number());
        return new AttemptRecord(
            id, deployment, device, kind, version, started, (bits & 1) != 0 ? Instant(ref reader) : null, (bits & 2) != 0 ? reader.Text(texts) : null, phase,
            (bits & 4) != 0 ? reader.Fixed() : null, message, (bits & 8) != 0);
    }

    /// <inheritdoc cref="ReadTarget" path="/exception"/>
    public static EventRecord ReadEvent(ref EarlierReader reader, TextPool? texts = null)
    {
        var (number, at, topic, what, text, bits) = (
            reader.LongNumber(), Instant(ref reader), reader.Text(texts), reader.Text(texts), reader.Text(texts), reader.Number());
        var by = (bits & 1) != 0 ? reader.Text(texts) : null;
        var deployment = (bits & 2) != 0 ? reader.Text(texts) : null;
        var device = (bits & 4) != 0 ? reader.Text(texts) : null;
        var reason = (bits & 8) != 0 ? reader.Text(texts) : null;
        return new EventRecord(number, at, topic, what, by, deployment, device, text, reason);
    }

    private static DateTimeOffset Instant(ref EarlierReader reader) =>
        reader.LongNumber() is >= 0 and <= 3155378975999999999 and var ticks
            ? new DateTimeOffset(ticks, TimeSpan.Zero)
            : throw new FormatException("A kept instant is outside the calendar.");
}
