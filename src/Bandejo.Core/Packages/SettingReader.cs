using Bandejo.Core.Rules;
using YamlDotNet.RepresentationModel;

namespace Bandejo.Core.Packages;

/// <summary>Reads the settings and presets of a manifest.</summary>
public sealed class SettingReader(YamlForm form)
{
    /// <summary>The keys of a setting; the published schema has the same.</summary>
    public static IReadOnlyList<string> Keys { get; } = ["name", "says", "type", "default", "choices", "writes"];

    private const int Most = 200;

    public IReadOnlyList<Setting> Settings(YamlMappingNode root)
    {
        var settings = new List<Setting>();
        if (YamlForm.Child(root, "settings") is not { } node)
        {
            return settings;
        }

        if (node is not YamlSequenceNode { Children.Count: <= Most } list)
        {
            form.Report(node, $"'settings' is a list of at most {Most} settings, each with a name.", "settings");
            return settings;
        }

        for (var i = 0; i < list.Children.Count; i++)
        {
            if (list.Children[i] is not YamlMappingNode map)
            {
                form.Report(list.Children[i], "A setting is a mapping such as '{ name: folder, type: text, default: /opt/foldline }'.", $"settings[{i}]");
            }
            else if (Read(map, $"settings[{i}].") is { } setting)
            {
                if (settings.Exists(each => each.Name == setting.Name))
                {
                    form.Report(map, $"Two settings are named '{setting.Name}'.", $"settings[{i}].name");
                }

                settings.Add(setting);
            }
        }

        return settings;
    }

    public IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> Presets(YamlMappingNode root, IReadOnlyList<Setting> settings)
    {
        var presets = new Dictionary<string, IReadOnlyDictionary<string, string>>(StringComparer.Ordinal);
        if (YamlForm.Child(root, "presets") is not { } node)
        {
            return presets;
        }

        if (node is not YamlMappingNode map)
        {
            form.Report(node, "'presets' is a mapping from a preset's name to values of settings, such as 'kiosks: { updater: no }'.", "presets");
            return presets;
        }

        foreach (var (key, values) in map.Children)
        {
            var (name, where) = ((key as YamlScalarNode)?.Value ?? "", $"presets.{key}");
            if (!Packages.Settings.IsName(name))
            {
                form.Report(key, $"The name of a preset is lower-case letters, digits and hyphens, not '{name}'.", where);
            }
            else if (values is not YamlMappingNode { Children: var pairs } || !pairs.All(pair => pair is { Key: YamlScalarNode, Value: YamlScalarNode }))
            {
                form.Report(values, "A preset is a mapping from settings to values, such as '{ updater: no }'.", where);
            }
            else
            {
                presets[name] = pairs.ToDictionary(pair => ((YamlScalarNode)pair.Key).Value!, pair => ((YamlScalarNode)pair.Value).Value!);
                var known = Packages.Settings.Resolve(settings, presets, null, presets[name]);
                foreach (var finding in known.Ok ? [] : known.Failure!.Findings)
                {
                    form.Report(key, finding.Message, where);
                }

                foreach (var secret in settings.Where(setting => setting.Type == SettingType.Secret && presets[name].ContainsKey(setting.Name)))
                {
                    form.Report(key, $"'{secret.Name}' is secret and has no place in a manifest; give it with the deployment.", where);
                }
            }
        }

        return presets;
    }

    private Setting? Read(YamlMappingNode map, string where)
    {
        form.Known(map, where, Keys);
        var name = form.Text(map, "name", where, must: true, max: 64);
        if (name is null || !Packages.Settings.IsName(name))
        {
            if (name is not null)
            {
                form.Report(
                    YamlForm.Child(map, "name")!, $"'{name}' must be lower-case letters, digits and hyphens, such as '{FactCatalog.Slug(name)}'.",
                    where + "name");
            }

            return null;
        }

        var written = form.Text(map, "type", where, must: false) ?? "text";
        if (!Setting.Types.TryGetValue(written, out var type))
        {
            form.Report(YamlForm.Child(map, "type")!, $"A setting is {string.Join(", ", Setting.Types.Keys)}, not '{written}'.", where + "type");
        }

        var choices = form.Texts(map, "choices", where);
        if ((type == SettingType.Choice) != (choices.Count > 0))
        {
            form.Report(
                map, type == SettingType.Choice ? $"'{name}' is a choice and needs its 'choices'." : $"'{name}' has 'choices'; say 'type: choice'.",
                where + "choices");
        }

        var setting = new Setting { Name = name, Says = form.Text(map, "says", where, must: false, max: 300) ?? "", Type = type, Choices = choices };
        var given = form.Text(map, "default", where, must: false, max: Packages.Settings.MaxValue);
        if (given is not null && type == SettingType.Secret)
        {
            form.Report(YamlForm.Child(map, "default")!, $"'{name}' is secret and has no place in a manifest; give it with the deployment.", where + "default");
            return setting;
        }

        return setting with
        {
            Default = given is null ? null : Value(setting, given, YamlForm.Child(map, "default")!, where + "default"), Writes = Writes(map, setting, where),
        };
    }

    private Dictionary<string, string> Writes(YamlMappingNode map, Setting setting, string where)
    {
        var writes = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var (value, text) in form.Pairs(map, "writes", where, "from a value to what is written for it, such as '{ no: /NOUPDATE, yes: \"\" }'"))
        {
            if (Value(setting, value, YamlForm.Child(map, "writes")!, where + "writes") is { } known)
            {
                writes[known] = text;
            }
        }

        return writes;
    }

    private string? Value(Setting setting, string text, YamlNode at, string where)
    {
        var read = Packages.Settings.Read(setting, text);
        if (read.Ok)
        {
            return read.Value;
        }

        form.Report(at, read.Failure!.Message, where);
        return null;
    }
}
