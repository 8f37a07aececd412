using Bandejo.Core.Installers;

namespace Bandejo.Cli;

/// <summary>Makes the folder of a new version from the version before, which is a package folder or a package of the catalogue.</summary>
internal static class NextVersionDraft
{
    public static async Task Make(
        List<(FileInfo File, Inspection Inspection)> inspections, string earlier, string into, HintCatalog hints, bool isRenamed, TextWriter words,
        string? service, CancellationToken cancellation)
    {
        if (Directory.Exists(earlier))
        {
            Write(inspections, earlier, earlier, into, hints, isRenamed, words);
            return;
        }

        var unpacked = Directory.CreateTempSubdirectory("bandejo-earlier").FullName;
        try
        {
            using var client = Client.Open(service);
            await UnpackCommand.Write(client, earlier, unpacked, cancellation);
            Write(inspections, unpacked, $"\"{earlier}\"", into, hints, isRenamed, words);
        }
        finally
        {
            Directory.Delete(unpacked, recursive: true);
        }
    }

    private static void Write(
        List<(FileInfo File, Inspection Inspection)> inspections, string earlierPath, string named, string into, HintCatalog hints, bool isRenamed,
        TextWriter words)
    {
        var earlier = PackageFolder.Open(earlierPath);
        var old = new List<(FileInfo File, Inspection Inspection)>();
        foreach (var file in InspectCommand.FilesOf(earlier.Path).Where(file => file.Name != PackageFolder.ManifestName))
        {
            using var stream = file.OpenRead();
            old.Add((file, Inspector.Inspect(stream, file.Name, hints)));
        }

        var found = NextVersion.Pairs(inspections.Select(each => each.Inspection), old.Select(each => each.Inspection));
        if (!found.Ok)
        {
            throw new WrongUseException(found.Failure!.Message);
        }

        var pairs = found.Value;
        if (!isRenamed && pairs.Select(pair => NextVersion.WhyOther(pair.Before, pair.After)).OfType<string>().FirstOrDefault() is { } other)
        {
            throw new WrongUseException($"{other}. Draft it without --after, or say --renamed if it is the same under another name.");
        }

        var folder = Path.Combine(into, ManifestDraft.FolderName(pairs[0].After));
        var manifest = Path.Combine(folder, PackageFolder.ManifestName);
        if (File.Exists(manifest))
        {
            throw new WrongUseException($"{manifest} is there already; nothing was changed.");
        }

        Directory.CreateDirectory(folder);
        foreach (var (file, inspection) in old.Where(each => pairs.All(pair => pair.Before != each.Inspection)))
        {
            var target = Path.Combine(folder, Path.GetRelativePath(earlier.Path, file.FullName));
            Directory.CreateDirectory(Path.GetDirectoryName(target)!);
            file.CopyTo(target, overwrite: true);
        }

        foreach (var (file, inspection) in inspections)
        {
            file.CopyTo(Path.Combine(folder, file.Name), overwrite: true);
        }

        File.WriteAllText(manifest, pairs.Aggregate(earlier.Manifest, (text, pair) => NextVersion.Draft(text, pair.Before, pair.After)));
        foreach (var (before, after) in pairs)
        {
            words.WriteLine($"\n{after.File} after {before.File}");
            var changes = NextVersion.Changes(before, after);
            foreach (var change in changes)
            {
                words.WriteLine(
                    $"  {(change.Look.Length > 0 ? "!" : "■")} {change.What,-16} {(change.Before.Length == 0 ? "(none)" : change.Before)} → "
                        + $"{(change.After.Length == 0 ? "(none)" : change.After)}");
                if (change.Look.Length > 0)
                {
                    words.WriteLine($"                     {change.Look}");
                }
            }

            var again = changes.Count(change => change.Look.Length > 0);
            words.WriteLine(
                changes.Count == 0 ? "  Nothing that can be read has changed."
                    : again == 0 ? "  The draft follows all of it."
                    : $"  {again} of {changes.Count} must be looked at again.");
        }

        words.WriteLine($"\n{manifest} is drafted. Next: bandejo package check {folder}, then bandejo package trial {folder} --from {named}");
    }
}
