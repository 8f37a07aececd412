using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core.Installers;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo package inspect</c>: reads installer files on this machine; it needs no service.</summary>
internal static class InspectCommand
{
    private static readonly Argument<string[]> Paths = new("path") { Description = "Installer files, or folders of them", Arity = ArgumentArity.OneOrMore };
    private static readonly Option<string?> HintsFile = new("--hints") { Description = "A file of your own hints, by which setups are recognised before ours" };
    private static readonly Option<string?> DraftInto = new("--draft", "-d") { Description = "Make package folders below this folder, each with a first manifest" };
    private static readonly Option<string?> AfterFolder = new("--after", "-a") { Description = "With --draft: the package folder of the version before; its choices are kept, and what changed is said" };

    public static Command Make()
    {
        var command = new Command("inspect", "Says what installer files are, how they install silently and what proves them; drafts package folders\n\nExample:\n  bandejo package inspect demo/installers/inkwell-print_4.3.0_amd64.deb --draft drafts") { Paths, HintsFile, DraftInto, AfterFolder };
        command.SetAction((parsed, cancellation) => Shared.Guarded(async () =>
        {
            var hints = Hints(parsed.GetValue(HintsFile));
            var files = parsed.GetValue(Paths)!.SelectMany(FilesOf).ToList();
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
                DraftAfter(inspections, earlier, parsed.GetValue(DraftInto) ?? throw new WrongUseException("--after needs --draft FOLDER: where the folder of the new version is to be made."), hints);
            }
            else if (parsed.GetValue(DraftInto) is { } into)
            {
                Draft(inspections, into);
            }
            else if (parsed.GetValue(Shared.Output) == "table")
            {
                Console.WriteLine($"\nNext: bandejo package inspect {string.Join(' ', parsed.GetValue(Paths)!.Select(path => path.Contains(' ') ? $"\"{path}\"" : path))} --draft FOLDER makes {(inspections.Count == 1 ? "a package folder" : "package folders")} of {(inspections.Count == 1 ? "it" : "them")}.");
            }

            return inspections.Any(each => each.Inspection.Findings.Any(finding => !finding.IsWarning)) ? ExitCode.No : ExitCode.Done;
        }));
        return command;
    }

    private static HintCatalog Hints(string? file)
    {
        if (file is null)
        {
            return HintCatalog.Own;
        }

        var read = HintCatalog.Own.With(File.ReadAllText(file), file);
        return read.Ok ? read.Value : throw new WrongUseException(string.Join('\n', read.Failure!.Findings.Select(finding => $"{file}:{finding.Line}:{finding.Column}: {finding.Message}").Prepend(read.Failure.Message)));
    }

    private static IEnumerable<FileInfo> FilesOf(string path)
    {
        if (Directory.Exists(path))
        {
            var files = new DirectoryInfo(path).EnumerateFiles("*", new EnumerationOptions { RecurseSubdirectories = true, AttributesToSkip = FileAttributes.ReparsePoint }).Where(file => !file.Name.StartsWith('.')).OrderBy(file => file.FullName, StringComparer.Ordinal).ToList();
            return files.Count > 0 ? files : throw new WrongUseException($"There are no files in {path}.");
        }

        return File.Exists(path) ? [new FileInfo(path)] : throw new WrongUseException($"There is no file or folder {path}.");
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
            inspections.Add((file, Inspector.Inspect(stream, file.Name, hints, transforms)));
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
        return isAlone ? transforms : [.. transforms.Where(file => file.Name.StartsWith(Path.GetFileNameWithoutExtension(database.Name), StringComparison.OrdinalIgnoreCase))];
    }

    private static void Table(IEnumerable<Inspection> inspections, string output)
    {
        var sheet = new Sheet("File", "Kind", "Name", "Version", "Publisher", "Architecture", "Silent", "Proof", "#Open", "Wrong");
        var all = inspections.ToList();
        foreach (var each in all)
        {
            sheet.Add(
                each.File, each.KindInWords, each.Of(Facts.Name)?.Value, each.Of(Facts.Version)?.Value, each.Of(Facts.Publisher)?.Value, each.Of(Facts.Architecture)?.Value,
                each.CommandFor("install") is { } install ? InspectionForm.Of(install.Certainty) : "not known", each.Proofs.Count == 0 ? "not known" : InspectionForm.Of(each.Proofs.Max(proof => proof.Certainty)),
                Say.Number(each.Open.Count), each.Findings.FirstOrDefault(finding => !finding.IsWarning)?.Message);
        }

        sheet.Print(output, (IReadOnlyList<InspectionInfo>)[.. all.Select(InspectionForm.Of)], ContractJson.Default.IReadOnlyListInspectionInfo, "");
    }

    /// <summary>Makes the folder of a new version from that of the version before.</summary>
    private static void DraftAfter(List<(FileInfo File, Inspection Inspection)> inspections, string earlierPath, string into, HintCatalog hints)
    {
        var earlier = PackageFolder.Open(earlierPath);
        var old = new List<(FileInfo File, Inspection Inspection)>();
        foreach (var file in FilesOf(earlier.Path).Where(file => file.Name != PackageFolder.ManifestName))
        {
            using var stream = file.OpenRead();
            old.Add((file, Inspector.Inspect(stream, file.Name, hints)));
        }

        var pairs = new List<(Inspection Before, Inspection After)>();
        foreach (var (_, after) in inspections)
        {
            if (after.Findings.Any(finding => !finding.IsWarning))
            {
                throw new WrongUseException($"{after.File} is damaged; nothing was drafted.");
            }

            var before = NextVersion.Predecessor(after, old.Select(each => each.Inspection).Where(each => pairs.TrueForAll(pair => pair.Before != each)))
                ?? throw new WrongUseException($"{earlierPath} holds no {after.KindInWords} that {after.File} could take the place of; draft it without --after.");
            pairs.Add((before, after));
        }

        var folder = Path.Combine(into, ManifestDraft.FolderName(pairs[0].After));
        var manifest = Path.Combine(folder, PackageFolder.ManifestName);
        if (File.Exists(manifest))
        {
            throw new WrongUseException($"{manifest} is there already; nothing was changed.");
        }

        Directory.CreateDirectory(folder);
        foreach (var (file, inspection) in old.Where(each => pairs.TrueForAll(pair => pair.Before != each.Inspection)))
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
            Say.Line($"\n[bold]{Markup.Escape(after.File)}[/] after {Markup.Escape(before.File)}");
            var changes = NextVersion.Changes(before, after);
            foreach (var change in changes)
            {
                Say.Line($"  [{(change.Look.Length > 0 ? "darkgoldenrod" : "green4")}]{(change.Look.Length > 0 ? "!" : "■")}[/] {Markup.Escape($"{change.What,-16} {(change.Before.Length == 0 ? "(none)" : change.Before)} → {(change.After.Length == 0 ? "(none)" : change.After)}")}");
                if (change.Look.Length > 0)
                {
                    Say.Line($"                     [dim]{Markup.Escape(change.Look)}[/]");
                }
            }

            var again = changes.Count(change => change.Look.Length > 0);
            Console.WriteLine(changes.Count == 0 ? "  Nothing that can be read has changed." : again == 0 ? "  The draft follows all of it." : $"  {again} of {changes.Count} must be looked at again.");
        }

        Console.WriteLine($"\n{manifest} is drafted. Next: bandejo package check {folder}, then bandejo package trial {folder} --from {earlierPath}");
    }

    private static void Draft(List<(FileInfo File, Inspection Inspection)> inspections, string into)
    {
        var places = inspections.GroupBy(each => each.Inspection.File, StringComparer.Ordinal).ToDictionary(each => each.Key, each => each.First().File, StringComparer.Ordinal);
        var broken = inspections.Where(each => each.Inspection.Findings.Any(finding => !finding.IsWarning)).Select(each => each.Inspection.File).ToHashSet(StringComparer.Ordinal);
        Console.WriteLine();
        foreach (var package in ManifestDraft.Packages(inspections.Select(each => each.Inspection).Where(each => !broken.Contains(each.File))))
        {
            var folder = Path.Combine(into, ManifestDraft.FolderName(package[0]));
            var manifest = Path.Combine(folder, PackageFolder.ManifestName);
            if (File.Exists(manifest))
            {
                Console.Error.WriteLine($"{manifest} is there already; it was left as it is.");
                continue;
            }

            Directory.CreateDirectory(folder);
            var beside = new Dictionary<string, IReadOnlyList<string>>(StringComparer.Ordinal);
            foreach (var each in package)
            {
                var place = places[each.File];
                place.CopyTo(Path.Combine(folder, each.File), overwrite: true);
                var more = each.Kind == InstallerKind.WindowsInstaller ? Transforms(place) : [];
                more.ForEach(file => file.CopyTo(Path.Combine(folder, file.Name), overwrite: true));
                beside[each.File] = [.. more.Select(file => file.Name)];
            }

            if (package.Select(each => each.Icon).OfType<InstallerIcon>().FirstOrDefault() is { } icon)
            {
                File.WriteAllBytes(Path.Combine(folder, ManifestDraft.IconName), icon.Png);
            }

            File.WriteAllText(manifest, ManifestDraft.Write(package, beside));
            Console.WriteLine($"{manifest} is drafted. Next: look through it, then bandejo package check {folder}");
        }

        foreach (var file in inspections.Select(each => each.Inspection).Where(each => broken.Contains(each.File) || each.Kind == InstallerKind.Unknown))
        {
            Console.Error.WriteLine($"{file.File}: no draft, because {(broken.Contains(file.File) ? "it is damaged" : "it is none of the kinds that are read")}.");
        }
    }
}

