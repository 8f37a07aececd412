using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using CsvHelper;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary>Rows under headings, printed as the person asked.</summary>
/// <param name="headings">With <c>#</c> before one of numbers, and <c>~</c> before one that goes first where there is no room.</param>
internal sealed class Sheet(params string[] headings)
{
    private readonly List<string[]> _rows = [];

    /// <summary>What is said below the table, such as what it is sorted by; null for nothing.</summary>
    public string? Foot { get; init; }

    public void Add(params string?[] cells) => _rows.Add([.. cells.Select(cell => cell ?? "")]);

    /// <summary>Prints as a table or CSV; for JSON the service's own answer is printed.</summary>
    public void Print<T>(string output, T answer, JsonTypeInfo<T> form, string whenEmpty)
    {
        switch (output)
        {
            case "json":
                Say.Json(answer, form);
                break;
            case "csv":
                using (var csv = CsvWriter.Create(Console.Out, new CsvWriterOptions { Injection = CsvInjection.Escape }, true))
                {
                    csv.WriteRecord([.. headings.Select(TableLayout.NameOf)]);
                    foreach (var row in _rows)
                    {
                        csv.WriteRecord(row);
                    }
                }

                break;
            default:
                PrintTable(whenEmpty);
                break;
        }
    }

    /// <summary>Prints as a table.</summary>
    public void PrintTable(string whenEmpty = "")
    {
        if (_rows.Count == 0)
        {
            if (whenEmpty.Length > 0)
            {
                Console.WriteLine(whenEmpty);
            }

            return;
        }

        TableText.Write(Say.Out, TableLayout.Of(headings, _rows, Say.Out.Profile.Width), _rows);
        if (Foot is not null)
        {
            Say.Line($"[dim]{Markup.Escape(Foot)}[/]");
        }
    }
}

/// <summary>Words and figures for people.</summary>
internal static class Say
{
    private static readonly Lazy<IAnsiConsole> Plain = new(() => AnsiConsole.Create(
        new AnsiConsoleSettings { Ansi = AnsiSupport.No, ColorSystem = ColorSystemSupport.NoColors, Out = new Output(() => 400) }));

    /// <summary>What the service last answered to a change, as it came; null for nothing yet.</summary>
    public static JsonElement? Answered { get; set; }

    /// <summary>So many characters of an identity: those of one second differ from the eleventh on.</summary>
    private const int IdentityShown = 16;

    private static bool _isJsonTold;
    private static bool _isHeld;

    /// <summary>
    /// The console; without a terminal it is wide enough that no line is broken. It has no colour there, nor where NO_COLOR or a plain terminal asks for none.
    /// </summary>
    public static IAnsiConsole Out => Console.IsOutputRedirected || _isHeld ? Plain.Value : Screen.Value;

    private static readonly Lazy<IAnsiConsole> Screen = new(() => AnsiConsole.Create(
        Environment.GetEnvironmentVariable("NO_COLOR") is { Length: > 0 } || Environment.GetEnvironmentVariable("TERM") is "dumb"
            ? new AnsiConsoleSettings { Ansi = AnsiSupport.No, ColorSystem = ColorSystemSupport.NoColors, Out = new Output(Terminal.Width) }
            : new AnsiConsoleSettings { Ansi = AnsiSupport.Yes, ColorSystem = ColorSystemSupport.Detect, Out = new Output(Terminal.Width) }));

    private static readonly (string State, string Glyph, string Colour)[] States =
    [
        ("met", "■", "green4"), ("working", "▸", "dodgerblue2"), ("restart", "⟳", "dodgerblue2"), ("ready", "·", "grey"), ("waiting", "·", "grey"),
        ("retry", "↻", "darkgoldenrod"),
        ("blocked", "#", "darkgoldenrod"), ("failed", "✗", "red3"), ("lost", "!", "red3"), ("contested", "≠", "red3"), ("unknown", "?", "grey"),
        ("undone", "↺", "purple"),
        ("not-needed", "□", "grey"), ("yielded", "-", "grey"), ("choice", "○", "grey"), ("left", " ", "grey"),
    ];

    /// <summary>A state with its shape and colour.</summary>
    public static string State(string state)
    {
        var found = Array.Find(States, each => each.State == state);
        return found.State is null ? Markup.Escape(state) : $"[{found.Colour}]{found.Glyph} {state}[/]";
    }

