using System.Globalization;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Fleet;

/// <summary>Reads a fleet script and finds everything that is wrong with it at once.</summary>
internal sealed class ScriptReader
{
    private readonly YamlForm _form;

    private ScriptReader(YamlForm form) => _form = form;

    public static Outcome<FleetScript> Read(string yaml)
    {
        var findings = new List<Finding>();
        var (form, root) = YamlForm.Read(yaml, findings);
        var script = root is null ? null : new ScriptReader(form).Script(root);
        return findings.Count == 0 && script is not null
            ? script
            : new Failure(ErrorKind.Invalid, $"The fleet script has {findings.Count} error{(findings.Count == 1 ? "" : "s")}.", findings);
    }

    private FleetScript Script(YamlMappingNode root)
    {
        _form.Known(root, "", "seed", "listens", "lost-answers", "repeats", "kinds", "apps");
        return new FleetScript
        {
            Seed = (int)Number(root, "seed", "", 1),
            Listens = _form.YesNo(root, "listens", "", true),
            LostAnswers = Share(root, "lost-answers", "", 0),
            Repeats = Share(root, "repeats", "", 0),
            Kinds = [.. Maps(root, "kinds", "").Select((map, index) => Kind(map, $"kinds[{index}]."))],
            Apps = Maps(root, "apps", "").Select((map, index) => App(map, $"apps[{index}]."))
                .ToDictionary(pair => pair.Slug, pair => pair.App, StringComparer.Ordinal),
        };
    }

    private DeviceKind Kind(YamlMappingNode map, string where)
    {
        _form.Known(map, where, "name", "count", "named", "sites", "joins", "facts", "mixed", "free", "tight", "on", "restarts", "away", "network", "has");
        return new DeviceKind
        {
            Name = _form.Text(map, "name", where, must: true) ?? "",
            Count = (int)Number(map, "count", where, 1),
            Named = _form.Text(map, "named", where, must: true) ?? "{n}",
            Sites = Weights(map, "sites", where),
            Joins = _form.Text(map, "joins", where, must: false),
            Facts = Pairs(map, "facts", where),
            Mixed = Inner(map, "mixed", where, Weights),
            Free = Sizes(map, "free", where, (20e9, 120e9)),
            Tight = [.. Maps(map, "tight", where, isNeeded: false).Select(each => Tight(each, where + "tight."))],
            On = On(map, where),
            Restarts = _form.Text(map, "restarts", where, must: false) is { } at ? Time(map, "restarts", at, where) : null,
            Away = Away(map, where),
            Network = _form.Text(map, "network", where, must: false) is { } speed ? Size(map, "network", speed, where) : 0,
            Has = Inner(map, "has", where, Weights),
        };
    }

    private (Rule, double, double) Tight(YamlMappingNode map, string where)
    {
        _form.Known(map, where, "when", "free");
        var (from, to) = Sizes(map, "free", where, (1e9, 2e9));
        return (_form.Rule(map, "when", where), from, to);
    }

    private (string Slug, PlayedApp App) App(YamlMappingNode map, string where)
    {
        _form.Known(map, where, "app", "name", "takes", "room", "troubles", "takers", "harms");
        var slug = _form.Text(map, "app", where, must: true) ?? "";
        var takers = Maps(map, "takers", where, isNeeded: false, isOne: true).FirstOrDefault();
        return (slug, new PlayedApp
        {
            Name = _form.Text(map, "name", where, must: false) ?? slug,
            Takes = Durations(map, "takes", where, (TimeSpan.FromMinutes(1), TimeSpan.FromMinutes(3))),
            Room = _form.Text(map, "room", where, must: false) is { } room ? Size(map, "room", room, where) : 100e6,
            Takers = takers is null
                ? (0, TimeSpan.Zero)
                : (Share(takers, "share", where + "takers.", 0.1), _form.Duration(takers, "within", where + "takers.", TimeSpan.FromDays(3))),
            Troubles = [.. Maps(map, "troubles", where, isNeeded: false).Select((each, index) => Trouble(each, $"{where}troubles[{index}]."))],
            Harms = [.. Maps(map, "harms", where, isNeeded: false).Select((each, index) => Harm(each, $"{where}harms[{index}]."))],
        });
    }