/// <summary>Brings what was read into the form in which it travels.</summary>
internal static class InspectionForm
{
    public static InspectionInfo Of(Inspection each) => new(
        each.File, each.Size, each.KindInWords,
        [.. each.Told.Select(told => new ToldInfo(told.What, told.Value, Of(told.Certainty), told.Source))],
        [.. each.Commands.Select(command => new InstallerCommandInfo(command.Verb, command.Run, Of(command.Certainty), command.Source))],
        [.. each.Settings.Select(setting => new InstallerSettingInfo(setting.Name, setting.Default, setting.IsSecret, setting.Switch))],
        [.. each.Features.Select(feature => new InstallerFeatureInfo(feature.Name, feature.Title, feature.IsDefault))],
        each.Conditions,
        [.. each.Nested.Select(nested => new NestedInstallerInfo(nested.Path, nested.Size, nested.What))],
        [.. each.Proofs.Select(proof => new InstallerProofInfo(proof.Key, proof.Subject, Of(proof.Certainty), proof.Source))],
        each.Contents is { } contents ? new InstallerContentsInfo(contents.Files, contents.Size, [.. contents.First.Select(file => new ContainedFileInfo(file.Path, file.Size))], contents.IsWhole) : null,
        [.. each.Open.Select(open => new OpenQuestionInfo(open.What, open.Try))],
        [.. each.Findings.Select(finding => new FindingInfo(finding.Message, finding.Where, finding.Line, finding.Column, finding.Length, finding.IsWarning))],
        each.Icon is not null);

