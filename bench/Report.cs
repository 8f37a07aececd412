using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;

namespace Bandejo.Bench;

/// <summary>One line of the table.</summary>
/// <param name="Work">What was done.</param>
/// <param name="Limit">What it is compared with, and its figure; empty where there is nothing.</param>
/// <param name="Ours">Our figure.</param>
/// <param name="Ratio">Ours against the limit; null where there is nothing to compare with.</param>
/// <param name="Asked">What is asked.</param>
/// <param name="Holds">Whether it is so; null where nothing is asked.</param>
/// <param name="At">The day on which it was measured, limit and ours in one run.</param>
internal sealed record Line(string Work, string Limit, string Ours, double? Ratio, string Asked, bool? Holds, string At);

/// <summary>Collects what was measured and writes it as JSON and as a table.</summary>
internal sealed class Report
{
    private static readonly JsonSerializerOptions Form = new() { WriteIndented = true, PropertyNamingPolicy = JsonNamingPolicy.CamelCase };

    private readonly List<Line> _lines = [];
    private readonly string _day = TimeProvider.System.GetUtcNow().ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    public void Add(string work, string limit, string ours, double? ratio = null, string asked = "", bool? holds = null)
    {
        var line = new Line(work, limit, ours, ratio is { } number ? Math.Round(number, 3) : null, asked, holds, _day);
        _lines.Add(line);
        Console.WriteLine(
            $"{(holds is null ? " " : holds.Value ? "+" : "!")} {work}: {ours}{(limit.Length > 0 ? $" against {limit}" : "")}"
                + $"{(ratio is null ? "" : string.Create(CultureInfo.InvariantCulture, $", ratio {ratio:0.00}"))}"
                    + $"{(asked.Length > 0 ? $" (asked: {asked})" : "")}");
    }

    public static double Median(IEnumerable<double> numbers)
    {
        var sorted = numbers.Order().ToList();
        return sorted[sorted.Count / 2];
    }

    public static double Percentile(IEnumerable<double> numbers, double share)
    {
        var sorted = numbers.Order().ToList();
        return sorted[Math.Min(sorted.Count - 1, (int)(share * sorted.Count))];
    }

    /// <summary>Writes what was measured; where it was a part, in the place of the same lines of an earlier run.</summary>
    public void Write(string folder, bool isPart = false)
    {
        var file = Path.Combine(folder, "results.json");
        var earlier = isPart && File.Exists(file) ? JsonSerializer.Deserialize<Kept>(File.ReadAllText(file), Form)!.Lines : [];
        var known = earlier.Select(line => line.Work).ToHashSet(StringComparer.Ordinal);
        var lines = earlier.Select(line => _lines.LastOrDefault(each => each.Work == line.Work) ?? line)
            .Concat(_lines.Where(line => !known.Contains(line.Work))).ToList();
        var machine = $"{Environment.ProcessorCount} cores, {RuntimeInformation.OSDescription}, .NET {Environment.Version}";
        File.WriteAllText(file, JsonSerializer.Serialize(new Kept(machine, lines), Form) + "\n");
        var text = new StringBuilder(
            $"# Results\n\n{machine}. How to read and repeat this: [README.md](README.md).\n\n| work | limit | ours | ratio | asked | | measured "
                + $"|\n|---|---|---|---|---|---|---|\n");
        foreach (var line in lines)
        {
            text.Append(
                CultureInfo.InvariantCulture,
                $"| {line.Work} | {line.Limit} | {line.Ours} | {(line.Ratio is { } ratio ? ratio.ToString("0.00", CultureInfo.InvariantCulture) : "")} | "
                    + $"{line.Asked} | {(line.Holds is null ? "" : line.Holds.Value ? "holds" : "**does not hold**")} | {line.At} |\n");
        }

        File.WriteAllText(Path.Combine(folder, "results.md"), text.ToString());
    }

    private sealed record Kept(string Machine, IReadOnlyList<Line> Lines);
}