    private Trouble Trouble(YamlMappingNode map, string where)
    {
        _form.Known(map, where, "version", "when", "share", "tries", "does", "code", "says", "for");
        var word = _form.Text(map, "does", where, must: true) ?? "fails";
        if (!Enum.TryParse<TroubleKind>(word, ignoreCase: true, out var does))
        {
            _form.Report(YamlForm.Child(map, "does")!, $"'{word}' is not something that happens: fails, hangs, restarts, busy, lies or dies.", where + "does");
        }

        return new Trouble(
            _form.Text(map, "version", where, must: false), _form.Rule(map, "when", where), Share(map, "share", where, 1), (int)Number(map, "tries", where, 0),
            does, (int)Number(map, "code", where, 1),
            _form.Text(map, "says", where, must: false) ?? "", _form.Duration(map, "for", where, TimeSpan.FromDays(1)));
    }

    private HarmStory Harm(YamlMappingNode map, string where)
    {
        _form.Known(map, where, "version", "when", "share", "after", "says");
        var (from, to) = Durations(map, "after", where, (TimeSpan.FromHours(1), TimeSpan.FromHours(8)));
        return new HarmStory(
            _form.Text(map, "version", where, must: false), _form.Rule(map, "when", where), Share(map, "share", where, 1), from, to,
            _form.Text(map, "says", where, must: true) ?? "");
    }

    private Hours On(YamlMappingNode map, string where)
    {
        if (_form.Text(map, "on", where, must: false) is not { } text || text == "always")
        {
            return Hours.Always;
        }

        var days = new Dictionary<string, DayOfWeek[]>(StringComparer.OrdinalIgnoreCase)
        {
            ["Mon-Fri"] = [DayOfWeek.Monday, DayOfWeek.Tuesday, DayOfWeek.Wednesday, DayOfWeek.Thursday, DayOfWeek.Friday],
            ["Mon-Sat"] = [DayOfWeek.Monday, DayOfWeek.Tuesday, DayOfWeek.Wednesday, DayOfWeek.Thursday, DayOfWeek.Friday, DayOfWeek.Saturday],
            ["daily"] = Enum.GetValues<DayOfWeek>(),
        };
        var parts = text.Split([' ', '-', '–'], StringSplitOptions.RemoveEmptyEntries);
        var key = days.Keys.FirstOrDefault(each => text.StartsWith(each, StringComparison.OrdinalIgnoreCase));
        if (key is not null && parts.Length >= 2 && TimeOnly.TryParseExact(parts[^2], "HH:mm", out var from)
            && TimeOnly.TryParseExact(parts[^1], "HH:mm", out var to) && from < to)
        {
            return new Hours(days[key].ToHashSet(), from, to);
        }

        _form.Report(
            YamlForm.Child(map, "on")!, $"'{text}' is not 'always' nor hours such as 'Mon-Fri 08:30-18:00' (Mon-Fri, Mon-Sat or daily).", where + "on");
        return Hours.Always;
    }

    private Trips? Away(YamlMappingNode map, string where)
    {
        if (Maps(map, "away", where, isNeeded: false, isOne: true).FirstOrDefault() is not { } away)
        {
            return null;
        }

        _form.Known(away, where + "away.", "every", "for");
        var (shortest, longest) = Durations(away, "for", where + "away.", (TimeSpan.FromDays(1), TimeSpan.FromDays(3)));
        return new Trips(_form.Duration(away, "every", where + "away.", TimeSpan.FromDays(7)), shortest, longest);
    }

    private TimeOnly? Time(YamlMappingNode map, string key, string text, string where)
    {
        if (TimeOnly.TryParseExact(text, "HH:mm", out var time))
        {
            return time;
        }

        _form.Report(YamlForm.Child(map, key)!, $"'{text}' is not a time such as 03:30.", where + key);
        return null;
    }

    private double Number(YamlMappingNode map, string key, string where, double otherwise)
    {
        if (_form.Text(map, key, where, must: false) is not { } text)
        {
            return otherwise;
        }

        if (double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) && number is >= 0 and <= 1_000_000)
        {
            return number;
        }

