namespace Bandejo.Cli;

/// <summary>A column of a table as it is printed.</summary>
/// <param name="At">Its place in the rows.</param>
/// <param name="Wraps">Whether its text goes over several lines.</param>
internal sealed record TableColumnPlan(int At, string Heading, bool IsNumber, bool Wraps, int Width, Func<string, string> Cell);

/// <summary>
/// Fits a table into the width of a terminal. Columns in which nothing stands go. Where there is no room, moments lose their clock, texts go over several
/// lines, names lose their middle, and columns that are only of use beside others go, in this order; figures, states and moments are never broken.
/// </summary>
internal static class TableLayout
{
    private const int Gap = 2;
    private const int LeastOfText = 26;
    private const int LeastOfName = 14;

    /// <summary>Between how far away a moment is and its clock.</summary>
    private const string Clock = " · ";

    private static readonly HashSet<string> Texts = [
        "Why", "What", "Rule", "Waves", "What it does", "Command", "Reason", "Value", "Apps", "Roles", "For", "May", "Can be let go", "Result", "Before",
        "After", "Says", "Such as"];

    private static readonly HashSet<string> Names = [
        "Device", "Deployment", "Group", "Package", "App", "Plan", "Handling", "Calendar", "Groups", "Account", "Name", "Publisher", "Newest package",
        "In the field", "File", "Wave"];

    /// <summary>A heading as people read it.</summary>
    public static string NameOf(string heading) => heading.TrimStart('#', '~');

    /// <summary>The columns with their widths.</summary>
    public static IReadOnlyList<TableColumnPlan> Of(IReadOnlyList<string> headings, IReadOnlyList<string[]> rows, int width)
    {
        var shown = Enumerable.Range(0, headings.Count).Where(at => rows.Any(row => row[at].Length > 0)).ToList();
        var isShort = false;
        var widths = Natural();
        if (Total() > width)
        {
            isShort = true;
            widths = Natural();
        }

        Shrink(Texts, LeastOfText);
        Shrink(Names, LeastOfName);
        while (Total() > width && shown.FindLastIndex(at => headings[at].Contains('~', StringComparison.Ordinal)) is var last and >= 0)
        {
            shown.RemoveAt(last);
            widths = Natural();
            Shrink(Texts, LeastOfText);
            Shrink(Names, LeastOfName);
        }

        Shrink(Texts, LeastOfName);
        return [.. shown.Select(at => new TableColumnPlan(
            at, NameOf(headings[at]), headings[at].Contains('#', StringComparison.Ordinal), Texts.Contains(NameOf(headings[at])), widths[at], Form(at)))];

        Dictionary<int, int> Natural() => shown.ToDictionary(at => at, at => Math.Max(NameOf(headings[at]).Length, rows.Max(row => LengthOf(at, row[at]))));

        int LengthOf(int at, string cell) => Short(cell).Length + (NameOf(headings[at]) == "State" ? 2 : 0);

        int Total() => shown.Sum(at => widths[at] + Gap);

        string Short(string cell) => isShort && cell.IndexOf(Clock, StringComparison.Ordinal) is var cut and > 0 && IsMoment(cell) ? cell[..cut] : cell;

        Func<string, string> Form(int at) => Names.Contains(NameOf(headings[at])) ? cell => Shortened(Short(cell), widths[at]) : Short;

        // The widest gives first, until it is as narrow as the next.
        void Shrink(HashSet<string> which, int least)
        {
            var those = shown.Where(at => which.Contains(NameOf(headings[at])) && widths[at] > least).ToList();
            while (Total() > width && those.Count > 0)
            {
                var widest = those.MaxBy(at => widths[at]);
                widths[widest]--;
                those.RemoveAll(at => widths[at] <= least);
            }
        }
    }

    /// <summary>A text that is too long for its place, without its middle.</summary>
    /// <param name="most">So many characters at most.</param>
    private static string Shortened(string text, int most) =>
        text.Length <= most || most < 3 ? text : $"{text[..((most - 1) / 2)]}…{text[^(most - 1 - ((most - 1) / 2))..]}";

    private static bool IsMoment(string cell) =>
        cell.Contains(" ago" + Clock, StringComparison.Ordinal) || cell.StartsWith("in ", StringComparison.Ordinal)
            || cell.StartsWith("now" + Clock, StringComparison.Ordinal);
}
