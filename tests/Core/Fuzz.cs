using System.Diagnostics;
using System.Text;
using Bandejo.Core.Deployments;
using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Tests.Installers;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Tests;

/// <summary>
/// What comes in, made up at random: files for every reader, rules, gates and manifests. Each call tries one; what it throws is a fault of ours. Time and
/// memory are watched.
/// </summary>
public static class Fuzz
{
    /// <summary>What one try may ask of memory, freed things included, in bytes; and how long it may take, far above what a budget allows.</summary>
    private const long MostAllocated = 900L << 20;

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(30);

    private static readonly string[] Words =
    [
        "and", "or", "not", "is", "in", "like", "present", "absent", "known", "(", ")", ",", "\"", "'", "\"desk\"", "app", "app \"foldline\"", "memory", "kind",
        "label.floor", "disk.free", "4", "GiB", "3d", ">=", "<", "=", "!=", "7.2", "yes", "no",
        "\\", "ü", "\n", "\t", "\u0000", "\u202E", "१२", "99999999999999999999", "2026-13-45", "*", "?", "..", "group", "% met", "met for", "harm reports",
        "clean", "then approval", "failed of at least", "never", "everyone else", "devices", ";",
    ];

    /// <summary>Everything there is, by name.</summary>
    public static IReadOnlyDictionary<string, Action<Random>> All { get; } = new Dictionary<string, Action<Random>>
    {
        ["readers"] = Reader, ["rules"] = ARule, ["gates and picks"] = AGate, ["manifests"] = AManifest, ["versions"] = AVersion,
    };

    /// <summary>One try, watched.</summary>
    /// <exception cref="InvalidOperationException">It took too long, or too much memory.</exception>
    public static void Try(string what, int seed)
    {
        var (began, before) = (Stopwatch.GetTimestamp(), GC.GetAllocatedBytesForCurrentThread());
        All[what](new Random(seed));
        var (took, asked) = (Stopwatch.GetElapsedTime(began), GC.GetAllocatedBytesForCurrentThread() - before);
        if (took > Longest || asked > MostAllocated)
        {
            throw new InvalidOperationException($"{what}, seed {seed}: {took.TotalSeconds:0.0} s and {asked >> 20} MiB.");
        }
    }

    private static void Reader(Random random)
    {
        var kinds = Samples.All.Keys.ToList();
        var name = kinds[random.Next(kinds.Count)];
        var bytes = Samples.All[name].ToArray();
        for (var changes = random.Next(1, 30); changes > 0 && bytes.Length > 0; changes--)
        {
            var at = random.Next(3) switch
            {
                0 => random.Next(Math.Min(1024, bytes.Length)), 1 => bytes.Length - 1 - random.Next(Math.Min(512, bytes.Length)),
                _ => random.Next(bytes.Length),
            };
            switch (random.Next(8))
            {
                case 0:
                    bytes = bytes[..at];
                    break;
                case 1:
                    var length = random.Next(Math.Min(4096, bytes.Length - at + 1));
                    bytes = [.. bytes[..at], .. bytes.AsSpan(at, length), .. bytes[at..]];
                    break;
                case 2:
                    var other = Samples.All[kinds[random.Next(kinds.Count)]];
                    bytes = [.. bytes[..at], .. other.AsSpan(random.Next(other.Length))];
                    break;
                case 3 when at + 4 <= bytes.Length:
                    BitConverter.TryWriteBytes(
                        bytes.AsSpan(at), random.Next(4) switch { 0 => uint.MaxValue, 1 => 0x7FFFFFFFu, 2 => (uint)bytes.Length, _ => (uint)random.Next() });
                    break;
                default:
                    bytes[at] = random.Next(4) switch { 0 => 0xFF, 1 => 0, 2 => 0x80, _ => (byte)random.Next(256) };
                    break;
            }
        }

        var found = Inspector.Inspect(new MemoryStream(bytes), name, HintCatalog.Own, null, new ReadingBudget(TimeProvider.System));
        _ = ManifestDraft.Write([found]);
    }

    private static void ARule(Random random)
    {
        var read = Rule.Parse(Text(random, 30));
        if (read.Ok && Rule.Parse(read.Value.ToString()) is { Ok: false } again)
        {
            throw new InvalidOperationException($"'{read.Value}' does not read back: {again.Failure!.Message}");
        }
    }

    private static void AGate(Random random)
    {
        var text = Text(random, 8);
        if (Gate.Parse(text) is { Ok: true } gate && (Gate.Parse(gate.Value.ToString()) is not { Ok: true } same || same.Value != gate.Value))
        {
            throw new InvalidOperationException($"'{gate.Value}' does not read back as it was.");
        }

        if (HaltRule.Parse(text) is { Ok: true } halt
            && (HaltRule.Parse(halt.Value.ToString()) is not { Ok: true } again || again.Value.ToString() != halt.Value.ToString()))
        {
            throw new InvalidOperationException($"'{halt.Value}' does not read back as it was.");
        }

        _ = Pick.Parse(text);
        _ = Units.TryParseDuration(text, out _);
        _ = Units.TryParseSize(text, out _);
    }

    private static void AManifest(Random random)
    {
        var lines = Samples.Manifest.Split('\n').ToList();
        for (var changes = random.Next(1, 8); changes > 0 && lines.Count > 0; changes--)
        {
            var at = random.Next(lines.Count);
            switch (random.Next(6))
            {
                case 0:
                    lines.RemoveAt(at);
                    break;
                case 1:
                    lines.Insert(at, lines[random.Next(lines.Count)]);
                    break;
                case 2:
                    lines[at] = new string(' ', random.Next(12)) + lines[at].TrimStart();
                    break;
                case 3:
                    lines[at] = lines[at].Split(':')[0] + ": " + Text(random, 4);
                    break;
                case 4:
                    lines.Insert(
                        at, random.Next(4) switch { 0 => "a: &a [*a, *a]", 1 => new string('[', 3000), 2 => "? " + new string('{', 500), _ => "<<: *x" });
                    break;
                default:
                    lines[at] += Text(random, 3);
                    break;
            }
        }

        var text = string.Join('\n', lines);
        var read = ManifestReader.Read(text);
        if (read.Ok)
        {
            _ = ManifestCheck.Check(read.Value, []).ToList();
        }
        else if (read.Failure!.Findings.Any(finding => finding.Line < 0 || finding.Column < 0))
        {
            throw new InvalidOperationException("A finding stands nowhere.");
        }
    }

    private static void AVersion(Random random)
    {
        if (AppVersion.TryParse(Text(random, 4), out var one) && AppVersion.TryParse(Text(random, 4), out var two)
            && Math.Sign(one.CompareTo(two)) != -Math.Sign(two.CompareTo(one)))
        {
            throw new InvalidOperationException($"'{one}' and '{two}' have no order.");
        }
    }

    private static string Text(Random random, int most)
    {
        var text = new StringBuilder();
        for (var words = random.Next(1, most); words > 0; words--)
        {
            text.Append(Words[random.Next(Words.Length)]).Append(random.Next(5) == 0 ? "" : " ");
        }

        return random.Next(200) == 0 ? string.Concat(Enumerable.Repeat(text.ToString(), 500)) : text.ToString();
    }
}