    /// <summary>What the signs of states mean, of those that were shown; nothing where there were none.</summary>
    public static void Legend(IEnumerable<IReadOnlyList<CountInfo>> shown)
    {
        var there = shown.SelectMany(states => states).Where(state => state.Count > 0).Select(state => state.Name).ToHashSet(StringComparer.Ordinal);
        var words = States.Where(each => there.Contains(each.State) && each.Glyph.Trim().Length > 0).GroupBy(each => (each.Glyph, each.Colour)).Select(
            alike => (alike.Key.Glyph, alike.Key.Colour, Word: string.Join(" or ", alike.Select(each => each.State)))).ToList();

        // A sign and its word stay in one line.
        var line = new List<string>();
        var room = 0;
        foreach (var (glyph, colour, word) in words)
        {
            var length = glyph.Length + word.Length + 4;
            if (room + length > Out.Profile.Width && line.Count > 0)
            {
                Line(string.Join("   ", line));
                (line, room) = ([], 0);
            }

            line.Add($"[{colour}]{glyph}[/] [dim]{word}[/]");
            room += length;
        }

        if (line.Count > 0)
        {
            Line(string.Join("   ", line));
        }
    }

    /// <summary>A wave as a row of cells, one for each device, or one for each equal share where there are more than fit; no failure is left out.</summary>
    public static string Cells(IReadOnlyList<CountInfo> states, int width)
    {
        var total = states.Sum(state => state.Count);
        var cells = new System.Text.StringBuilder();
        foreach (var (name, glyph, colour) in States)
        {
            var count = states.FirstOrDefault(state => state.Name == name)?.Count ?? 0;
            var shown = count == 0 ? 0 : total <= width ? count : Math.Max(1, (int)Math.Round(count * (double)width / total));
            if (shown > 0)
            {
                cells.Append(CultureInfo.InvariantCulture, $"[{colour}]{string.Concat(Enumerable.Repeat(glyph, shown))}[/]");
            }
        }

        return cells.ToString();
    }

    /// <summary>
    /// Holds back what is printed for people until it is let go. Where nothing was printed as JSON by then, it is told as
    /// <c>{"says": "…", "answer": {…}}</c>, with what the service answered to the change.
    /// </summary>
    public static IDisposable Hold() => new Held();

    /// <summary>What is printed as it comes, and is in the form that was asked for already.</summary>
    public static TextWriter Raw()
    {
        _isJsonTold = true;
        return new StreamWriter(Terminal.Out) { AutoFlush = true };
    }

    public static void Json<T>(T answer, JsonTypeInfo<T> form)
    {
        _isJsonTold = true;
        var options = new JsonWriterOptions { Indented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping };
        var stream = Terminal.Out;
        using (var writer = new Utf8JsonWriter(stream, options))
        {
            JsonSerializer.Serialize(writer, answer, form);
        }

        stream.WriteByte((byte)'\n');
    }

    /// <summary>A line with markup.</summary>
    public static void Line(string markup = "") => Out.MarkupLine(markup);

    /// <summary>A length of time in its two largest units.</summary>
    public static string Length(TimeSpan length)
    {
        length = length.Duration();
        return length.TotalDays >= 1 ? $"{(int)length.TotalDays} d{(length.Hours > 0 ? $" {length.Hours} h" : "")}"
            : length.TotalHours >= 1 ? $"{(int)length.TotalHours} h{(length.Minutes > 0 ? $" {length.Minutes} min" : "")}"
            : length.TotalMinutes >= 1 ? $"{(int)length.TotalMinutes} min"
            : $"{(int)length.TotalSeconds} s";
    }

    /// <summary>True where scripts read the output: then moments are RFC 3339 in UTC instead of words.</summary>
    public static bool IsForScripts { get; set; }

    /// <summary>How long ago a moment is, where there is no room for more; for scripts the moment itself.</summary>
    public static string Ago(DateTimeOffset? at)
    {
        if (IsForScripts || at is not { } moment)
        {
            return When(at);
        }

        Now.WasShown = true;
        return Now.Moment - moment < TimeSpan.FromSeconds(1) ? "now" : $"{Length(Now.Moment - moment)} ago";
    }

    /// <summary>A moment as both: how far away, and when in local time.</summary>
    public static string When(DateTimeOffset? at)
    {
        if (IsForScripts)
        {
            return at?.ToUniversalTime().ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture) ?? "";
        }

        if (at is not { } moment)
        {
            return "never";
        }

