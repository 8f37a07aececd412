using System.Globalization;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Packages;

/// <summary>Reads the steps of a variant, and how it is started.</summary>
public sealed class StepReader(YamlForm form)
{
    /// <summary>The keys of a step and of a launch; the published schema has the same.</summary>
    public static IReadOnlyList<string> Keys { get; } = ["run", "environment", "answers", "limit", "expected", "at-limit", "exit-codes"];

    public static IReadOnlyList<string> LaunchKeys { get; } = ["run", "environment", "stays"];

    /// <summary>The step under a key; null where there is none, with a finding if it must be there.</summary>
    public Step? Step(YamlMappingNode variant, string key, string where, bool must)
    {
        var node = YamlForm.Child(variant, key);
        if (node is not YamlMappingNode map)
        {
            if (node is not null || must)
            {
                form.Report(node ?? variant, $"'{key}' is missing or not a mapping; it needs at least 'run'.", where + key);
            }

            return null;
        }

        var inner = where + key + ".";
        form.Known(map, inner, Keys);
        return Read(map, inner);
    }

    /// <summary>A step whose keys stand in a mapping, perhaps beside others.</summary>
    public Step Read(YamlMappingNode map, string inner)
    {
        var run = form.Texts(map, "run", inner);
        if (run.Count == 0 || run[0].Trim().Length == 0)
        {
            form.Report(YamlForm.Child(map, "run") ?? map, "'run' needs a command and its arguments as a list, such as [sh, install.sh].", inner + "run");
        }
        else if (YamlForm.Child(map, "run") is YamlScalarNode && run[0].Contains(' '))
        {
            form.Report(
                YamlForm.Child(map, "run")!, "'run' is not given to a shell; write the command and each argument as items of a list, such as [sh, install.sh].",
                inner + "run");
        }

        var atLimit = form.Text(map, "at-limit", inner, must: false) ?? "end";
        if (atLimit is not ("end" or "ask"))
        {
            form.Report(
                YamlForm.Child(map, "at-limit")!,
                $"'at-limit' is 'end' (end the command with everything it started) or 'ask' (stop watching, ask a person), not '{atLimit}'.",
                inner + "at-limit");
        }

        var limit = form.Duration(map, "limit", inner, TimeSpan.FromMinutes(30));
        return new Step
        {
            Run = run,
            Environment = Environment(map, inner),
            Answers = Answers(map, inner),
            Limit = limit,
            Expected = form.Duration(map, "expected", inner, TimeSpan.FromTicks(Math.Min(limit.Ticks, TimeSpan.TicksPerMinute * 2))),
            EndAtLimit = atLimit == "end",
            Codes = Codes(map, inner),
        };
    }

    private IReadOnlyDictionary<string, string> Environment(YamlMappingNode step, string where)
    {
        var environment = form.Pairs(step, "environment", where, "such as '{ FOLDLINE_KEY: \"@{licence}\" }'");
        foreach (var problem in environment.Keys.Select(PackageForm.EnvironmentProblem).OfType<string>())
        {
            form.Report(YamlForm.Child(step, "environment")!, problem, where + "environment");
        }

        return environment;
    }

    private IReadOnlyDictionary<string, string> Answers(YamlMappingNode step, string where)
    {
        var answers = form.Pairs(step, "answers", where, "from a file's name to its text");
        foreach (var path in answers.Keys)
        {
            if (SafePath.Problem(path) is { } problem)
            {
                form.Report(YamlForm.Child(step, "answers")!, $"'{path}' {problem}", where + "answers");
            }
        }

        return answers;
    }

    /// <summary>How a variant is started; null where it does not say.</summary>
    public Launch? Launch(YamlMappingNode variant, string where)
    {
        if (YamlForm.Child(variant, "launch") is not { } node)
        {
            return null;
        }

        if (node is not YamlMappingNode map)
        {
            form.Report(
                node, "'launch' is a mapping with 'run', the command that starts the software, and 'stays', how long it must stay up.", where + "launch");
            return null;
        }

        var inner = where + "launch.";
        form.Known(map, inner, LaunchKeys);
        var run = form.Texts(map, "run", inner);
        if (run.Count == 0)
        {
            form.Report(map, "'run' needs a command and its arguments as a list, such as [/opt/foldline/foldline, --version].", inner + "run");
        }

        return new Launch(run, form.Duration(map, "stays", inner, TimeSpan.FromSeconds(3))) { Environment = Environment(map, inner) };
    }

    private Dictionary<int, ExitMeaning> Codes(YamlMappingNode step, string where)
    {
        var codes = new Dictionary<int, ExitMeaning>();
        var node = YamlForm.Child(step, "exit-codes");
        if (node is YamlMappingNode map)
        {
            foreach (var (key, value) in map.Children)
            {
                if (!ExitCodes.TryParse((key as YamlScalarNode)?.Value, out var code))
                {
                    form.Report(key, $"An exit code is a whole number, such as 75 or 0x80070652.", where + "exit-codes");
                }
                else if (!ExitCodes.Meanings.TryGetValue((value as YamlScalarNode)?.Value ?? "", out var meaning))
                {
                    form.Report(value, $"An exit code means one of: {string.Join(", ", ExitCodes.Meanings.Keys)}.", where + "exit-codes");
                }
                else
                {
                    codes[code] = meaning;
                }
            }
        }
        else if (node is not null)
        {
            form.Report(node, "'exit-codes' is a mapping from code to meaning, such as { 75: busy }.", where + "exit-codes");
        }

        return codes;
    }
}
