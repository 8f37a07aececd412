using System.Text.RegularExpressions;

namespace Bandejo.Core.Packages;

/// <summary>A service that software brings along (systemd.unit(5)).</summary>
/// <param name="Name">Such as <c>inkwell-print.service</c>.</param>
/// <param name="IsEnabled">Whether it starts with the machine: something that the machine starts by itself wants it.</param>
/// <param name="IsForOthers">Whether it says itself that it is not to be enabled: others start it when they need it.</param>
public sealed partial record BroughtService(string Name, bool IsEnabled, bool IsForOthers)
{
    /// <summary>The services among what was put in place, by name. What is a template for many is none.</summary>
    /// <param name="placed">Absolute paths, those of links too.</param>
    /// <param name="isLink">Whether a path is a link: another name of a service is none of its own.</param>
    /// <param name="read">The text of a file; null where there is none.</param>
    public static IReadOnlyList<BroughtService> Of(IReadOnlyCollection<string> placed, Func<string, bool> isLink, Func<string, string?> read)
    {
        var wanted = placed.Select(path => Wanted().Match(path)).Where(match => match.Success).Select(match => match.Groups[1].Value)
            .ToHashSet(StringComparer.Ordinal);
        return [.. placed.Select(path => (Path: path, Match: Unit().Match(path))).Where(unit => unit.Match.Success && !isLink(unit.Path))
            .Select(unit => new BroughtService(
                unit.Match.Groups[1].Value, wanted.Contains(unit.Match.Groups[1].Value),
                !(read(unit.Path) ?? "").Split('\n').Any(line => line.Trim() == "[Install]")))
            .DistinctBy(service => service.Name).OrderBy(service => service.Name, StringComparer.Ordinal)];
    }

    [GeneratedRegex(@"^/(?:etc|usr/lib|lib|usr/local/lib)/systemd/system/[^/]+\.(?:wants|requires)/([^/]+\.service)$")]
    private static partial Regex Wanted();

    [GeneratedRegex(@"^/(?:etc|usr/lib|lib|usr/local/lib)/systemd/system/([^/@]+\.service)$")]
    private static partial Regex Unit();
}