        var away = moment - Now.Moment;
        var clock = Moment(moment);
        return away.Duration() < TimeSpan.FromSeconds(1) ? $"now · {clock}"
            : away > TimeSpan.Zero ? $"in {Length(away)} · {clock}"
            : $"{Length(away)} ago · {clock}";
    }

    /// <summary>A moment by itself, in local time: for behind "until"; for scripts as <see cref="When"/> has it.</summary>
    public static string Moment(DateTimeOffset? at)
    {
        if (IsForScripts || at is not { } moment)
        {
            return When(at);
        }

        Now.WasShown = Now.TimeWasShown = true;
        var away = (moment - Now.Moment).Duration();
        return TimeZoneInfo.ConvertTime(moment, TimeZoneInfo.Local).ToString(
            away < TimeSpan.FromHours(20) ? "HH:mm" : away < TimeSpan.FromDays(6) ? "ddd HH:mm" : "yyyy-MM-dd", CultureInfo.InvariantCulture);
    }

    /// <summary>An identity, as much of it as tells it from others; for scripts all of it.</summary>
    public static string Identity(string id) => IsForScripts || id.Length <= IdentityShown ? id : id[..IdentityShown];

    /// <summary>A count, with the thousands set apart.</summary>
    public static string Number(long count) => count.ToString(IsForScripts ? "D" : "N0", CultureInfo.InvariantCulture);

    /// <summary>A size with its unit; for scripts in bytes.</summary>
    public static string Size(long bytes)
    {
        if (IsForScripts)
        {
            return bytes.ToString(CultureInfo.InvariantCulture);
        }

        string[] units = ["B", "KiB", "MiB", "GiB", "TiB"];
        double amount = bytes;
        var unit = 0;
        while (amount >= 1024 && unit < units.Length - 1)
        {
            amount /= 1024;
            unit++;
        }

        return string.Create(CultureInfo.InvariantCulture, $"{amount:0.#} {units[unit]}");
    }

    /// <summary>A share with its count; a share of nothing is said so.</summary>
    public static string Share(int part, int whole) =>
        whole == 0 ? "none" : string.Create(CultureInfo.InvariantCulture, $"{Percent(part, whole)} · {part} of {whole}");

    /// <summary>A share of something that is not nothing, rounded down.</summary>
    public static string Percent(int part, int whole) => string.Create(CultureInfo.InvariantCulture, $"{Math.Floor(1000.0 * part / whole) / 10:0.#} %");

    public static string Devices(int count) => count == 1 ? "1 device" : string.Create(CultureInfo.InvariantCulture, $"{count} devices");

    private sealed class Held : IDisposable
    {
        private readonly TextWriter _before = Console.Out;
        private readonly StringWriter _told = new();

        public Held()
        {
            Console.SetOut(_told);
            _isHeld = true;
        }

        public void Dispose()
        {
            Console.SetOut(_before);
            _isHeld = false;
            if (!_isJsonTold && _told.ToString().Trim() is { Length: > 0 } says)
            {
                Json(new SaidInfo(says.ReplaceLineEndings("\n"), Answered), ContractJson.Default.SaidInfo);
            }
        }
    }

    private sealed class Output(Func<int> width) : IAnsiConsoleOutput
    {
        public TextWriter Writer => Console.Out;

        public bool IsTerminal => false;

        public int Width => width();

        public int Height => 100;

        public void SetEncoding(System.Text.Encoding encoding)
        {
            // It is UTF-8 already.
        }
    }
}

/// <summary>Prints what is wrong, each thing with its place.</summary>
internal static class Findings
{
    public static void Print(RefusedException refused)
    {
        if (refused.Problem is { Detail: { } detail, Findings: [var only] } && only.Message.StartsWith(detail, StringComparison.Ordinal))
        {
            // It says all of it, and where.
            Console.Error.WriteLine($"{Place(only)}{only.Message}");
            return;
        }

        Console.Error.WriteLine(refused.Problem.Detail);
        foreach (var finding in refused.Problem.Findings ?? [])
        {
            if (finding.Message != refused.Problem.Detail || finding.Column > 0)
            {
                Console.Error.WriteLine($"  {Place(finding)}{finding.Message}");
            }
        }
    }

    /// <summary>Prints findings in a text, with a caret under what is meant.</summary>
    public static void Print(IEnumerable<FindingInfo> findings, string? text, string? file)
    {
        var lines = text?.Split('\n');
        foreach (var finding in findings)
        {
            var place = finding.Line > 0 ? string.Create(CultureInfo.InvariantCulture, $"{file}:{finding.Line}:{finding.Column}: ")
                : finding.Where is null ? ""
                : finding.Where + ": ";
            Console.Error.WriteLine($"{place}{(finding.IsWarning ? "warning: " : "")}{finding.Message}");
            if (lines is not null && finding.Line > 0 && finding.Line <= lines.Length)
            {
                var line = lines[finding.Line - 1].TrimEnd('\r').Replace('\t', ' ');
                Console.Error.WriteLine($"    {line}");
                Console.Error.WriteLine(
                    $"    {new string(' ', Math.Max(0, finding.Column - 1))}"
                        + $"{new string('^', Math.Max(1, Math.Min(finding.Length, Math.Max(1, line.Length - finding.Column + 1))))}");
            }
        }
    }

    private static string Place(FindingInfo finding) => finding.Where is null
        ? finding.Column > 0 ? string.Create(CultureInfo.InvariantCulture, $"line {finding.Line}, column {finding.Column}: ") : ""
        : finding.Column > 0 ? string.Create(CultureInfo.InvariantCulture, $"{finding.Where}, column {finding.Column}: ") : $"{finding.Where}: ";
}
