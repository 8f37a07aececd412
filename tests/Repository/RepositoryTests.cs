using System.Text.RegularExpressions;
using System.Xml.Linq;
using Xunit;

namespace Bandejo.Repository.Tests;

/// <summary>Rules about the code itself.</summary>
public sealed partial class RepositoryTests
{
    private static readonly string Root = FindRoot();

    // Which of our projects each may refer to: docs/design/README.md.
    private static readonly Dictionary<string, string[]> Allowed = new()
    {
        ["Clock"] = [], ["Identity"] = [], ["Core"] = [], ["Contract"] = [], ["Store"] = ["Core"], ["Device"] = ["Contract", "Core", "Packaging"],
        ["Packaging"] = ["Contract", "Core"], ["Server"] = ["Clock", "Contract", "Core", "Identity", "Packaging", "Store"],
        ["Cli"] = ["Contract", "Core", "Identity", "Packaging"],
        ["Agent"] = ["Clock", "Device", "Identity"], ["Agent.Linux"] = ["Agent"], ["Agent.Windows"] = ["Agent"], ["Played"] = ["Device"], ["Fleet"] = ["Clock", "Device", "Played"],
    };

    public static TheoryData<string> Projects =>
        [.. Directory.GetDirectories(Path.Combine(Root, "src")).Select(folder => Path.GetFileName(folder)["Bandejo.".Length..]).Order()];

    [Theory]
    [MemberData(nameof(Projects))]
    public void A_project_refers_only_to_what_it_may(string project)
    {
        var file = XDocument.Load(Path.Combine(Root, $"src/Bandejo.{project}/Bandejo.{project}.csproj"));
        var references = file.Descendants("ProjectReference")
            .Select(reference => Path.GetFileNameWithoutExtension(reference.Attribute("Include")!.Value)["Bandejo.".Length..]).Order().ToArray();
        Assert.True(Allowed.ContainsKey(project), $"Say what {project} may refer to.");
        Assert.Equal(Allowed[project], references);
    }

    /// <summary>What alters the world is made where it is decided. The service applies what the store has kept.</summary>
    [Fact]
    public void Only_core_makes_changes_of_the_world()
    {
        foreach (var (file, text) in Sources("src/Bandejo.Server").Where(source => !source.File.EndsWith("World/KeptWorld.cs", StringComparison.Ordinal)))
        {
            var made = ChangeMade().Matches(text).Select(match => match.Value).FirstOrDefault();
            Assert.True(made is null, $"{file} makes a change: {made}…).");
            Assert.False(text.Contains(".Do(new ") || text.Contains("orld.Apply(") || text.Contains("each.Apply("), $"{file} alters the world.");
        }
    }

    [Fact]
    public void Inside_core_the_arrows_run_one_way()
    {
        string[] order = ["Versions", "Rules", "Packages", "Installers", "Fleet", "Deployments", "World", "Rollouts", "Catalogue", "CheckIns", "Site"];
        foreach (var (file, text) in Sources("src/Bandejo.Core"))
        {
            var own = Array.IndexOf(order, Path.GetFileName(Path.GetDirectoryName(file))!);
            foreach (Match match in CoreUsing().Matches(text))
            {
                var used = Array.IndexOf(order, match.Groups[1].Value);
                Assert.True(own < 0 || used < own || (order[own] == "Fleet" && order[used] == "Rules"), $"{file} uses {match.Groups[1].Value}");
            }
        }
    }

    [Theory]
    [InlineData(
        "src/Bandejo.Core", @"\bDateTime(Offset)?\.(Utc)?Now\b|\basync\b|\bHttpClient\b|(?<!\.)\bFile\.|\bDirectory\.|SqliteConnection|JsonSerializer",
        "Core decides and does no I/O")]
    [InlineData("src/Bandejo.Device", @"\bFile\.|\bDirectory\.|\bProcess\.|DllImport|LibraryImport", "Device never calls the operating system")]
    [InlineData("src/Bandejo.Server", @"\bSELECT\b|INSERT INTO|SqliteConnection", "SQL exists only in Store")]
    [InlineData("src/Bandejo.Cli", @"Bandejo\.Core\.(?!Installers\b)", "the command line reads installer files itself, and decides nothing")]
    [InlineData("src/Bandejo.Contract", @"\bHttpClient\b|\bawait\b", "Contract holds records")]
    public void A_layer_keeps_out_what_does_not_belong(string folder, string pattern, string reason)
    {
        foreach (var (file, text) in Sources(folder))
        {
            var match = Regex.Match(text, pattern);
            Assert.False(match.Success, $"{file}: '{match.Value}'. {reason}.");
        }
    }

    [Fact]
    public void No_file_is_longer_than_500_lines_and_the_entry_point_not_than_100()
    {
        foreach (var (file, text) in Sources("src").Concat(Sources("tests")))
        {
            var lines = text.Count(c => c == '\n');
            Assert.True(lines <= 500, $"{file} has {lines} lines: is there more than one thing in it?");
        }

        Assert.True(File.ReadLines(Path.Combine(Root, "src/Bandejo.Server/Program.cs")).Count() < 100);
    }

    /// <summary>What stands between three quotes is as it is.</summary>
    [Fact]
    public void No_line_of_a_program_is_longer_than_160()
    {
        foreach (var (file, text) in Sources("src"))
        {
            var isQuoted = false;
            foreach (var line in text.Split('\n'))
            {
                var marks = line.Split("\"\"\"").Length - 1;
                Assert.True(line.Length <= 160 || isQuoted || marks > 0, $"{file} has a line of {line.Length} characters: {line.Trim()}");
                isQuoted ^= marks % 2 == 1;
            }
        }
    }

