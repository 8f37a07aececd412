using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Google.Protobuf;

namespace Bandejo.Store.Past;

/// <summary>Keeps what devices said of themselves, and how many there were of each kind and with each version of a program.</summary>
internal sealed class PastDevices(Statements statements)
{
    /// <summary>The fact whose values the size of the fleet is told by.</summary>
    private const string KindFact = "kind";

    /// <summary>After how many rows one says all again.</summary>
    private const int Most = 32;

    private readonly PastRows _rows = new(statements, "device_past", "device", Most);
    private readonly DayCounts _days = new(statements);
    private readonly Dictionary<int, SaidWord> _words = [];
    private readonly Dictionary<string, long> _said = new(StringComparer.Ordinal);
    private readonly Dictionary<long, Step> _changed = [];

    /// <summary>Notes that something is kept of a device, before it is written.</summary>
    /// <param name="number">Of the device.</param>
    /// <param name="after">What is kept of it from now on.</param>
    public void Changed(long number, DeviceRecord after) =>
        _changed[number] = (_changed.TryGetValue(number, out var step) ? step : Now(number, after.Id)) with { After = after };

    /// <summary>Notes that a device goes, before it is taken away.</summary>
    public void Removed(LogMoment moment, long number, string id)
    {
        var was = _changed.TryGetValue(number, out var step) ? step : Now(number, id);
        _changed[number] = was with { After = null };
        statements.Run(
            "INSERT INTO device_gone VALUES ($1, $2, $3) ON CONFLICT (device) DO NOTHING", number, moment.Number, step.After?.Name ?? was.Name);
    }

    /// <summary>What a number of the book means may be another from now on.</summary>
    public void ForgetWord(int number) => _words.Remove(number);

    /// <summary>Writes what changed. The words that devices use must have been written.</summary>
    public void Flush(LogMoment moment)
    {
        foreach (var (number, (name, before, after)) in _changed)
        {
            var isSame = before is not null && after is not null && before.Form.Span.SequenceEqual(after.Sheet.Form.Span);
            if (isSame && name == after!.Name)
            {
                continue;
            }

            var (had, has) = (Sheet.Of(before), Sheet.Of(after?.Sheet));
            CountDays(had, before is not null, has, after is not null);
            if (after is not null)
            {
                var isAll = before is null || _rows.WantsAll(number);
                _rows.Add(moment, number, isAll, (isAll ? Form("", Sheet.Empty, after, has, isAll) : Form(name, had, after, has, isAll)).ToByteArray());
            }
        }

        _changed.Clear();
        _days.Flush(moment.At);
    }

    private Step Now(long number, string id)
    {
        var (name, sheet) = statements.First("SELECT name, sheet FROM device WHERE id = $1", row => (row.Text(0), row.Bytes(1)), id);
        return new Step(name ?? "", sheet is null ? null : FactSheet.Kept(sheet), null);
    }

    private SaidDevice Form(string name, Sheet before, DeviceRecord after, Sheet now, bool isAll)
    {
        var had = before.Facts.ToDictionary(fact => fact.Name);
        var form = new SaidDevice { Name = after.Name == name ? "" : after.Name, Joined = isAll ? after.Joined.ToUnixTimeMilliseconds() : 0 };
        foreach (var fact in now.Facts)
        {
            if (!had.Remove(fact.Name, out var known) || known != fact)
            {
                form.Facts.Add(new SaidFact { Name = Said(fact.Name), Value = fact.Value, Since = fact.Since.ToUnixTimeMilliseconds() });
            }
        }

        form.FactsGone.Add(had.Keys.Order().Select(Said));
        form.IsInventoryComplete = now.Programs is not null;
        var (listed, list) = (before.Programs ?? [], now.Programs ?? []);
        form.Programs.Add(list.Except(listed).Select(Form));
        form.ProgramsGone.Add(listed.Except(list).Select(Form));
        return form;
    }

    private SaidProgram Form(ReportedProgram program) => new() { Name = Said(program.Name), Version = Said(program.Version), Source = Said(program.Source) };

    private void CountDays(Sheet before, bool was, Sheet after, bool isThere)
    {
        Fleet(before, was, -1);
        Fleet(after, isThere, 1);
        var (had, has) = (before.Programs ?? [], after.Programs ?? []);
        Programs(had.Except(has), -1);
        Programs(has.Except(had), 1);

        void Fleet(Sheet sheet, bool counts, int by)
        {
            if (counts)
            {
                var kind = sheet.Facts.Where(fact => Word(fact.Name).Text == KindFact).Select(fact => fact.Value).FirstOrDefault("");
                _days.Add(DayCounts.Fleet, kind, by);
            }
        }

        void Programs(IEnumerable<ReportedProgram> programs, int by)
        {
            foreach (var (name, version, _) in programs)
            {
                _days.Add(DayCounts.OfProgram(Word(name).Text), Word(version).Text, by);
            }
        }
    }

    private uint Said(int number) => (uint)Word(number).Number;

    private SaidWord Word(int number)
    {
        if (!_words.TryGetValue(number, out var word))
        {
            var text = statements.First("SELECT text FROM word WHERE number = $1", row => row.Text(0), (long)number) ?? "";
            _words[number] = word = new SaidWord(text, NumberOf(text));
        }

        return word;
    }

    private long NumberOf(string text)
    {
        if (!_said.TryGetValue(text, out var number))
        {
            number = statements.First("SELECT number FROM said_word WHERE text = $1", row => row.Number(0), text);
            _said[text] = number = number != 0 ? number : statements.First(
                "INSERT INTO said_word (number, text) SELECT coalesce(max(number), 0) + 1, $1 FROM said_word RETURNING number", row => row.Number(0), text);
        }

        return number;
    }

    /// <summary>What a device said, and what it says now.</summary>
    /// <param name="Before">Null where it was not there.</param>
    /// <param name="After">Null where it is gone.</param>
    private readonly record struct Step(string Name, FactSheet? Before, DeviceRecord? After);

    /// <summary>What stands in a sheet; nothing where it cannot be read, which whoever goes by it says.</summary>
    private readonly record struct Sheet(IReadOnlyList<ReportedFact> Facts, IReadOnlyList<ReportedProgram>? Programs)
    {
        public static Sheet Empty { get; } = new([], null);

        public static Sheet Of(FactSheet? sheet)
        {
            try
            {
                return sheet is null ? Empty : new Sheet(sheet.Facts(), sheet.Programs());
            }
            catch (FormatException)
            {
                return Empty;
            }
        }
    }

    private readonly record struct SaidWord(string Text, long Number);
}
