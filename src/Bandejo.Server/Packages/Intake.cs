using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Packages;

/// <summary>The way of a package from a folder to the catalogue: checked, uploaded in pieces, verified, kept.</summary>
internal sealed class Intake(WorldHost world, FileStore files, SiteKeys keys, PackageOptions options, Bench.Unfinished unfinished, ContentGate gate)
{
    /// <summary>How many devices are asked for their reason; so many say what the rest would, and a check stays quick in a large fleet.</summary>
    private const int MostWeighed = 20_000;

    private const int MostReasons = 12;

    /// <summary>Files from this size on are recognised as another package's, in bytes.</summary>
    private const int LeastForeign = 16 * 1024;

    /// <summary>Everything found in a manifest and its files; the document to sign where nothing stands against it.</summary>
    public PackageCheckAnswer Check(PackageCheckRequest request)
    {
        var all = world.Read(each => each.Devices.Count);
        var read = ManifestReader.Read(request.Manifest);
        if (!read.Ok)
        {
            var failure = read.Failure!;
            return new PackageCheckAnswer(
                [.. (failure.Findings.Count == 0 ? [new Finding(failure.Message)] : failure.Findings).Select(Problems.Info)], null, null, null, null, all);
        }

        var manifest = read.Value;
        var listed = ManifestCheck.WithFetched(manifest, [.. request.Files.Select(file => new PayloadFile(file.Path, file.Size, file.Sha256))]);
        var findings = ManifestCheck.Check(manifest, listed).ToList();
        var document = Documents.From(manifest, listed);
        findings.AddRange(AgainstCatalogue(manifest, listed));
        findings.AddRange(AgainstFleet(manifest));
        VariantRules[] variants = [.. manifest.Variants.Select(variant => new VariantRules(variant.Name, variant.Fits, variant.Requires))];
        var reach = world.Read(each => PackageReach.Of(each, variants, MostWeighed, MostReasons));
        var isGood = findings.TrueForAll(finding => finding.IsWarning);
        return new PackageCheckAnswer(
            [.. findings.Select(Problems.Info)], isGood ? JsonSerializer.Serialize(document, ContractJson.Default.PackageDocument) : null, manifest.App,
            manifest.Version.Text, reach.Devices, all, [.. reach.Not.Select(AskForms.Info)],
            [.. manifest.Fetched.Where(fetched => request.Files.All(file => file.Path != fetched.Path)).Select(fetched => new FetchInfo(
                fetched.Path, fetched.From, fetched.Size, fetched.Sha256))],
            [.. Documents.FilesOf(document).Select(file => file.Sha256).Where(sha256 => SafePath.IsSha256(sha256) && files.Find(sha256) is null).Distinct()]);
    }

    /// <summary>Begins an upload. The same content begun again goes on where it stood.</summary>
    public Outcome<UploadInfo> Begin(UploadRequest request, string by)
    {
        if (!SafePath.IsSha256(request.Sha256) || request.Size <= 0)
        {
            return new Failure(
                ErrorKind.Invalid, "An upload is announced with 64 hexadecimal digits that name it, such as its SHA-256, and the size of the whole file.");
        }

        if (request.Size > options.MaxPackageBytes)
        {
            return new Failure(
                ErrorKind.TooMuch, $"The file has {Units.FormatSize(request.Size)}; at most {Units.FormatSize(options.MaxPackageBytes)} are taken.");
        }

        var id = IdOf(request.Sha256.ToLowerInvariant(), request.Size);
        if (unfinished.Upload(id, by, request.Size) is { } against)
        {
            return against;
        }

        files.BeginUpload(id);
        return new UploadInfo(id, files.UploadOffset(id)!.Value, request.Size);
    }

    public async Task<Outcome<UploadInfo>> Append(string id, long offset, Stream body, CancellationToken cancellation)
    {
        if (SizeOf(id) is not { } size || files.UploadOffset(id) is null)
        {
            return new Failure(ErrorKind.NotFound, "There is no such upload; begin it again.");
        }

        var appended = await files.Append(id, offset, size, body, cancellation);
        return appended.Ok ? new UploadInfo(id, appended.Value, size) : appended.Failure!;
    }