        _form.Report(YamlForm.Child(map, key)!, $"'{text}' is not a number from 0 to 1,000,000.", where + key);
        return otherwise;
    }

    private double Share(YamlMappingNode map, string key, string where, double otherwise)
    {
        if (_form.Text(map, key, where, must: false) is not { } text)
        {
            return otherwise;
        }

        if (text.EndsWith('%') && double.TryParse(text[..^1].Trim(), NumberStyles.Float, CultureInfo.InvariantCulture, out var percent)
            && percent is >= 0 and <= 100)
        {
            return percent / 100;
        }

        _form.Report(YamlForm.Child(map, key)!, $"'{text}' is not a share such as 12 %.", where + key);
        return otherwise;
    }

    private double Size(YamlMappingNode map, string key, string text, string where)
    {
        if (Units.TryParseSize(text, out var bytes))
        {
            return bytes;
        }

        _form.Report(YamlForm.Child(map, key)!, $"'{text}' is not an amount of data such as 20 GB.", where + key);
        return 0;
    }

    private (double From, double To) Sizes(YamlMappingNode map, string key, string where, (double, double) otherwise)
    {
        if (_form.Text(map, key, where, must: false) is not { } text)
        {
            return otherwise;
        }

        var parts = text.Split(" to ", 2, StringSplitOptions.TrimEntries);
        return (Size(map, key, parts[0], where), Size(map, key, parts[^1], where));
    }

    private (TimeSpan From, TimeSpan To) Durations(YamlMappingNode map, string key, string where, (TimeSpan, TimeSpan) otherwise)
    {
        if (_form.Text(map, key, where, must: false) is not { } text)
        {
            return otherwise;
        }

        var parts = text.Split(" to ", 2, StringSplitOptions.TrimEntries);
        if (Units.TryParseDuration(parts[0], out var from) && Units.TryParseDuration(parts[^1], out var to) && from <= to)
        {
            return (from, to);
        }

        _form.Report(YamlForm.Child(map, key)!, $"'{text}' is not a length of time such as 2m, or '2m to 6m'.", where + key);
        return otherwise;
    }

    private List<Weighted> Weights(YamlMappingNode map, string key, string where)
    {
        switch (YamlForm.Child(map, key))
        {
            case YamlScalarNode { Value: { Length: > 0 } one }:
                return [new Weighted(one, 1)];
            case YamlSequenceNode list:
                return [.. list.Children.Select(child => new Weighted((child as YamlScalarNode)?.Value ?? "", 1))];
            case YamlMappingNode weights:
                return [.. weights.Children.Select(pair => new Weighted(
                    ((YamlScalarNode)pair.Key).Value ?? "",
                    double.TryParse((pair.Value as YamlScalarNode)?.Value, CultureInfo.InvariantCulture, out var weight) ? weight : 0))];
            default:
                _form.Report(map, $"'{key}' must be one text, a list, or texts with weights.", where + key);
                return [new Weighted("", 1)];
        }
    }

    private Dictionary<string, string> Pairs(YamlMappingNode map, string key, string where) =>
        YamlForm.Child(map, key) is YamlMappingNode inner
            ? inner.Children.ToDictionary(pair => ((YamlScalarNode)pair.Key).Value ?? "", pair => Value((YamlScalarNode)pair.Key, pair.Value, where + key))
            : [];

    private string Value(YamlScalarNode name, YamlNode value, string where)
    {
        if (FactCatalog.TypeOf(name.Value ?? "") is null)
        {
            _form.Report(name, $"There is no fact '{name.Value}'.", where);
        }

        return (value as YamlScalarNode)?.Value ?? "";
    }

    private static Dictionary<string, IReadOnlyList<Weighted>> Inner(
        YamlMappingNode map, string key, string where, Func<YamlMappingNode, string, string, List<Weighted>> read) =>
        YamlForm.Child(map, key) is YamlMappingNode inner
            ? inner.Children.Keys.Select(each => ((YamlScalarNode)each).Value ?? "")
                .ToDictionary(each => each, each => (IReadOnlyList<Weighted>)read(inner, each, $"{where}{key}."))
            : [];

    private IEnumerable<YamlMappingNode> Maps(YamlMappingNode map, string key, string where, bool isNeeded = true, bool isOne = false)
    {
        switch (YamlForm.Child(map, key))
        {
            case YamlSequenceNode list when list.Children.All(child => child is YamlMappingNode):
                return list.Children.Cast<YamlMappingNode>();
            case YamlMappingNode one when isOne:
                return [one];
            case null when !isNeeded:
                return [];
            case var other:
                _form.Report(other ?? map, $"'{key}' must be a list of mappings.", where + key);
                return [];
        }
    }
}
