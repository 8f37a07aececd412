using Bandejo.Core.Packages;

namespace Bandejo.Cli;

/// <summary>Folders of packages as <c>--with</c> takes them: one package each, or a folder that has such folders in it.</summary>
internal static class FoldersWith
{
    /// <summary>The package folders, in the order in which they are installed.</summary>
    /// <param name="given">What was given; what is no folder names a package of the catalogue.</param>
    /// <param name="needs">Of a folder of package folders only what is needed is taken; null for all of it.</param>
    /// <exception cref="WrongUseException">A folder has neither a package nor packages in it.</exception>
    public static IReadOnlyList<string> Of(IEnumerable<string> given, IReadOnlyList<Need>? needs)
    {
        var found = new List<string>();
        foreach (var path in given)
        {
            if (!Directory.Exists(path) || File.Exists(Path.Combine(path, PackageFolder.ManifestName)))
            {
                found.Add(path);
                continue;
            }

            var all = Directory.GetDirectories(path).Where(folder => File.Exists(Path.Combine(folder, PackageFolder.ManifestName))).Order(StringComparer.Ordinal).ToList();
            if (all.Count == 0)
            {
                throw new WrongUseException($"{path} is neither a package folder nor a folder of them; none has a {PackageFolder.ManifestName}.");
            }

            // What cannot be read is no matter here unless it is needed, and then its need is said to be missing.
            var read = all.Select(folder => (Folder: folder, Manifest: ManifestReader.Read(PackageFolder.Open(folder).Manifest))).Where(each => each.Manifest.Ok).ToDictionary(each => each.Manifest.Value, each => each.Folder);
            var taken = needs is null ? NeedOrder.Of([.. read.Keys], each => each.App, each => each.Needs.Select(need => need.App)) : NeedOrder.For(needs, [.. read.Keys]);
            found.AddRange(taken.Select(each => read[each]));
        }

        return found;
    }
}
