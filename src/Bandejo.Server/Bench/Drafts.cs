using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Packaging;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Bench;

/// <summary>What is kept of a draft.</summary>
/// <param name="Manifest">The text of its manifest, as somebody left it.</param>
/// <param name="Drafted">The text as it was drafted; as long as both are the same, another file drafts it anew.</param>
/// <param name="Trial">Its last trial, and the digest of the document that was tried.</param>
/// <param name="After">The version before whose choices it keeps.</param>
/// <param name="Capture">What it was made from, where that is a capture.</param>
internal sealed record KeptDraft(
    string Id, string By, DateTimeOffset At, string Manifest, string Drafted, IReadOnlyList<BenchFileInfo> Files, string? Package = null,
    BenchTrialInfo? Trial = null, string Tried = "", BenchAfterInfo? After = null, KeptCapture? Capture = null);

/// <summary>Packages in the making: files that were dropped, what was read out of them, and a manifest that is still being written.</summary>
internal sealed partial class Drafts(
    BenchFolder folder, FileStore store, WorldHost world, Intake intake, PackageOptions options, InspectionLine line, Unfinished unfinished)
{
    private const int MostDrafts = 200;
    private const int MostFiles = 1000;
    private const int MostManifest = YamlForm.MaxLength;

    private readonly Captures _captures = new(folder);

    /// <summary>One for each draft, or for few of them: who works on another draft does not wait.</summary>
    private readonly SemaphoreSlim[] _held = [.. Enumerable.Range(0, 64).Select(_ => new SemaphoreSlim(1, 1))];

    /// <summary>All drafts, newest first.</summary>
    public IReadOnlyList<KeptDraft> All() => [.. folder.All().Select(Read).OfType<KeptDraft>().OrderByDescending(draft => draft.At)];

    public Outcome<KeptDraft> Find(string id) =>
        Read(id) is { } draft ? draft : new Failure(ErrorKind.NotFound, $"There is no draft '{id}' on the bench; it may have been cleared away.");

    /// <summary>Begins an empty draft.</summary>
    public async Task<Outcome<KeptDraft>> Begin(string by)
    {
        if (folder.All().Count >= MostDrafts)
        {
            return new Failure(ErrorKind.TooMuch, $"There are {MostDrafts} drafts on the bench; clear some away first.");
        }

        var draft = new KeptDraft(folder.Make(), by, world.Now, "", "", []);
        folder.Write(draft.Id, JsonSerializer.Serialize(draft));
        return await Told(by, "bench-draft", $"A draft was begun on the bench ({draft.Id}).", draft);
    }

    /// <param name="by">Who does; null for the service, where nobody went on with it for long.</param>
    public async Task<Outcome<bool>> Clear(string id, string? by)
    {
        var found = Find(id);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var name = NameOf(found.Value);
        using (await Hold(id, CancellationToken.None))
        {
            folder.Remove(id);
        }

        return await Told(
            by, "bench-cleared", $"The draft {name} ({id}) was cleared away from the bench{(by is null ? ", since nobody had gone on with it for long" : "")}.",
            true);
    }

    /// <summary>Takes a piece of a file. When it is whole, it is inspected, and the manifest is drafted anew where nobody has touched it.</summary>
    public async Task<Outcome<BenchFileInfo>> Append(string id, string path, long size, long offset, Stream body, CancellationToken cancellation)
    {
        var found = Find(id);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (SafePath.Problem(path) is { } problem)
        {
            return new Failure(ErrorKind.Invalid, $"'{path}' {problem}");
        }

        var others = found.Value.Files.Where(file => file.Path != path).ToList();
        if (size < 0 || offset < 0 || others.Sum(file => file.Size) + size > options.MaxPackageBytes || others.Count >= MostFiles || path == "package.yaml")
        {
            return path == "package.yaml"
                ? new Failure(ErrorKind.Invalid, "The manifest of a draft is not a file of it; send it as its manifest.")
                : new Failure(
                    ErrorKind.TooMuch, $"A draft has at most {MostFiles} files with {Core.Rules.Units.FormatSize(options.MaxPackageBytes)} together.");
        }

        if (offset == 0 && unfinished.Draft(found.Value.By, size) is { } against)
        {
            return against;
        }

        var appended = await folder.Append(id, path, offset, size, body, cancellation);
        if (!appended.Ok)
        {
            return appended.Failure!;
        }

        var (sha256, inspection) = appended.Value == size ? await Look(id, path, cancellation) : (null, null);
        var file = new BenchFileInfo(path, size, appended.Value, sha256, inspection is null ? null : InspectionForm.Of(inspection));
        var changed = await Change(
            id,
            draft =>
                Redrafted(
                    draft with { Files = [.. draft.Files.Where(each => each.Path != path).Append(file).OrderBy(each => each.Path, StringComparer.Ordinal)] },
                    cancellation),
            cancellation);
        return changed.Ok ? file : changed.Failure!;
    }

    public Task<Outcome<KeptDraft>> RemoveFile(string id, string path, CancellationToken cancellation) => Change(id, async draft =>
    {
        if (draft.Files.All(file => file.Path != path))
        {
            return new Failure(ErrorKind.NotFound, $"The draft has no file '{path}'.");
        }

        folder.RemoveFile(id, path);
        return await Redrafted(draft with { Files = [.. draft.Files.Where(file => file.Path != path)] }, cancellation);
    }, cancellation);

    /// <summary>Takes of a capture what is named, and leaves the rest out.</summary>
    public Task<Outcome<KeptDraft>> TakeOfCapture(string id, IReadOnlyList<string> taken, CancellationToken cancellation) =>
        Change(id, draft => draft.Capture is not { } capture
        ? Task.FromResult((Outcome<KeptDraft>)new Failure(ErrorKind.Conflict, "This draft was not made from a capture."))
        : taken.FirstOrDefault(path => !capture.Found.Any(each => each.Path == path && Captures.CanBeTaken(each))) is { } other
            ? Task.FromResult((Outcome<KeptDraft>)new Failure(ErrorKind.Invalid, $"'{other}' was not captured, or cannot be taken."))
            : line.Run(
                _ =>
                    _captures.Apply(
                        draft, capture with { Taken = [.. taken.Distinct(StringComparer.Ordinal)] }, MostFiles, options.MaxPackageBytes, cancellation),
                cancellation),
            cancellation);

    /// <summary>Writes the manifest.</summary>
    /// <param name="revision">That of which the writer knows; <c>*</c> or empty for whatever is there.</param>
    public async Task<Outcome<KeptDraft>> Write(string id, string manifest, string revision) => manifest.Length > MostManifest
        ? new Failure(ErrorKind.TooMuch, $"A manifest has at most {MostManifest} characters.")
        : await Change(id, draft => Task.FromResult<Outcome<KeptDraft>>(revision is "" or "*" || revision == RevisionOf(draft)
            ? draft with { Manifest = manifest }
            : new Failure(ErrorKind.Stale, "Somebody wrote into this draft meanwhile; look at it again.")), CancellationToken.None);

    /// <summary>Tells a draft's manifest from others.</summary>
    public static string RevisionOf(KeptDraft draft) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(draft.Manifest)))[..16];

    /// <summary>
    /// Keeps the choices of an earlier package: its manifest with what belongs to the version made new, and its files but for the installers whose places the
    /// draft's own take.
    /// </summary>
    public async Task<Outcome<KeptDraft>> Follow(string id, string package, CancellationToken cancellation)
    {
        var found = world.Read(each => Named.Package(each, package));
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var (document, name) = (found.Value.Document, $"{found.Value.Document.Name} {found.Value.Record.Version}");
        var earlier = new List<(DocumentFile File, string Place, Inspection? Inspection)>();
        foreach (var each in Documents.FilesOf(document).DistinctBy(file => file.Path))
        {
            if (store.Find(each.Sha256) is not { } place)
            {
                return new Failure(ErrorKind.Conflict, $"The files of {name} were let go; build or import it again first.");
            }

            await using var stream = new FileStream(place, FileMode.Open, FileAccess.Read, FileShare.Read);
            earlier.Add((
                each, place,
                await line.Run(
                    budget => Inspector.Inspect(stream, each.Path, options.Hints, null, budget()), cancellation) is { Kind: not InstallerKind.Unknown } read
                    ? read with { File = each.Path }
                    : null));
        }

        return await Change(id, async draft =>
        {
            var pairs = NextVersion.Pairs(await Inspections(draft, cancellation), earlier.Select(each => each.Inspection).OfType<Inspection>());
            if (!pairs.Ok)
            {
                return pairs.Failure!;
            }

            if (pairs.Value.Select(pair => NextVersion.WhyOther(pair.Before, pair.After)).OfType<string>().FirstOrDefault() is { } other)
            {
                return new Failure(ErrorKind.Conflict, $"{other}; nothing was changed.");
            }

            var brought = earlier.Where(each => pairs.Value.All(pair => pair.Before.File != each.File.Path) && draft.Files.All(
                own => own.Path != each.File.Path || own.Path == ManifestDraft.IconName))
                .ToList();
            if (pairs.Value.Count == 0 || draft.Files.Count + brought.Count > MostFiles
                || draft.Files.Sum(file => file.Size) + brought.Sum(each => each.File.Size) > options.MaxPackageBytes)
            {
                return pairs.Value.Count == 0
                    ? new Failure(ErrorKind.Conflict, "The draft has no installer yet that could take the place of an earlier one; drop the new one first.")
                    : new Failure(
                        ErrorKind.TooMuch,
                        $"With the files of {name} the draft would have more than {MostFiles} files, or more than "
                            + $"{Core.Rules.Units.FormatSize(options.MaxPackageBytes)}.");
            }

            foreach (var each in brought)
            {
                folder.Copy(id, each.File.Path, each.Place);
            }

            var text = pairs.Value.Aggregate(ManifestText.Of(document), (manifest, pair) => NextVersion.Draft(manifest, pair.Before, pair.After));
            var changes = pairs.Value.SelectMany(pair => NextVersion.Changes(pair.Before, pair.After).Select(change => new BenchChangeInfo(
                pair.After.File, change.What, change.Before, change.After, change.Look)));
            return draft with
            {
                Manifest = text,
                Drafted = text,
                After = new BenchAfterInfo(found.Value.Record.Digest, name, [.. changes]),
                Files = [.. draft.Files.Where(file => brought.TrueForAll(each => each.File.Path != file.Path))
                    .Concat(brought.Select(each => new BenchFileInfo(
                        each.File.Path, each.File.Size, each.File.Size, each.File.Sha256, each.Inspection is null ? null : InspectionForm.Of(each.Inspection))))
                        .OrderBy(file => file.Path, StringComparer.Ordinal)],
            };
        }, cancellation);
    }

    /// <summary>Begins a draft of an installer that an archive of another draft brings along.</summary>
    /// <param name="file">The archive's path in its draft.</param>
    /// <param name="path">Where the installer stands inside.</param>
    public async Task<Outcome<KeptDraft>> TakeOut(string id, string file, string path, string by, CancellationToken cancellation)
    {
        var found = Find(id);
        if (!found.Ok || found.Value.Files.FirstOrDefault(each => each.Path == file && each is { Sha256: not null, Inspection: not null }) is not { } archive)
        {
            return found.Failure ?? new Failure(ErrorKind.NotFound, $"The draft has no installer '{file}'.");
        }

        var inspection = (await Inspections(found.Value with { Files = [archive] }, cancellation))[0];
        var name = path[(path.LastIndexOf('/') + 1)..];
        if (inspection.Nested.FirstOrDefault(each => each.Path == path) is not { } nested || !NestedFiles.CanBeTaken(inspection, nested)
            || SafePath.Problem(name) is not null || nested.Size > options.MaxPackageBytes)
        {
            return new Failure(ErrorKind.Invalid, $"'{file}' holds no installer '{path}' that could be taken out.");
        }

        var begun = await Begin(by);
        if (!begun.Ok)
        {
            return begun;
        }

        var taken = await line.Run(_ => Take(begun.Value.Id), cancellation);
        if (!taken.Ok)
        {
            await Clear(begun.Value.Id, by);
            return taken.Failure!;
        }

        var (sha256, read) = await Look(begun.Value.Id, name, cancellation);
        return await Change(
            begun.Value.Id,
            draft =>
                Redrafted(
                    draft with { Files = [new BenchFileInfo(name, taken.Value, taken.Value, sha256, read is null ? null : InspectionForm.Of(read))] },
                    cancellation),
            cancellation);

        Outcome<long> Take(string into)
        {
            using var source = folder.Open(id, file);
            using var target = folder.Create(into, name);
            return NestedFiles.TakeOut(source, inspection, path, target, cancellation);
        }
    }

    /// <summary>Packages of a draft's app, newest first, whose choices it could keep: those with an installer of the same sort, as its name has it.</summary>
    public IReadOnlyList<PackageInfo> Earlier(KeptDraft draft)
    {
        var ends = draft.Files.Where(file => file.Inspection is not null).Select(file => Path.GetExtension(file.Path))
            .ToHashSet(StringComparer.OrdinalIgnoreCase);
        return ends.Count > 0 && AppLine().Match(draft.Manifest) is { Success: true } app
            ? world.Read(each => (IReadOnlyList<PackageInfo>)[.. Catalogue.Of(each, app.Groups[1].Value, null, 20).Items.Where(package =>
                package.Digest != draft.Package && !package.IsLetGo
                    && Documents.FilesOf(each.Packages[package.Digest].Document).Any(file => ends.Contains(Path.GetExtension(file.Path))))])
            : [];
    }

    public Task<Outcome<KeptDraft>> Keep(string id, Func<KeptDraft, KeptDraft> change) =>
        Change(id, draft => Task.FromResult((Outcome<KeptDraft>)change(draft)), CancellationToken.None);

    /// <summary>What is wrong with a draft, and for whom it is; null before its first file.</summary>
    public PackageCheckAnswer? Check(KeptDraft draft)
    {
        if (draft.Manifest.Length == 0)
        {
            return null;
        }

        var answer = intake.Check(new PackageCheckRequest(draft.Manifest, [
            .. draft.Files.Where(file => file.Sha256 is not null && file.Path != draft.Capture?.File)
                .Select(file => new FileInfoDto(file.Path, file.Size, file.Sha256!))]));
        if (answer.Fetch is [var left, ..])
        {
            // An address in a manifest must not make the service call somewhere.
            answer = answer with
            {
                Document = null,
                Findings = [
                    new FindingInfo(
                        $"'{left.Path}' is left at {left.From}. The service fetches nothing by itself: drop the file here, or build the folder with the "
                            + $"command line.",
                        "variants", 0, 0, 1, false),
                    .. answer.Findings],
            };
        }

        var late = draft.Files.FirstOrDefault(file => file.Sha256 is null);
        return late is null
            ? answer
            : answer with
            {
                Document = null,
                Findings = [
                    new FindingInfo($"'{late.Path}' has not arrived whole: {late.Arrived} of {late.Size} bytes.", late.Path, 0, 0, 1, false),
                    .. answer.Findings],
            };
    }

    /// <summary>Takes a draft in as a package, signed by whoever built it.</summary>
    public async Task<Outcome<PackageInfo>> Build(string id, BenchBuildRequest request, string by)
    {
        var found = Find(id);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (Check(found.Value)?.Document is not { } document)
        {
            return new Failure(ErrorKind.Conflict, "The draft has errors, or no file yet; what was signed is not what it is now.");
        }

        var bytes = Encoding.UTF8.GetBytes(document);
        if (!DigestOf(bytes).Equals(request.Document, StringComparison.Ordinal))
        {
            return new Failure(ErrorKind.Stale, "The draft was changed since it was signed; look at it again, and build it then.");
        }

        var paths = found.Value.Files.Where(file => file.Sha256 is not null).DistinctBy(file => file.Sha256)
            .ToDictionary(file => file.Sha256!, file => file.Path);
        var taken = await intake.Take(new BroughtPackage(bytes, request.Signature, [], (sha256, size, target) => Copy(id, paths, sha256, size, target)), by);
        if (taken.Ok)
        {
            await Keep(id, draft => draft with { Package = taken.Value.Digest });
        }

        return taken;
    }

    /// <summary>The folder that holds a draft's files.</summary>
    public string FilesOf(string id) => folder.FilesOf(id);

    public static string DigestOf(byte[] document) => Convert.ToHexStringLower(SHA256.HashData(document));

    public static string NameOf(KeptDraft draft) =>
        ManifestReader.Read(draft.Manifest) is { Ok: true, Value: { } manifest }
            ? $"{manifest.Name} {manifest.Version}"
            : draft.Capture?.File ?? (draft.Files.Count > 0 ? draft.Files[0].Path : "Empty draft");

    private Outcome<long> Copy(string id, Dictionary<string, string> paths, string sha256, long size, Stream target)
    {
        if (!paths.TryGetValue(sha256, out var path))
        {
            return new Failure(ErrorKind.Invalid, $"The draft lacks the file {sha256[..12]}…, which its document names.");
        }

        using var source = folder.Open(id, path);
        return Container.Copy(source, sha256, size, target) is { Ok: true } copied
            ? copied
            : new Failure(ErrorKind.Conflict, $"'{path}' was changed while it was built; build it again.");
    }

    private Task<(string? Sha256, Inspection? Inspection)> Look(string id, string path, CancellationToken cancellation) =>
        line.Run<(string?, Inspection?)>(budget =>
    {
        using var file = folder.Open(id, path);
        var inspection = Inspector.Inspect(file, Path.GetFileName(path), options.Hints, null, budget());
        file.Position = 0;
        return (
            Convert.ToHexStringLower(SHA256.HashData(file)),
            inspection.Kind == InstallerKind.Unknown || path.EndsWith(CaptureArchive.Ending, StringComparison.Ordinal) ? null : inspection);
    }, cancellation);

    private Task<List<Inspection>> Inspections(KeptDraft draft, CancellationToken cancellation) => line.Run(budget =>
    {
        var inspections = new List<Inspection>();
        foreach (var each in draft.Files.Where(each => each is { Sha256: not null, Inspection: not null }))
        {
            using var file = folder.Open(draft.Id, each.Path);
            inspections.Add(Inspector.Inspect(file, each.Path, options.Hints, null, budget()) with { File = each.Path });
        }

        return inspections;
    }, cancellation);

    /// <summary>The draft with a manifest of what it holds now, where nobody has written in it.</summary>
    private async Task<Outcome<KeptDraft>> Redrafted(KeptDraft draft, CancellationToken cancellation)
    {
        var files = draft.Files.Where(file => file.Sha256 is not null).ToList();
        if (draft.Capture is null
            && files.Find(file => file.Path.EndsWith(CaptureArchive.Ending, StringComparison.Ordinal) && !file.Path.Contains('/')) is { } captured)
        {
            return await line.Run(budget =>
            {
                var read = _captures.Read(draft.Id, captured.Path, budget());
                return read.Ok ? _captures.Apply(draft, read.Value, MostFiles, options.MaxPackageBytes, cancellation) : read.Failure!;
            }, cancellation);
        }

        if (draft.Capture is not null || draft.Manifest != draft.Drafted || draft.After is not null || files.Count == 0)
        {
            return draft;
        }

        var inspections = await Inspections(draft, cancellation);
        var package = ManifestDraft.Packages(inspections.Where(each => each.Findings.All(finding => finding.IsWarning))).FirstOrDefault();
        if (package is not null && package.Select(each => each.Icon).OfType<InstallerIcon>().FirstOrDefault() is { } icon
            && files.All(file => file.Path != ManifestDraft.IconName))
        {
            folder.Put(draft.Id, ManifestDraft.IconName, icon.Png);
            draft = draft with
            {
                Files = [
                    .. draft.Files.Append(new BenchFileInfo(
                        ManifestDraft.IconName, icon.Png.Length, icon.Png.Length, Convert.ToHexStringLower(SHA256.HashData(icon.Png)), null))
                        .OrderBy(file => file.Path, StringComparer.Ordinal)],
            };
        }

        var text = package is null ? ManifestDraft.Blank(files[0].Path) : ManifestDraft.Write(package);
        return draft with { Manifest = text, Drafted = text };
    }

    private async Task<Outcome<KeptDraft>> Change(string id, Func<KeptDraft, Task<Outcome<KeptDraft>>> change, CancellationToken cancellation)
    {
        using var held = await Hold(id, cancellation);
        if (Read(id) is not { } draft)
        {
            return Gone(id);
        }

        var changed = await change(draft);
        if (changed.Ok)
        {
            folder.Write(id, JsonSerializer.Serialize(changed.Value));
        }

        return changed;
    }

    /// <summary>Keeps others from a draft until it is let go.</summary>
    private async Task<Held> Hold(string id, CancellationToken cancellation)
    {
        var held = _held[(uint)id.GetHashCode(StringComparison.Ordinal) % _held.Length];
        await held.WaitAsync(cancellation);
        return new Held(held);
    }

    private sealed class Held(SemaphoreSlim held) : IDisposable
    {
        public void Dispose() => held.Release();
    }

    private KeptDraft? Read(string id) => folder.Read(id) is { } text ? JsonSerializer.Deserialize<KeptDraft>(text) : null;

    [GeneratedRegex(@"(?m)^app: *[""']?([a-z0-9-]+)")]
    private static partial Regex AppLine();

    private static Failure Gone(string id) => new(ErrorKind.NotFound, $"There is no draft '{id}' on the bench; it may have been cleared away.");

    private Task<Outcome<T>> Told<T>(string? by, string what, string says, T value) => world.Change(by, change =>
    {
        change.Audit(what, says);
        return (Outcome<T>)value;
    });
}