    /// <summary>Verifies all of a package file before any of it is kept, then keeps it.</summary>
    /// <param name="vouched">For a package that was carried here: the signature of who vouches for it.</param>
    /// <param name="sent">Files that were sent by themselves, by digest: their uploads.</param>
    public async Task<Outcome<PackageInfo>> Take(string upload, string by, string? vouched = null, IReadOnlyDictionary<string, string>? sent = null)
    {
        if (SizeOf(upload) is not { } size || files.UploadOffset(upload) is not { } offset)
        {
            return new Failure(ErrorKind.NotFound, "There is no such upload; begin it again.");
        }

        if (offset != size)
        {
            return new Failure(ErrorKind.Conflict, $"The upload is not whole: {offset} of {size} bytes have arrived. Go on from there.");
        }

        Outcome<PackageInfo> outcome;
        await using (var stream = files.OpenUpload(upload))
        {
            outcome = await Take(stream, by, vouched, sent ?? new Dictionary<string, string>());
        }

        // What was refused may be sent again in a moment: the large files of it are kept for that.
        foreach (var each in (outcome.Ok ? sent?.Values ?? [] : []).Where(id => SizeOf(id) is not null).Append(upload))
        {
            files.ForgetUpload(each);
        }

        return outcome;
    }

    private async Task<Outcome<PackageInfo>> Take(Stream stream, string by, string? vouched, IReadOnlyDictionary<string, string> sent)
    {
        var opened = Container.Open(stream);
        if (!opened.Ok)
        {
            return opened.Failure!;
        }

        using var archive = opened.Value;
        var read = Container.ReadContent(archive);
        if (!read.Ok)
        {
            return read.Failure!;
        }

        var content = read.Value;
        var origin = ("", "");
        if (vouched is not null)
        {
            var carried = await Carrying.Check(content);
            if (!carried.Ok)
            {
                return carried.Failure!;
            }

            origin = carried.Value;
        }

        return await Take(new BroughtPackage(content.Document, vouched ?? content.Signature, content.Files.Keys, Extract, origin, sent), by);

        // What the service has, or was sent by itself, need not be in the package file.
        Outcome<long> Extract(string sha256, long size, Stream target)
        {
            if (content.Files.ContainsKey(sha256) || (files.Find(sha256) is null && !sent.ContainsKey(sha256)))
            {
                return Container.Extract(archive, sha256, size, target);
            }

            using var source = files.Find(sha256) is { } path ? File.OpenRead(path) : files.OpenUpload(sent[sha256]);
            return Container.Copy(source, sha256, size, target);
        }
    }

    /// <summary>Verifies a signed document and its files, all before any is kept, and takes the package in.</summary>
    public async Task<Outcome<PackageInfo>> Take(BroughtPackage brought, string by)
    {
        var signed = await SiteKeys.VerifyBuild(brought.Signature, brought.Document, id => world.Peek(each => Core.Site.Accounts.BuildKey(each, id)));
        if (!signed.Ok)
        {
            return signed.Failure!;
        }

        var document = BroughtDocument.Read(brought.Document);
        if (!document.Ok)
        {
            return document.Failure!;
        }

        var named = Documents.FilesOf(document.Value).Select(file => file.Sha256).ToHashSet(StringComparer.Ordinal);
        if (brought.Files.FirstOrDefault(file => !named.Contains(file)) is { } extra)
        {
            return new Failure(ErrorKind.Invalid, $"The package file holds the payload file {extra[..12]}…, which its document does not name.");
        }

        var digest = Convert.ToHexStringLower(SHA256.HashData(brought.Document));
        if (world.Read(each => PackageLives.Known(each, digest, document.Value.App, document.Value.Version, document.Value.Name)) is { } known)
        {
            return known.Ok ? Catalogue.Info(known.Value) : known.Failure!;
        }

        if (BroughtDocument.CertificateProblem(document.Value, brought.Extract) is { } untrustworthy)
        {
            return untrustworthy;
        }

        using var held = await gate.Enter();
        var kept = KeepFiles(brought, document.Value);
        if (!kept.Ok)
        {
            return kept.Failure!;
        }

        files.Keep(brought.Document);
        var seal = keys.Sign(new SealContent("package", digest, document.Value.App, document.Value.Version), ContractJson.Default.SealContent);
        var record = new PackageRecord(
            digest, document.Value.App, document.Value.Version, Encoding.UTF8.GetString(brought.Document), brought.Signature, seal, "", default,
            PackageState.Built, []);
        var taken = await world.Change(by, decision => PackageLives.TakeIn(
            decision, record, KeptWorld.ContentsOf(record), string.IsNullOrEmpty(brought.Origin.Kept) ? null : brought.Origin));
        return taken.Ok ? Catalogue.Info(taken.Value.Package, taken.Value.IsNew) : taken.Failure!;
    }

