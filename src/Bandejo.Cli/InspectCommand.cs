using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core.Installers;
using Bandejo.Packaging;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo package inspect</c>: reads installer files on this machine; it needs no service.</summary>
internal static class InspectCommand
{
    private static readonly Argument<string[]> Paths = new("path") { Description = "Installer files, or folders of them", Arity = ArgumentArity.OneOrMore };
    private static readonly Option<string?> HintsFile = new("--hints") { Description = "A file of your own hints, by which setups are recognised before ours" };
    private static readonly Option<string?> DraftInto = new(
        "--draft") { Description = "Make package folders below this folder, each with a first manifest" };
    private static readonly Option<string?> AfterFolder = new(
        "--after")
        { Description = "With --draft: the version before, a package folder or a package of the catalogue; its choices are kept, and what changed is said" };

    private static readonly Option<bool> Renamed = new("--renamed")
    {
        Description = "With --after: the software has another name now than in the version before",
    };
    private static readonly Option<string?> SilentWith = new(
        "--silent-with")
        { Description = "With --hints: you know that files of this sort install silently with these words, such as '/S /norestart'; a hint of it is added to "
            + "your file" };
    private static readonly Option<string?> Called = new("--called")
    {
        Description = "With --silent-with: what sort of setup it is, in your words [setup like FILE]",
    };
    private static readonly Option<string?> LeftAt = new("--left-at")
    {
        Description = "With --draft: leave the installers where they are, at this address or on this share, and have them fetched when the package is built",
    };