    public static string Of(Certainty certainty) => certainty switch { Certainty.Certain => "certain", Certainty.Likely => "likely", _ => "guess" };
}

/// <summary>Prints one inspection for people.</summary>
internal static class InspectionReport
{
    private const int MostRows = 12;

    public static void Print(Inspection each)
    {
        Say.Line($"[bold]{Markup.Escape(each.File)}[/] is a {Markup.Escape(each.KindInWords)}, {Say.Size(each.Size)}.".Replace("is a AppImage", "is an AppImage", StringComparison.Ordinal).Replace("is a MSIX", "is an MSIX", StringComparison.Ordinal).Replace("is a unknown", "is an unknown", StringComparison.Ordinal));
        foreach (var finding in each.Findings)
        {
            Say.Line($"[{(finding.IsWarning ? "darkgoldenrod" : "red3")}]{(finding.IsWarning ? "Warning" : "Wrong")}:[/] {Markup.Escape(finding.Message)}");
        }

        Part("What it says", each.Told, told => [told.What, told.Value, Sure(told.Certainty), told.Source]);
        Part("How it is handled", each.Commands, command => [command.Verb, Shown(command.Run), Sure(command.Certainty), command.Source]);
        Part("What proves it", each.Proofs, proof => [proof.Key, proof.Subject, Sure(proof.Certainty), proof.Source]);
        Part("Settings it takes, off in a draft", each.Settings, setting => [setting.Name, setting.IsSecret ? "(secret)" : setting.Default.Length == 0 ? "(empty)" : setting.Default, "", setting.Switch]);
        Part("Parts that can be chosen", each.Features, feature => [feature.Name, feature.Title, feature.IsDefault ? "on" : "off", ""]);
        Part("What it asks of a device", each.Conditions, condition => [condition, "", "", ""]);
        Part("Other installers, to be packages of their own", each.Nested, nested => [nested.Size > 0 ? "inside" : "asked for", nested.Path, nested.Size > 0 ? Say.Size(nested.Size) : "", nested.What]);
        if (each.Contents is { } contents)
        {
            Say.Line($"\n[bold]Inside[/]: {(contents.IsWhole ? "" : "at least ")}{Say.Number(contents.Files)} file{(contents.Files == 1 ? "" : "s")}{(contents.Size > 0 ? $", {Say.Size(contents.Size)} unpacked" : "")}");
            foreach (var file in contents.First.Take(5))
            {
                Say.Line($"  [dim]{Markup.Escape(file.Path)}{(file.Size > 0 ? "  " + Say.Size(file.Size) : "")}[/]");
            }

            if (contents.Files > 5)
            {
                Say.Line($"  [dim]… and {Say.Number(contents.Files - 5)} more (--output json lists {InstallerContents.MaxListed})[/]");
            }
        }

        if (each.Open.Count > 0)
        {
            Say.Line("\n[bold]What it does not tell[/]");
            foreach (var open in each.Open)
            {
                Say.Line($"  {Markup.Escape(open.What)}\n    [dim]{Markup.Escape(open.Try)}[/]");
            }
        }
    }

