using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Versions;

namespace Bandejo.Packaging;

/// <summary>Folders of packages as they are named for what goes first: one package each, or a folder that has such folders in it.</summary>
public static class PackageFolders
{
    /// <summary>The name of a manifest.</summary>
    public const string ManifestName = "package.yaml";

    /// <summary>The package folders, in the order in which they are installed.</summary>
    /// <param name="given">What was given; what is no folder names a package of the catalogue, and stays as it is.</param>
    /// <param name="needs">Of a folder of package folders only what is needed is taken, and what that needs; null for all of it.</param>
    /// <returns>A failure of kind <see cref="ErrorKind.Invalid"/> where a folder has neither a package nor packages in it.</returns>
    public static Outcome<IReadOnlyList<string>> First(IEnumerable<string> given, IReadOnlyList<DocumentNeed>? needs)
    {
        var found = new List<string>();
        foreach (var path in given)
        {
            if (!Directory.Exists(path) || File.Exists(Path.Combine(path, ManifestName)))
            {
                found.Add(path);
                continue;
            }

            var all = Directory.GetDirectories(path).Where(folder => File.Exists(Path.Combine(folder, ManifestName))).Order(StringComparer.Ordinal).ToList();
            if (all.Count == 0)
            {
                return new Failure(ErrorKind.Invalid, $"{path} is neither a package folder nor a folder of them; none has a {ManifestName}.");
            }

            // What cannot be read is no matter here unless it is needed, and then its need is said to be missing.
            var read = all.Select(folder => (Folder: folder, Manifest: ManifestReader.Read(File.ReadAllText(Path.Combine(folder, ManifestName)))))
                .Where(each => each.Manifest.Ok).ToDictionary(each => each.Manifest.Value, each => each.Folder);
            IReadOnlyList<Manifest> taken = needs is null ? NeedOrder.Of([.. read.Keys], each => each.App, each => each.Needs.Select(need => need.App))
                : NeedOrder.For(needs.Select(need => new Need(need.App, need.AtLeast is { } least ? AppVersion.Parse(least) : null)), [.. read.Keys]);
            found.AddRange(taken.Select(each => read[each]));
        }

        return found;
    }
}