    private Outcome<bool> KeepFiles(BroughtPackage brought, PackageDocument document)
    {
        var named = Documents.FilesOf(document).DistinctBy(file => file.Sha256)
            .Where(file => files.Find(file.Sha256) is not { } path || new FileInfo(path).Length != file.Size)
            .ToDictionary(file => file.Sha256, file => file.Size);
        // First look through everything, then keep: a bad file must not leave half a package behind.
        foreach (var (sha256, size) in named)
        {
            if (brought.Sent?.GetValueOrDefault(sha256) is { } upload)
            {
                if (SizeOf(upload) is null || files.UploadOffset(upload) != size || files.DigestOfUpload(upload) != sha256)
                {
                    return new Failure(
                        ErrorKind.Invalid, $"The file {sha256[..12]}… that was sent is not whole, or not what its digest says; send it again.");
                }
            }
            else if (brought.Extract(sha256, size, Stream.Null) is { Ok: false } extracted)
            {
                return extracted.Failure!;
            }
        }

        foreach (var (sha256, size) in named)
        {
            var kept = brought.Sent?.GetValueOrDefault(sha256) is { } upload
                ? files.KeepUpload(upload, sha256)
                : files.Keep(sha256, target => brought.Extract(sha256, size, target).Failure);
            if (!kept.Ok)
            {
                return kept.Failure!;
            }
        }

        return true;
    }

    private IEnumerable<Finding> AgainstCatalogue(Manifest manifest, IReadOnlyList<PayloadFile> listed) => world.Read(each =>
    {
        var findings = new List<Finding>();
        var newest = each.Packages.Values.Where(package => package.Record.App == manifest.App && package.Record.State != PackageState.Withdrawn)
            .MaxBy(package => package.Version);
        if (newest is not null && manifest.Version < newest.Version)
        {
            findings.Add(new Finding($"Version {manifest.Version} sorts before {newest.Version}, which is in the catalogue.", "version") { IsWarning = true });
        }

        // Small files are alike by chance, and licences everywhere.
        var large = listed.Where(file => file.Size >= LeastForeign && file.Sha256.Length > 0).ToLookup(file => file.Sha256, StringComparer.Ordinal);
        foreach (
            var (file, owner) in each.Packages.Values.Where(package => package.Record.App != manifest.App && manifest.Needs.All(
                need => need.App != package.Record.App))
                .OrderByDescending(package => package.Version)
            .SelectMany(package => Documents.FilesOf(package.Document).SelectMany(file => large[file.Sha256].Select(own => (own, package))))
                .DistinctBy(pair => pair.own.Path).Take(MostReasons))
        {
            findings.Add(
                new Finding(
                    $"'{file.Path}' is a file of {owner.Document.Name} {owner.Record.Version} as well. If it belongs there, leave it out and write 'needs: "
                        + $"[{{ app: {owner.Record.App} }}]'.",
                    file.Path) { IsWarning = true });
        }

        if (Needing.Circle(each, manifest.App, manifest.Needs) is { } circle)
        {
            findings.Add(new Finding(circle, "needs"));
        }

        foreach (var need in manifest.Needs.Where(need => !each.Packages.Values.Any(
            package =>
                package.Record.App == need.App && package.Record.State != PackageState.Withdrawn && (need.AtLeast is null || package.Version >= need.AtLeast))))
        {
            findings.Add(
                new Finding(
                    $"It needs {need}, and the catalogue has no package of that; build one, so that it can be deployed first.", "needs") { IsWarning = true });
        }

        return findings;
    });

