using Bandejo.Core.Rules;

namespace Bandejo.Core.Packages;

/// <summary>Finds settings that are used and not there, are there and not used, or would be seen by whom they must not.</summary>
internal static class SettingCheck
{
    public static IEnumerable<Finding> Check(Manifest manifest)
    {
        var known = manifest.Settings.ToDictionary(setting => setting.Name, StringComparer.Ordinal);
        var uses = manifest.Variants.SelectMany((variant, at) => Uses(variant, $"variants[{at}]")).ToList();
        foreach (var (name, where, _, _) in uses.Where(use => !known.ContainsKey(use.Setting)).DistinctBy(use => (use.Setting, use.Where)))
        {
            var near = Suggest.Nearest(name, known.Keys);
            yield return new Finding(
                $"'@{{{name}}}' stands for a setting, but there is no setting "
                    + $"'{name}'.{(near is null ? " Add it under 'settings'." : $" Did you mean '{near}'?")}",
                where);
        }

        foreach (var (name, where, use, _) in uses.Where(use => known.GetValueOrDefault(use.Setting) is { Type: SettingType.Secret }))
        {
            if (use is Use.Word or Use.Proof)
            {
                yield return new Finding(
                    $"'{name}' is secret, and a command's words are seen by everybody on the device; give it by 'environment' or 'answers'.", where);
            }
        }

        foreach (var (name, where, _, _) in uses.Where(
            use => use.By == Use.Proof && known.GetValueOrDefault(use.Setting) is { Type: not SettingType.Secret, Default: null }))
        {
            yield return new Finding($"The proof uses '{name}', which has no default; without a value nobody could look.", where);
        }

        foreach (var (name, where, _, after) in uses.Where(
            use => use is { By: Use.Word, After: not null } && known.GetValueOrDefault(use.Setting) is { Default: null }))
        {
            yield return new Finding(
                $"Without a value for '{name}' its word is left out, but '{after}' before it is not; write both as one word, such as '{after}=@{{{name}}}'.",
                where) { IsWarning = true };
        }

        for (var i = 0; i < manifest.Settings.Count; i++)
        {
            if (!uses.Exists(use => use.Setting == manifest.Settings[i].Name))
            {
                yield return new Finding(
                    $"Nothing uses '{manifest.Settings[i].Name}'; write @{{{manifest.Settings[i].Name}}} where its value belongs.",
                    $"settings[{i}]") { IsWarning = true };
            }
        }
    }

    private enum Use
    {
        Word,
        Hidden,
        Proof,
    }

    /// <summary>Each use of a setting in a variant; with the switch that stands before it, where the word is nothing but the setting.</summary>
    private static IEnumerable<(string Setting, string Where, Use By, string? After)> Uses(Variant variant, string where)
    {
        foreach (var (name, step) in variant.Steps())
        {
            for (var i = 0; i < step.Run.Count; i++)
            {
                var isAlone = i > 0 && step.Run[i].StartsWith("@{", StringComparison.Ordinal) && step.Run[i].EndsWith('}') && step.Run[i - 1].StartsWith('-');
                foreach (var setting in Settings.UsedIn(step.Run[i]))
                {
                    yield return (setting, $"{where}.{name}.run", Use.Word, isAlone ? step.Run[i - 1] : null);
                }
            }

            foreach (var (setting, key) in step.Environment.Values.SelectMany(Settings.UsedIn).Select(each => (each, "environment")).Concat(
                step.Answers.Values.SelectMany(Settings.UsedIn).Select(each => (each, "answers"))))
            {
                yield return (setting, $"{where}.{name}.{key}", Use.Hidden, null);
            }
        }

        foreach (var setting in ((IEnumerable<string>)[.. variant.Launch?.Run ?? [], .. variant.Launch?.Environment.Values ?? []]).SelectMany(Settings.UsedIn))
        {
            yield return (setting, $"{where}.launch.run", Use.Word, null);
        }

        for (var i = 0; i < variant.Companions.Count; i++)
        {
            foreach (var setting in variant.Companions[i].With.Append(variant.Companions[i].To ?? "").Append(variant.Companions[i].Value ?? "").SelectMany(
                Settings.UsedIn))
            {
                yield return (setting, $"{where}.companions[{i}]", Use.Proof, null);
            }
        }

        for (var i = 0; i < variant.Present.Count; i++)
        {
            var check = variant.Present[i];
            foreach (var setting in ((string?[])[check.Subject, check.Key, check.Expected, .. check.Arguments]).OfType<string>().SelectMany(Settings.UsedIn))
            {
                yield return (setting, $"{where}.present[{i}]", Use.Proof, null);
            }
        }
    }
}
