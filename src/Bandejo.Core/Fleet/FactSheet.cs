using System.Text;

namespace Bandejo.Core.Fleet;

/// <summary>A fact as a device reported it.</summary>
/// <param name="Name">The number of its name in the <see cref="WordBook"/>.</param>
/// <param name="Value">The value as it travels.</param>
/// <param name="Since">When it was first reported so; whole milliseconds.</param>
public readonly record struct ReportedFact(int Name, string Value, DateTimeOffset Since);

/// <summary>A program as a device reported it, each part by its number in the <see cref="WordBook"/>.</summary>
public readonly record struct ReportedProgram(int Name, int Version, int Source);

/// <summary>
/// What a device last said of itself, in a few hundred bytes. The form, all numbers in the variable length of LEB128: the count of facts; for each the number
/// of
/// its name, the length of its value in UTF-8, the value, and the milliseconds since 1970 less those of the fact before, zigzag-coded; then 0 where the list
/// of programs is not known, or one more than their count; for each the numbers of its name, its version and its source.
/// </summary>
public sealed class FactSheet
{
    private readonly byte[] _form;

    private FactSheet(byte[] form) => _form = form;

    /// <summary>Nothing said yet.</summary>
    public static FactSheet Empty { get; } = new([0, 0]);

    /// <summary>The form in which it is kept.</summary>
    public ReadOnlyMemory<byte> Form => _form;

    /// <summary>Writes a sheet.</summary>
    /// <param name="programs">Null where no complete list is known.</param>
    public static FactSheet Of(IReadOnlyCollection<ReportedFact> facts, IReadOnlyCollection<ReportedProgram>? programs)
    {
        using var form = new MemoryStream(512);
        Write(form, facts.Count);
        var before = 0L;
        foreach (var fact in facts)
        {
            Write(form, fact.Name);
            var value = Encoding.UTF8.GetBytes(fact.Value);
            Write(form, value.Length);
            form.Write(value);
            var since = fact.Since.ToUnixTimeMilliseconds();
            var step = since - before;
            Write(form, (step << 1) ^ (step >> 63));
            before = since;
        }

        Write(form, programs is null ? 0 : programs.Count + 1);
        foreach (var program in programs ?? [])
        {
            Write(form, program.Name);
            Write(form, program.Version);
            Write(form, program.Source);
        }

        return new FactSheet(form.ToArray());
    }

    /// <summary>A sheet from the form in which it was kept.</summary>
    public static FactSheet Kept(byte[] form) => new(form);

    /// <summary>Its facts, in the order in which they were written.</summary>
    /// <exception cref="FormatException">The form is not that of a sheet.</exception>
    public IReadOnlyList<ReportedFact> Facts()
    {
        var walk = Walk();
        var facts = new List<ReportedFact>(walk.Left);
        while (walk.MoveNext())
        {
            facts.Add(new ReportedFact(walk.Name, Encoding.UTF8.GetString(walk.Value), walk.Since));
        }

        return facts;
    }

    /// <summary>Its facts one by one where they lie, for whoever looks at those of very many devices.</summary>
    /// <exception cref="FormatException">The form is not that of a sheet.</exception>
    public FactWalk Walk() => new(_form);

    /// <summary>Its programs; null where no complete list is known.</summary>
    /// <exception cref="FormatException">The form is not that of a sheet.</exception>
    public IReadOnlyList<ReportedProgram>? Programs()
    {
        var walk = Walk();
        while (walk.MoveNext())
        {
        }

        var rest = walk.Rest;
        var count = rest.Count() - 1;
        if (count < 0)
        {
            return null;
        }

        var programs = new ReportedProgram[count];
        for (var i = 0; i < count; i++)
        {
            programs[i] = new ReportedProgram((int)rest.Number(), (int)rest.Number(), (int)rest.Number());
        }

        return programs;
    }

    /// <summary>Marks the numbers of all words that it uses.</summary>
    /// <exception cref="FormatException">The form is not that of a sheet, or a number is past the end of the book.</exception>
    internal void Mark(bool[] said)
    {
        var walk = Walk();
        while (walk.MoveNext())
        {
            Say(walk.Name);
        }

        var rest = walk.Rest;
        for (var left = 3 * (rest.Count() - 1); left > 0; left--)
        {
            Say(rest.Number());
        }

        void Say(long number) => said[number >= 0 && number < said.Length ? number : throw new FormatException($"Word {number} is not in the book.")] = true;
    }

    private static void Write(MemoryStream form, long number)
    {
        var rest = (ulong)number;
        while (rest >= 0x80)
        {
            form.WriteByte((byte)(rest | 0x80));
            rest >>= 7;
        }

        form.WriteByte((byte)rest);
    }
}

/// <summary>Goes over the facts of a sheet without making anything. See <see cref="FactSheet"/> for the form.</summary>
public ref struct FactWalk
{
    private SheetBytes _bytes;
    private long _since;

    internal FactWalk(ReadOnlySpan<byte> form)
    {
        _bytes = new SheetBytes(form);
        Left = _bytes.Count();
    }

    /// <summary>How many are still to come.</summary>
    public int Left { get; private set; }

    /// <summary>The number of its name in the <see cref="WordBook"/>.</summary>
    public int Name { get; private set; }

    /// <summary>The value as it travels, in UTF-8.</summary>
    public ReadOnlySpan<byte> Value { get; private set; }

    /// <summary>When it was first reported so; whole milliseconds.</summary>
    public readonly DateTimeOffset Since => DateTimeOffset.FromUnixTimeMilliseconds(_since);

    /// <summary>What comes after the facts, once all were walked over.</summary>
    internal readonly SheetBytes Rest => _bytes;

    /// <summary>Goes to the next; false after the last.</summary>
    /// <exception cref="FormatException">The form is not that of a sheet.</exception>
    public bool MoveNext()
    {
        if (Left == 0)
        {
            return false;
        }

        Left--;
        Name = (int)_bytes.Number();
        Value = _bytes.Text();
        var step = _bytes.Number();
        _since += (step >> 1) ^ -(step & 1);
        return true;
    }
}

/// <summary>Reads numbers and texts from the form of a sheet.</summary>
internal ref struct SheetBytes(ReadOnlySpan<byte> form)
{
    private readonly ReadOnlySpan<byte> _form = form;
    private int _at;

    public long Number()
    {
        ulong number = 0;
        for (var shift = 0; _at < _form.Length && shift < 64; shift += 7)
        {
            var each = _form[_at++];
            number |= (ulong)(each & 0x7f) << shift;
            if (each < 0x80)
            {
                return (long)number;
            }
        }

        throw Broken();
    }

    // What follows takes a byte at least for each that is counted, so that a wrong count cannot ask for more room than there are bytes.
    public int Count() => Number() is >= 0 and var count && count <= _form.Length ? (int)count : throw Broken();

    public ReadOnlySpan<byte> Text()
    {
        var length = Number();
        if (length < 0 || length > _form.Length - _at)
        {
            throw Broken();
        }

        _at += (int)length;
        return _form.Slice(_at - (int)length, (int)length);
    }

    private static FormatException Broken() => new("What is kept of a device's facts is cut short.");
}