    public static Command Make()
    {
        var command = new Command(
            "inspect",
            "Says what installer files are, how they install silently and what proves them; drafts package folders\n\nExample:\n  bandejo package inspect "
                + "demo/installers/inkwell-print_4.3.0_amd64.deb --draft drafts")
            { Paths, HintsFile, SilentWith, Called, DraftInto, AfterFolder, Renamed, LeftAt };
        command.SetAction((parsed, cancellation) => Shared.Guarded(async () =>
        {
            if (parsed.GetValue(AfterFolder) is not null && parsed.GetValue(DraftInto) is null)
            {
                throw new WrongUseException("--after needs --draft FOLDER: where the folder of the new version is to be made.");
            }

            if (parsed.GetValue(LeftAt) is not null && (parsed.GetValue(DraftInto) is null || parsed.GetValue(AfterFolder) is not null))
            {
                throw new WrongUseException("--left-at needs --draft FOLDER, and does not go with --after.");
            }

            // Where the output is for scripts, what is said about drafts must not be in it.
            var words = parsed.GetValue(Shared.Output) == "table" ? Console.Out : Console.Error;
            var files = parsed.GetValue(Paths)!.SelectMany(FilesOf).ToList();
            if (parsed.GetValue(SilentWith) is { } silent)
            {
                AddHint(
                    files, silent, parsed.GetValue(Called),
                    parsed.GetValue(HintsFile)
                        ?? throw new WrongUseException("--silent-with needs --hints FILE: the file of your own hints that it is added to, new or not."),
                    cancellation);
            }

            var hints = Hints(parsed.GetValue(HintsFile));
            var inspections = await Progress.Run(bars => Task.FromResult(All(files, hints, bars, cancellation)));
            switch (parsed.GetValue(Shared.Output))
            {
                case "json":
                    Say.Json([.. inspections.Select(each => InspectionForm.Of(each.Inspection))], ContractJson.Default.IReadOnlyListInspectionInfo);
                    break;
                case var output when inspections.Count > 1 || output == "csv":
                    Table(inspections.Select(each => each.Inspection), output!);
                    break;
                default:
                    InspectionReport.Print(inspections[0].Inspection);
                    break;
            }

            if (parsed.GetValue(AfterFolder) is { } earlier)
            {
                await NextVersionDraft.Make(
                    inspections, earlier, parsed.GetValue(DraftInto)!, hints, parsed.GetValue(Renamed), words, parsed.GetValue(Shared.Service), cancellation);
            }
            else if (parsed.GetValue(DraftInto) is { } into)
            {
                var taken = Directory.CreateTempSubdirectory("bandejo-inside").FullName;
                try
                {
                    if (!Draft(inspections, into, parsed.GetValue(LeftAt), TakenOut(inspections, taken, hints), words))
                    {
                        return ExitCode.No;
                    }
                }
                finally
                {
                    Directory.Delete(taken, recursive: true);
                }
            }
            else if (parsed.GetValue(Shared.Output) == "table")
            {
                Console.WriteLine(
                    $"\nNext: bandejo package inspect "
                        + $"{string.Join(' ', parsed.GetValue(Paths)!.Select(path => path.Contains(' ') ? $"\"{path}\"" : path))} --draft FOLDER makes "
                            + $"{(inspections.Count == 1 ? "a package folder" : "package folders")} of {(inspections.Count == 1 ? "it" : "them")}.");
            }

            return inspections.Any(each => each.Inspection.Findings.Any(finding => !finding.IsWarning)) ? ExitCode.No : ExitCode.Done;
        }));
        return command;
    }

    /// <summary>Adds to a file of hints what a person knows of these files. Nothing is written that could not be read again.</summary>
    private static void AddHint(List<FileInfo> files, string silentWith, string? called, string hintsFile, CancellationToken cancellation)
    {
        var contents = files.ConvertAll(file => (file.Name, Content: (Stream)file.OpenRead()));
        try
        {
            var mark = HintDraft.MarkOf(contents, new ReadingBudget(TimeProvider.System, cancellation));
            if (!mark.Ok)
            {
                throw new WrongUseException(mark.Failure!.Message);
            }

            var before = File.Exists(hintsFile)
                ? File.ReadAllText(hintsFile)
                : "# Setups that this site knows, by bytes that stand in them; for bandejo package inspect --hints, and for the service's --hints.\n";
            var hint = HintDraft.Write(
                mark.Value, called ?? $"setup like {files[0].Name}", silentWith.Split(' ', StringSplitOptions.RemoveEmptyEntries), files[0].Name);
            var text = before.TrimEnd('\n') + "\n" + hint;
            if (HintCatalog.Own.With(text, hintsFile) is { Ok: false, Failure: { } failure })
            {
                throw new WrongUseException(failure.Message);
            }

            File.WriteAllText(hintsFile, text);
            var bytes = string.Join(' ', mark.Value.Bytes.Take(8).Select(each => each.ToString("X2", System.Globalization.CultureInfo.InvariantCulture)));
            Console.Error.WriteLine($"Added to {hintsFile}, and used from now on where it is named: files "
                + $"{(mark.Value.Look == "head" ? "that begin" : "to which something is appended that begins")} with "
                    + (mark.Value.InWords.Length > 0 ? $"'{mark.Value.InWords}'" : $"the {mark.Value.Bytes.Count} bytes {bytes} …")
                    + $" install with {silentWith}.");
        }
        finally
        {
            contents.ForEach(each => each.Content.Dispose());
        }
    }

    private static HintCatalog Hints(string? file)
    {
        if (file is null)
        {
            return HintCatalog.Own;
        }

        if (!File.Exists(file))
        {
            throw new WrongUseException($"There is no file of hints {file}.");
        }

        var read = HintCatalog.Own.With(File.ReadAllText(file), file);
        return read.Ok
            ? read.Value
            : throw new WrongUseException(string.Join(
                '\n', read.Failure!.Findings.Select(finding => $"{file}:{finding.Line}:{finding.Column}: {finding.Message}").Prepend(read.Failure.Message)));
    }

    internal static IEnumerable<FileInfo> FilesOf(string path)
    {
        if (Directory.Exists(path))
        {
            var files = new DirectoryInfo(path)
                .EnumerateFiles("*", new EnumerationOptions { RecurseSubdirectories = true, AttributesToSkip = FileAttributes.ReparsePoint })
                .Where(file => !file.Name.StartsWith('.')).OrderBy(file => file.FullName, StringComparer.Ordinal).ToList();
            foreach (var other in files.Where(file => !OrdinaryFiles.Is(file)))
            {
                Console.Error.WriteLine($"{other.FullName} is a pipe, a socket or a device; it is left out.");
            }

            files.RemoveAll(file => !OrdinaryFiles.Is(file));
            return files.Count > 0 ? files : throw new WrongUseException($"There are no files in {path}.");
        }

        return File.Exists(path) ? OrdinaryFiles.Is(new FileInfo(path)) ? [new FileInfo(path)]
            : throw new WrongUseException($"{path} is a pipe, a socket or a device, and no file.")
            : throw new WrongUseException($"There is no file or folder {path}.");
    }

    private static List<(FileInfo File, Inspection Inspection)> All(List<FileInfo> files, HintCatalog hints, Progress bars, CancellationToken cancellation)
    {
        var advance = bars.Add("Inspecting", files.Count);
        var inspections = new List<(FileInfo, Inspection)>(files.Count);
        foreach (var file in files)
        {
            cancellation.ThrowIfCancellationRequested();
            var beside = file.Extension.Equals(".msi", StringComparison.OrdinalIgnoreCase) ? Transforms(file) : [];
            using var stream = file.OpenRead();
            var transforms = beside.Select(each => (each.Name, (Stream)each.OpenRead())).ToList();
            inspections.Add((file, Inspector.Inspect(stream, file.Name, hints, transforms, new ReadingBudget(TimeProvider.System, cancellation))));
            transforms.ForEach(each => each.Item2.Dispose());
            advance(1);
        }

        return inspections;
    }

    /// <summary>The transforms beside a database: those whose names begin with its own, or all where it is alone.</summary>
    private static List<FileInfo> Transforms(FileInfo database)
    {
        var transforms = database.Directory!.EnumerateFiles("*.mst").OrderBy(file => file.Name, StringComparer.Ordinal).ToList();
        var isAlone = database.Directory.EnumerateFiles("*.msi").Count() == 1;
        return isAlone
            ? transforms
            : [.. transforms.Where(file => file.Name.StartsWith(Path.GetFileNameWithoutExtension(database.Name), StringComparison.OrdinalIgnoreCase))];
    }

    private static void Table(IEnumerable<Inspection> inspections, string output)
    {
        var sheet = new Sheet("File", "Kind", "Name", "Version", "Publisher", "Architecture", "Silent", "Proof", "#Open", "Wrong");
        var all = inspections.ToList();
        foreach (var each in all)
        {
            sheet.Add(
                each.File, each.KindInWords, each.Of(Facts.Name)?.Value, each.Of(Facts.Version)?.Value, each.Of(Facts.Publisher)?.Value,
                each.Of(Facts.Architecture)?.Value,
                each.CommandFor("install") is { } install ? InspectionForm.Of(install.Certainty) : "not known",
                each.Proofs.Count == 0 ? "not known" : InspectionForm.Of(each.Proofs.Max(proof => proof.Certainty)),
                Say.Number(each.Open.Count), each.Findings.FirstOrDefault(finding => !finding.IsWarning)?.Message);
        }

        sheet.Print(output, (IReadOnlyList<InspectionInfo>)[.. all.Select(InspectionForm.Of)], ContractJson.Default.IReadOnlyListInspectionInfo, "");
    }

    /// <summary>The installers that archives bring along, taken out into a folder, with where they stood inside.</summary>
    private static List<(string Path, FileInfo File, Inspection Inspection)> TakenOut(
        List<(FileInfo File, Inspection Inspection)> inspections, string folder, HintCatalog hints)
    {
        var taken = new List<(string, FileInfo, Inspection)>();
        foreach (var (file, inspection) in inspections)
        {
            foreach (var nested in inspection.Nested.Where(nested => NestedFiles.CanBeTaken(inspection, nested)))
            {
                var target = new FileInfo(Path.Combine(
                    Directory.CreateDirectory(Path.Combine(folder, Say.Number(taken.Count))).FullName, Path.GetFileName(nested.Path)));
                using var archive = file.OpenRead();
                using var content = target.Create();
                var copied = NestedFiles.TakeOut(archive, inspection, nested.Path, content);
                if (!copied.Ok)
                {
                    Console.Error.WriteLine(copied.Failure!.Message);
                    continue;
                }

                content.Position = 0;
                if (Inspector.Inspect(content, target.Name, hints) is { Kind: not InstallerKind.Unknown } read)
                {
                    taken.Add((nested.Path, target, read));
                }
            }
        }

        return taken;
    }

    /// <summary>Drafts packages; false where something was left out, which was said.</summary>
    private static bool Draft(
        List<(FileInfo File, Inspection Inspection)> inspections, string into, string? leftAt, List<(string Path, FileInfo File, Inspection Inspection)> taken,
        TextWriter words)
    {
        // What was taken out cannot be left where it is: there it is inside of something else.
        var inside = taken.Select(each => each.Inspection).ToHashSet(ReferenceEqualityComparer.Instance);
        var drafted = taken.DistinctBy(each => each.Path, StringComparer.Ordinal)
            .ToDictionary(each => each.Path, each => each.Inspection, StringComparer.Ordinal);
        foreach (var asked in inspections.SelectMany(each => each.Inspection.Nested).Where(nested => nested.Size == 0).Select(nested => nested.Path).Distinct())
        {
            // Whatever has the name, or an alternative of it, and lies here becomes a package too.
            if (
                asked.Split('|').Select(each => each.Trim().Split(' ')[0].Split(':')[0])
                    .Select(
                        name =>
                            inspections.Find(
                                each => each.Inspection.Of(Facts.Identity)?.Value == name || each.Inspection.Of(Facts.Name)?.Value == name).Inspection)
                    .FirstOrDefault(each => each is not null) is { } beside)
            {
                drafted[asked] = beside;
            }
        }

        inspections = [.. inspections, .. taken.Where(each => inspections.TrueForAll(own => own.Inspection.File != each.Inspection.File)).Select(each => (
            each.File, each.Inspection))];
        var digests = Digests.Read(isFresh: false);
        var left = new Dictionary<string, LeftInstaller>(StringComparer.Ordinal);
        var places = inspections.GroupBy(each => each.Inspection.File, StringComparer.Ordinal)
            .ToDictionary(each => each.Key, each => each.First().File, StringComparer.Ordinal);
        var broken = inspections.Where(each => each.Inspection.Findings.Any(finding => !finding.IsWarning)).Select(each => each.Inspection.File)
            .ToHashSet(StringComparer.Ordinal);
        var isWhole = true;
        words.WriteLine();
        foreach (var package in ManifestDraft.Packages(inspections.Select(each => each.Inspection).Where(each => !broken.Contains(each.File))))
        {
            var folder = Path.Combine(into, ManifestDraft.FolderName(package[0]));
            var manifest = Path.Combine(folder, PackageFolder.ManifestName);
            if (File.Exists(manifest))
            {
                Console.Error.WriteLine(
                    $"{manifest} is there already; it was left as it is, without {string.Join(" and ", package.Select(each => each.File))}. Take it away, "
                        + $"or draft into another folder.");
                isWhole = false;
                continue;
            }

            Directory.CreateDirectory(folder);
            var beside = new Dictionary<string, IReadOnlyList<string>>(StringComparer.Ordinal);
            foreach (var each in package)
            {
                var place = places[each.File];
                if (leftAt is null || inside.Contains(each))
                {
                    place.CopyTo(Path.Combine(folder, each.File), overwrite: true);
                }
                else
                {
                    left[each.File] = new LeftInstaller(
                        each.File, $"{leftAt.TrimEnd('/')}/{(leftAt.StartsWith('/') ? each.File : Uri.EscapeDataString(each.File))}", place.Length,
                        digests.Of(place, _ => { }));
                }

                var transforms = each.Kind == InstallerKind.WindowsInstaller ? Transforms(place) : [];
                beside[each.File] = [.. transforms.Select(file => file.Name)];
                foreach (var file in transforms.Concat(each.Beside.Select(name => new FileInfo(Path.Combine(place.DirectoryName!, name))).Where(
                    file => file.Exists)))
                {
                    file.CopyTo(Path.Combine(folder, file.Name), overwrite: true);
                }
            }

            if (package.Select(each => each.Icon).OfType<InstallerIcon>().FirstOrDefault() is { } icon)
            {
                File.WriteAllBytes(Path.Combine(folder, ManifestDraft.IconName), icon.Png);
            }

            File.WriteAllText(manifest, ManifestDraft.Write(package, beside, left, drafted));
            words.WriteLine($"{manifest} is drafted. Next: look through it, then bandejo package check {folder}");
        }

        foreach (var file in inspections.Select(each => each.Inspection).Where(each => broken.Contains(each.File) || each.Kind == InstallerKind.Unknown))
        {
            Console.Error.WriteLine(
                $"{file.File}: no draft, because {(broken.Contains(file.File) ? "it is damaged" : "it is none of the kinds that are read")}.");
            isWhole = false;
        }

        return isWhole;
    }
}