    private static void Part<T>(string heading, IReadOnlyList<T> rows, Func<T, string[]> cells)
    {
        if (rows.Count == 0)
        {
            return;
        }

        Say.Line($"\n[bold]{Markup.Escape(heading)}[/]");
        var table = new Grid();
        table.AddColumn(new GridColumn { Padding = new Padding(2, 0, 2, 0), NoWrap = true }).AddColumn(new GridColumn { Padding = new Padding(0, 0, 2, 0) }).AddColumn(new GridColumn { Padding = new Padding(0, 0, 2, 0), NoWrap = true }).AddColumn(new GridColumn());
        foreach (var row in rows.Take(MostRows).Select(cells))
        {
            table.AddRow(Markup.Escape(row[0]), Markup.Escape(row[1]), row[2], $"[dim]{Markup.Escape(row[3])}[/]");
        }

        Say.Out.Write(table);
        if (rows.Count > MostRows)
        {
            Say.Line($"  [dim]… and {rows.Count - MostRows} more (--output json has all)[/]");
        }
    }

    private static string Sure(Certainty certainty) => certainty switch { Certainty.Certain => "[green4]■ certain[/]", Certainty.Likely => "[dodgerblue2]▸ likely[/]", _ => "[darkgoldenrod]? guess[/]" };

    private static string Shown(IReadOnlyList<string> run) => string.Join(' ', run.Select(word => word.Contains(' ') && !word.Contains('"') ? $"\"{word}\"" : word));
}