    /// <summary>Whether something for people in front of a screen would come to servers.</summary>
    private IEnumerable<Finding> AgainstFleet(Manifest manifest) => world.Read(each =>
    {
        var servers = each.Columns.Evaluate(Rule.Parse("kind is \"server\"").Value).True;
        var findings = new List<Finding>();
        for (var i = 0; i < manifest.Variants.Count; i++)
        {
            var variant = manifest.Variants[i];
            var isForPeople = variant.Launch is not null || variant.Close.Count + variant.Handling.Close.Count > 0
                || variant.Companions.Any(companion => companion.Kind == CompanionKind.Opens);
            var count = isForPeople ? each.Columns.Evaluate(variant.Fits).True.Copy().And(servers).Count() : 0;
            if (count > 0)
            {
                findings.Add(
                    new Finding(
                        $"People start this software, or have it open, and it fits {count} server{(count == 1 ? "" : "s")} too. If it is for desks, say "
                            + $"so: fits: kind is not \"server\"",
                        $"variants[{i}].fits") { IsWarning = true });
            }
        }

        return findings;
    });

    // An upload is named by what is uploaded, so that it can go on after a lost connection or a restart without anything being remembered.
    private static string IdOf(string sha256, long size) => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{sha256[..40]}x{size:x}");

    private static long? SizeOf(string id) =>
        id.Length is > 41 and <= 60 && id[40] == 'x' && id.All(char.IsAsciiLetterOrDigit)
            && long.TryParse(
                id.AsSpan(41), System.Globalization.NumberStyles.AllowHexSpecifier, System.Globalization.CultureInfo.InvariantCulture, out var size)
            ? size
            : null;
}

/// <summary>A package that somebody brings.</summary>
/// <param name="Document">The bytes of <c>package.json</c>, exactly as signed.</param>
/// <param name="Signature">The signature that counts here.</param>
/// <param name="Files">The digests of the files that came with it; one that the document does not name is refused.</param>
/// <param name="Extract">Writes a file of a digest and size; a failure where what comes is not that.</param>
/// <param name="Sent">Files that were sent by themselves, by digest: their uploads.</param>
/// <param name="Origin">Of a package that was carried here what is kept of that, and in words; empty for one that was built here.</param>
internal sealed record BroughtPackage(
    byte[] Document, string Signature, IEnumerable<string> Files, Func<string, long, Stream, Outcome<long>> Extract,
    (string Kept, string Words) Origin = default, IReadOnlyDictionary<string, string>? Sent = null);

/// <summary>How the service deals with package files.</summary>
internal sealed class PackageOptions
{
    /// <summary>How the bench recognises setups that do not say themselves what they are.</summary>
    public HintCatalog Hints { get; init; } = HintCatalog.Own;

    /// <summary>The largest package file in bytes. Default 64 GiB.</summary>
    public long MaxPackageBytes { get; set; } = ApiLimits.MaxPackage;

    /// <summary>The most of drafts and uploads that are no package yet, of one person, in bytes. Default 128 GiB.</summary>
    public long UnfinishedOfOne { get; set; } = 128L << 30;

    /// <summary>The same of all. Default 512 GiB.</summary>
    public long UnfinishedOfAll { get; set; } = 512L << 30;

    /// <summary>Whether nobody may release what they built themselves. Default no.</summary>
    public bool ReleaseByAnother { get; set; }
}