    [Fact]
    public void No_test_waits_by_sleeping()
    {
        foreach (var (file, text) in Sources("tests").Where(source => !source.File.EndsWith("RepositoryTests.cs", StringComparison.Ordinal)))
        {
            Assert.False(text.Contains("Thread.Sleep") || SleepingDelay().IsMatch(text), $"{file} waits by sleeping.");
        }
    }

    [Fact]
    public void Migrations_are_numbered_without_a_gap()
    {
        var numbers = Directory.GetFiles(Path.Combine(Root, "src/Bandejo.Store/Migrations"), "*.sql").Select(file => int.Parse(Path.GetFileName(file)[..4]))
            .Order().ToArray();
        Assert.Equal(Enumerable.Range(1, numbers.Length), numbers);
    }

    [Fact]
    public void No_folder_is_named_for_no_reason()
    {
        string[] vague = ["Services", "Common", "Helpers", "Utils", "Misc", "Shared"];
        Assert.DoesNotContain(Directory.GetDirectories(Path.Combine(Root, "src"), "*", SearchOption.AllDirectories), folder => vague.Contains(
            Path.GetFileName(folder)));
    }

    [Fact]
    public void No_place_outside_is_named_in_what_builds_and_runs()
    {
        foreach (var file in Directory.GetFiles(Root, "*", SearchOption.TopDirectoryOnly).Concat(Directory.GetFiles(Path.Combine(Root, "build"))).Concat(
            Directory.GetFiles(Path.Combine(Root, "demo"), "*.sh")))
        {
            var text = File.ReadAllText(file);
            Assert.False(OutsideAddress().IsMatch(text), $"{file} names a place outside.");
        }
    }

    [Fact]
    public void Links_between_documents_lead_somewhere()
    {
        foreach (var file in Directory.GetFiles(Path.Combine(Root, "docs"), "*.md", SearchOption.AllDirectories).Append(Path.Combine(Root, "README.md")))
        {
            foreach (Match link in MarkdownLink().Matches(File.ReadAllText(file)))
            {
                var target = link.Groups[1].Value.Split('#')[0];
                if (target.Length > 0 && !target.Contains("://"))
                {
                    var path = Path.Combine(Path.GetDirectoryName(file)!, target);
                    Assert.True(File.Exists(path) || Directory.Exists(path), $"{file} links to {target}, which is not there.");
                }
            }
        }
    }

    [Fact]
    public void A_feature_of_the_console_imports_no_other_and_what_they_share_changes_nothing()
    {
        foreach (var file in ConsoleSources())
        {
            var text = File.ReadAllText(file);
            var feature = FeatureFolder().Match(file).Groups[1].Value;
            foreach (Match import in FeatureImport().Matches(text))
            {
                Assert.True(file.Contains("/app/") || import.Groups[1].Value == feature, $"{file} imports the feature {import.Groups[1].Value}.");
            }

            Assert.False(file.Contains("/parts/") && ChangingRequest().IsMatch(text), $"{file} is shared and changes something by itself.");
            Assert.False(text.Contains("dangerouslySetInnerHTML") || text.Contains("eval("), $"{file} would run or show what it was sent as it is.");
        }
    }

    [Fact]
    public void No_part_of_the_console_is_longer_than_200_lines()
    {
        foreach (var file in ConsoleSources().Where(file => file.EndsWith(".tsx", StringComparison.Ordinal)))
        {
            var lines = File.ReadLines(file).Count();
            Assert.True(lines <= 200, $"{file} has {lines} lines: is there more than one thing in it?");
        }
    }

    [Fact]
    public void The_console_fetches_nothing_from_outside()
    {
        foreach (var file in ConsoleSources().Concat(Directory.GetFiles(Path.Combine(Root, "console/public"))).Append(Path.Combine(Root, "console/index.html")))
        {
            Assert.False(OutsideAddress().IsMatch(File.ReadAllText(file).Replace("http://www.w3.org/2000/svg", "")), $"{file} names a place outside.");
        }
    }

    private static IEnumerable<string> ConsoleSources() =>
        Directory.GetFiles(Path.Combine(Root, "console/src"), "*.ts*", SearchOption.AllDirectories)
            .Where(file => !file.EndsWith("schema.d.ts", StringComparison.Ordinal));

    private static IEnumerable<(string File, string Text)> Sources(string folder) =>
        Directory.GetFiles(Path.Combine(Root, folder), "*.cs", SearchOption.AllDirectories).Where(file => !file.Contains("/obj/") && !file.Contains("/bin/"))
            .Select(file => (file, File.ReadAllText(file)));

    private static string FindRoot()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Bandejo.slnx")))
        {
            folder = folder.Parent;
        }

        return folder.FullName;
    }

    [GeneratedRegex(@"using Bandejo\.Core\.(\w+);")]
    private static partial Regex CoreUsing();

    [GeneratedRegex(@"/features/(\w+)/")]
    private static partial Regex FeatureFolder();

    [GeneratedRegex(@"from ""@?[./]*/features/(\w+)/")]
    private static partial Regex FeatureImport();

    [GeneratedRegex(@"request\(""(put|patch|delete)""")]
    private static partial Regex ChangingRequest();

    [GeneratedRegex(@"await Task\.Delay\((?![^;]*_clock)")]
    private static partial Regex SleepingDelay();

    // Any address but this machine's own, the examples of RFC 2606, and the names of specifications.
    [GeneratedRegex(@"https?://(?!127\.0\.0\.1|localhost|[\w.-]*example|www\.apache\.org/licenses)")]
    private static partial Regex OutsideAddress();

    [GeneratedRegex(@"\bnew (Put|Delete|Add|Note)[A-Z]\w*\(")]
    private static partial Regex ChangeMade();

    [GeneratedRegex(@"\]\(([^)\s]+)\)")]
    private static partial Regex MarkdownLink();
}
