using System.Text;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace Bandejo.Cli;

/// <summary>
/// Writes rows as lines of text, each column as wide as it was planned. A table of all devices has as many lines as the fleet, so it goes out in large pieces
/// and nothing is measured twice.
/// </summary>
internal static class TableText
{
    private const int Gap = 2;
    private const int CharactersOfAPiece = 1 << 16;

    /// <summary>Writes headings and rows to a console.</summary>
    public static void Write(IAnsiConsole console, IReadOnlyList<TableColumnPlan> columns, IEnumerable<string[]> rows)
    {
        // What has signs and colours comes in few kinds, each of which is drawn once.
        var drawn = new Dictionary<string, (string Text, int Width)>(StringComparer.Ordinal);
        var text = new StringBuilder();
        Line([.. columns.Select(column => Drawn($"[dim]{Markup.Escape(column.Heading)}[/]", column.Heading))]);
        foreach (var row in rows)
        {
            Row(row);
            if (text.Length > CharactersOfAPiece)
            {
                console.Profile.Out.Writer.Write(text);
                text.Clear();
            }
        }

        console.Profile.Out.Writer.Write(text);

        void Row(string[] row)
        {
            var cells = new IReadOnlyList<string>[columns.Count];
            var lines = 1;
            for (var at = 0; at < columns.Count; at++)
            {
                var cell = columns[at].Cell(row[columns[at].At]);
                cells[at] = Wrapped(cell, columns[at].Wraps ? columns[at].Width : int.MaxValue);
                lines = Math.Max(lines, cells[at].Count);
            }

            for (var line = 0; line < lines; line++)
            {
                Line([.. columns.Select((column, at) => line >= cells[at].Count ? ("", 0)
                    : column.Heading == "State" ? Drawn(Say.State(cells[at][line]), null)
                    : (cells[at][line], WidthOf(cells[at][line])))]);
            }
        }

        (string Text, int Width) Drawn(string markup, string? plain)
        {
            if (!drawn.TryGetValue(markup, out var made))
            {
                // Drawn on a line of its own, however narrow the terminal is.
                made = (console.ToAnsi(new Markup(markup)), WidthOf(plain ?? Markup.Remove(markup)));
                drawn.Add(markup, made);
            }

            return made;
        }

        void Line(ReadOnlySpan<(string Text, int Width)> cells)
        {
            var pending = 0;
            for (var at = 0; at < cells.Length; at++)
            {
                var (cell, width) = cells[at];
                var free = Math.Max(0, columns[at].Width - width);
                if (width > 0)
                {
                    // Blanks only before something: no line ends in them.
                    text.Append(' ', pending + (columns[at].IsNumber ? free : 0)).Append(cell);
                    pending = (columns[at].IsNumber ? 0 : free) + Gap;
                }
                else
                {
                    pending += columns[at].Width + Gap;
                }
            }

            text.Append('\n');
        }
    }

    /// <summary>A text in lines of so many characters at most, broken between words where that is possible.</summary>
    private static IReadOnlyList<string> Wrapped(string text, int width)
    {
        if (text.Length <= width && !text.Contains('\n', StringComparison.Ordinal))
        {
            return [text];
        }

        var lines = new List<string>();
        foreach (var part in text.Split('\n'))
        {
            var line = new StringBuilder();
            foreach (var word in part.Split(' '))
            {
                var left = word;
                if (line.Length > 0 && line.Length + 1 + left.Length > width)
                {
                    lines.Add(line.ToString());
                    line.Clear();
                }
                else if (line.Length > 0)
                {
                    line.Append(' ');
                }

                for (; left.Length > width; left = left[width..])
                {
                    lines.Add(left[..width]);
                }

                line.Append(left);
            }

            lines.Add(line.ToString());
        }

        return lines;
    }

    /// <summary>How many places of a terminal it takes: some scripts take two for a character, some signs none.</summary>
    private static int WidthOf(string text) => Ascii.IsValid(text) ? text.Length : new Segment(text).CellCount();
}
