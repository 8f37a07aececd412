using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class RuleTests
{
    public static TheoryData<string> Scripts =>
        [.. Directory.GetFiles(Path.Combine(AppContext.BaseDirectory, "Cases/rules"), "*.rules").Select(file => Path.GetFileName(file)).Order()];

    [Theory]
    [MemberData(nameof(Scripts))]
    public void Every_case_of_the_script_holds_for_one_device_and_by_column(string script)
    {
        var columns = new FleetColumns();
        var row = columns.Add();
        var cases = 0;
        foreach (var line in File.ReadLines(Path.Combine(AppContext.BaseDirectory, "Cases/rules", script)).Where(line => line.Length > 0 && line[0] != '#'))
        {
            var space = line.IndexOf(' ');
            var (verb, rest) = (line[..space], line[(space + 1)..]);
            if (verb == "load")
            {
                Load(columns, row, rest);
                continue;
            }

            cases++;
            var arrow = rest.LastIndexOf(" -> ", StringComparison.Ordinal);
            var (text, expected) = (rest[..arrow], rest[(arrow + 4)..]);
            switch (verb)
            {
                case "eval":
                    var rule = Good(text);
                    Assert.True(expected == Word(rule.Evaluate(columns.Row(row)).Truth), $"{text}: {Word(rule.Evaluate(columns.Row(row)).Truth)}");
                    Assert.Equal(expected, Word(ByColumn(columns, rule, row)));
                    Assert.Equal(expected, Word(rule.Test(columns.Row(row))));
                    Assert.Equal(expected, Word(columns.Compile(rule).At(row)));
                    break;
                case "why":
                    Assert.Equal(expected, Good(text).Evaluate(columns.Row(row)).Why);
                    break;
                case "error":
                    var failure = Rule.Parse(text).Failure;
                    Assert.NotNull(failure);
                    var wanted = expected.Split("; ");
                    Assert.True(
                        wanted.Length == failure.Findings.Count,
                        $"{text}: {string.Join(" | ", failure.Findings.Select(finding => $"{finding.Column}: {finding.Message}"))}");
                    foreach (var (finding, words) in failure.Findings.Zip(wanted))
                    {
                        var colon = words.IndexOf(':');
                        Assert.True(finding.Column == int.Parse(words[..colon]), $"{text}: column {finding.Column}: {finding.Message}");
                        Assert.Contains(words[(colon + 2)..], finding.Message);
                    }

                    break;
                default:
                    Assert.Fail($"The script has no verb '{verb}'.");
                    break;
            }
        }

        Assert.True(cases > 0);
    }

    [Fact]
    public void The_columns_answer_every_rule_as_device_by_device()
    {
        Gen.Select(GenDevices, GenRule, Gen.Int[0, 20]).Sample((devices, text, removed) =>
        {
            var columns = new FleetColumns();
            foreach (var device in devices)
            {
                var row = columns.Add();
                foreach (var fact in device)
                {
                    Load(columns, row, fact);
                }
            }

            if (removed < devices.Length)
            {
                columns.Remove(removed);
            }

            var rule = Good(text);
            var (answer, compiled) = (columns.Evaluate(rule), columns.Compile(rule));
            for (var row = 0; row < devices.Length; row++)
            {
                var expected = row == removed ? Truth.False : rule.Evaluate(columns.Row(row)).Truth;
                if ((row != removed && compiled.At(row) != expected) || ByColumn(answer, row) != expected)
                {
                    Assert.Fail(
                        $"{text} for [{string.Join(", ", devices[row])}]: {ByColumn(answer, row)} by column, {compiled.At(row)} compiled, {expected} alone");
                }
            }
        }, iter: 3_000);
    }

    [Theory]
    [InlineData("architecture is \"x64\"", "architecture in (\"x86\", \"x64\")")]
    [InlineData("architecture in (\"x64\", \"x86\")", "architecture is \"x86\"", "architecture is \"X64\"")]
    [InlineData("kind is \"desk\" and memory >= 8 GiB", "memory > 4 GiB")]
    [InlineData("memory < 4 GiB", "memory is not 4 GiB and memory <= 5 GiB")]
    [InlineData("site like \"ALD*\"", "yes")]
    [InlineData("os.version is 12.4", "os.version >= 12 and os.version < 13")]
    [InlineData("not (kind is not \"desk\")", "kind is known")]
    [InlineData("app \"foldline\" >= 7", "app \"foldline\" is present")]
    public void A_rule_whose_devices_all_fit_others_is_found(string rule, params string[] others) =>
        Assert.True(RuleLogic.IsCovered(Good(rule), [.. others.Select(Good)]));

    [Theory]
    [InlineData("architecture in (\"x86\", \"x64\")", "architecture is \"x64\"")]
    [InlineData("memory >= 4 GiB", "memory > 4 GiB")]
    [InlineData("kind is \"desk\"", "kind is \"desk\" and public")]
    [InlineData("\"print\" in roles", "\"files\" in roles")]
    [InlineData("os.family not in (\"windows\", \"macos\")", "os.family is \"debian\"")]
    [InlineData("yes")]
    public void A_rule_of_which_some_devices_fit_no_other_is_left_alone(string rule, params string[] others) =>
        Assert.False(RuleLogic.IsCovered(Good(rule), [.. others.Select(Good)]));

    [Theory]
    [InlineData("kind is \"desk\" and kind is \"kiosk\"", true)]
    [InlineData("memory >= 8 GiB and (memory < 4 GiB or memory is 2 GiB)", true)]
    [InlineData("app \"foldline\" is absent and app \"foldline\" < 7", true)]
    [InlineData("public and not public", true)]
    [InlineData("memory >= 4 GiB and memory <= 4 GiB", false)]
    [InlineData("\"print\" in roles and \"files\" in roles", false)]
    public void A_rule_that_asks_for_what_cannot_be_at_once_is_found(string rule, bool never) => Assert.Equal(never, RuleLogic.NeverHolds(Good(rule)));

    [Fact]
    public void What_is_said_of_rules_alone_holds_for_every_device()
    {
        var said = 0;
        Gen.Select(GenDevices, GenRule, GenRule, GenRule).Sample((devices, text, first, second) =>
        {
            var (rule, others) = (Good(text), new[] { Good(first), Good(second) });
            var (never, covered) = (RuleLogic.NeverHolds(rule), RuleLogic.IsCovered(rule, others));
            Interlocked.Add(ref said, never || covered ? 1 : 0);
            var columns = new FleetColumns();
            foreach (var device in devices)
            {
                var row = columns.Add();
                foreach (var fact in device)
                {
                    Load(columns, row, fact);
                }

                if (rule.Test(columns.Row(row)) == Truth.True)
                {
                    Assert.False(never, $"{text} holds for [{string.Join(", ", device)}]");
                    Assert.True(
                        !covered || others.Any(other => other.Test(columns.Row(row)) == Truth.True),
                        $"{text} is not covered by {first} and {second} for [{string.Join(", ", device)}]");
                }
            }
        }, iter: 3_000);
        Assert.InRange(said, 100, int.MaxValue);
    }

    /// <summary>Columns change their form with what is in them: few values or many, an app on few devices or on most.</summary>
    [Theory]
    [InlineData(3, 100, 1_000)]
    [InlineData(3, 5, 1_000)]
    [InlineData(40, 100, 1_000)]
    [InlineData(400, 100, 1_000)]
    [InlineData(400, 5, 1_000)]
    [InlineData(3, 100, 70_001)]
    [InlineData(400, 5, 70_001)]
    public void The_answers_do_not_depend_on_how_many_values_a_fleet_has_nor_on_its_size(int values, int percentWithApp, int rows)
    {
        var columns = new FleetColumns();
        var (memory, app) = (new FactRef("memory", false), new FactRef("foldline", true));
        string[] rules = [
            "memory >= 3 GiB", "not memory < 3 GiB", "memory in (1 GiB, 2 GiB)", "memory is known", "app \"foldline\" >= 3", "app \"foldline\" is absent",
            "not app \"foldline\" is known", "memory > 1 GiB and not app \"foldline\" < 2"];
        for (var row = 0; row < rows; row++)
        {
            columns.Add();
            columns.SetInventoryComplete(row, row % 7 != 0);
            if (row % 11 != 0)
            {
                columns.Set(row, memory, FactLookup.Of(FactValue.OfSize((1 + (row % values)) * 1024d * 1024 * 1024)));
            }
        }

        // From the end, so that entries are put in before others; some are changed and some taken away again.
        for (var row = rows - 1; row >= 0; row--)
        {
            columns.Set(
                row, app, row % 100 < percentWithApp ? FactLookup.Of(FactValue.OfVersion(AppVersion.Parse($"{1 + (row % values)}.0"))) : FactLookup.NotKnown);
        }

        for (var row = 0; row < rows - 1; row += 13)
        {
            columns.Set(row, app, FactLookup.NotKnown);
            columns.Set(row + (row % 2), app, FactLookup.Of(FactValue.OfVersion(AppVersion.Parse("2.0"))));
        }

        foreach (var rule in rules.Select(Good))
        {
            var (answer, compiled) = (columns.Evaluate(rule), columns.Compile(rule));
            for (var row = 0; row < columns.Rows; row++)
            {
                var expected = rule.Evaluate(columns.Row(row)).Truth;
                if (ByColumn(answer, row) != expected || compiled.At(row) != expected)
                {
                    Assert.Fail($"{rule} in row {row}: {ByColumn(answer, row)} by column, {compiled.At(row)} compiled, {expected} alone");
                }
            }
        }

        Assert.Equal(FactLookup.Of(FactValue.OfVersion(AppVersion.Parse("2.0"))), columns.Get(1 + 13, app));
        Assert.Equal(1024d * 1024 * 1024 * (1 + ((rows - 1) % values)), columns.Get(rows - 1, memory).Value!.Number);
    }

    [Fact]
    public void A_printed_rule_reads_back_as_the_same_rule() => GenRule.Sample(text =>
    {
        var rule = Good(text);
        Assert.Equal(rule.ToString(), Good(rule.ToString()).ToString());
    }, iter: 3_000);

    [Fact]
    public void No_text_makes_the_reader_fail_otherwise_than_with_findings_in_it()
    {
        var words = Gen.OneOf(
            "and", "or", "not", "is", "in", "like", "(", ")", ",", "\"", "\"x\"", "app", "memory", "kind", "4", "GiB", ">=", "<", "!=", "v1.2", "\\", "ü", "\n",
            "present", "label.", "12345678901234567890");
        Gen.OneOf(words.Array[0, 20].Select(parts => string.Join(' ', parts)), Gen.String[0, 60]).Sample(text =>
        {
            var outcome = Rule.Parse(text);
            if (!outcome.Ok)
            {
                Assert.NotEmpty(outcome.Failure!.Findings);
                Assert.All(outcome.Failure.Findings, finding => Assert.True(finding is { Line: >= 1, Column: >= 1, Length: >= 1 }));
            }
        }, iter: 20_000);
    }

    [Fact]
    public void Deep_nesting_and_length_are_refused_not_followed()
    {
        Assert.Contains("nest deeper", Rule.Parse(new string('(', 2000) + "public" + new string(')', 1900)).Failure!.Findings[0].Message);
        Assert.Contains("at most", Rule.Parse(new string('x', Rule.MaxLength + 1)).Failure!.Message);
    }

    [Theory]
    [InlineData("aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaab", "*a*a*a*a*a*a*a*a*c", false)]
    [InlineData("", "*", true)]
    [InlineData("abc", "a*c", true)]
    [InlineData("abc", "?", false)]
    public void A_pattern_with_stars_takes_no_more_than_its_time(string text, string pattern, bool expected)
    {
        var columns = new FleetColumns();
        var row = columns.Add();
        columns.Set(row, new FactRef("kind", false), FactLookup.Of(FactValue.OfText(text)));
        Assert.Equal(expected ? Truth.True : Truth.False, Good($"kind like \"{pattern}\"").Evaluate(columns.Row(row)).Truth);
    }

    private static readonly Gen<string> GenCondition = Gen.OneOf(
        Gen.Select(Gen.OneOf("is", "is not", "like", "not like"), Gen.OneOf("desk", "kiosk", "d*"), (op, value) => $"kind {op} \"{value}\""),
        Gen.Select(Gen.OneOf("<", "<=", ">", ">=", "is", "is not"), Gen.Int[1, 4], (op, value) => $"memory {op} {value} GiB"),
        Gen.Select(Gen.OneOf("in", "not in"), Gen.OneOf("(1, 2)", "(3)"), (op, list) => $"processors {op} {list}"),
        Gen.Select(Gen.OneOf("<", "<=", ">", ">=", "is", "is not"), Gen.OneOf("7", "7.1", "8-rc1"), (op, version) => $"app \"foldline\" {op} {version}"),
        Gen.OneOf(
            "app \"foldline\" is present", "app \"foldline\" is absent", "app \"foldline\" is known", "public", "kind is known", "memory is known",
            "\"print\" in roles", "yes", "no", "joined < 2026-06-01"));

    private static readonly Gen<string> GenRule = Gen.Recursive<string>((depth, rule) => depth > 4 ? GenCondition : Gen.OneOf(
        GenCondition,
        Gen.Select(rule, rule, Gen.Bool, (a, b, and) => $"({a} {(and ? "and" : "or")} {b})"),
        rule.Select(inner => $"not ({inner})")));

    private static readonly Gen<string[][]> GenDevices = Gen.OneOf(
        Gen.OneOf("kind = desk", "kind = kiosk"), Gen.Int[1, 4].Select(gib => $"memory = {gib * 1024L * 1024 * 1024}"),
        Gen.Int[1, 3].Select(count => $"processors = {count}"),
        Gen.OneOf("app foldline = 7.0", "app foldline = 7.1", "app foldline = 8"),
        Gen.OneOf("inventory = complete", "public = yes", "public = no", "roles = print", "roles = ", "joined = 2026-03-01")).Array[0, 6].Array[1, 70];

    private static Rule Good(string text)
    {
        var outcome = Rule.Parse(text);
        Assert.True(outcome.Ok, $"{text}: {outcome.Failure?.Findings.FirstOrDefault()?.Message ?? outcome.Failure?.Message}");
        return outcome.Value;
    }

    private static void Load(FleetColumns columns, int row, string fact)
    {
        var parts = fact.Split('=', 2);
        var (name, value) = (parts[0].Trim(), parts[1].Trim());
        if (name == "inventory")
        {
            columns.SetInventoryComplete(row, true);
        }
        else if (name.StartsWith("app ", StringComparison.Ordinal))
        {
            columns.Set(row, new FactRef(name[4..], true), FactLookup.Of(FactValue.OfVersion(AppVersion.Parse(value))));
        }
        else
        {
            columns.Set(row, new FactRef(name, false), FactLookup.Of(FactValue.Read(FactCatalog.TypeOf(name)!.Value, value)!));
        }
    }

    private static Truth ByColumn(FleetColumns columns, Rule rule, int row) => ByColumn(columns.Evaluate(rule), row);

    private static Truth ByColumn(RuleRows rows, int row)
    {
        Assert.False(rows.True[row] && rows.NotKnown[row]);
        return rows.True[row] ? Truth.True : rows.NotKnown[row] ? Truth.NotKnown : Truth.False;
    }

    private static string Word(Truth truth) => truth switch { Truth.True => "true", Truth.False => "false", _ => "not known" };

    [Theory]
    [InlineData("disk.free >= 30 GB", "disk.free >= 30 GB")]
    [InlineData("disk.free >= 800 MB", "disk.free >= 800 MB")]
    [InlineData("memory >= 8192 MiB", "memory >= 8 GiB")]
    [InlineData("memory >= 1536 KiB", "memory >= 1536 KiB")]
    public void A_size_is_printed_in_the_largest_unit_that_is_exact(string rule, string printed) => Assert.Equal(printed, Rule.Parse(rule).Value.ToString());
}
