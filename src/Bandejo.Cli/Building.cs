using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary>
/// Builds a package folder: takes the digests of its files, sends what the service lacks, each file once and large ones while their digest is taken, and signs
/// the
/// document. Nothing is sent before the manifest is free of errors.
/// </summary>
internal sealed class Building(Client client, BuildKey key, Digests digests, Progress bars)
{
    /// <summary>Files from this size on are sent by themselves; smaller ones go together in the package file.</summary>
    private const long Large = 4 * 1024 * 1024;

    private readonly Dictionary<string, string> _sent = new(StringComparer.Ordinal);

    /// <summary>Builds the folder. Without a package where the manifest has errors.</summary>
    /// <param name="keep">Where the whole package file is kept as well; null for nowhere.</param>
    public async Task<(PackageCheckAnswer Check, PackageInfo? Taken)> Build(PackageFolder folder, string? keep, CancellationToken cancellation)
    {
        var listed = folder.List();
        var first = await Check(folder, listed, cancellation);
        if (first.Document is null)
        {
            return (first, null);
        }

        var named = Named(first.Document);
        foreach (var fetch in (first.Fetch ?? []).Where(fetch => named.Contains(fetch.Path) && (keep is not null || first.Missing!.Contains(fetch.Sha256))))
        {
            await Fetching.Bring(folder, fetch, bars.Add($"Fetch {fetch.Path}", fetch.Size), cancellation);
        }

        var advance = bars.Add("Digests", listed.Where(file => named.Contains(file.Path)).Sum(file => file.Size));
        var files = new List<FileInfoDto>();
        foreach (var file in listed)
        {
            files.Add(named.Contains(file.Path) ? file with { Sha256 = await DigestOf(folder, file, advance, cancellation) } : file);
        }

        digests.Write();
        var check = await Check(folder, files, cancellation);
        if (check.Document is null)
        {
            return (check, null);
        }

        IReadOnlyList<FileInfoDto> all = [.. files.Where(file => named.Contains(file.Path)), .. (check.Fetch ?? []).Select(fetch => new FileInfoDto(
            fetch.Path, fetch.Size, fetch.Sha256))];
        var missing = check.Missing!.ToHashSet(StringComparer.Ordinal);
        foreach (var file in all.Where(file => missing.Contains(file.Sha256) && file.Size >= Large && !_sent.ContainsKey(file.Sha256)).DistinctBy(
            file => file.Sha256))
        {
            await using var stream = folder.OpenFile(file);
            _sent[file.Sha256] = await Uploading.Send(client, stream, file.Sha256, bars.Add($"Send {file.Path}", file.Size), cancellation);
        }

        if (keep is not null)
        {
            await using var whole = PackageFile.Write(folder, check, all, key, new FileStream(keep, FileMode.Create, FileAccess.ReadWrite), bars.Add(
                "Package file", all.Sum(file => file.Size)));
        }

        await using var packed = PackageFile.Write(
            folder, check, [.. all.Where(file => missing.Contains(file.Sha256) && !_sent.ContainsKey(file.Sha256))], key, PackageFile.Passing(), _ => { });
        var upload = await Uploading.Send(client, packed, null, bars.Add("Package file", packed.Length), cancellation);
        client.TakesLong();

        // Also what turned out to be there already: the service need not keep it on its way any longer.
        return (check, await client.Post(
            "/api/v1/packages", new PackageRequest(upload, Sent: _sent.Count == 0 ? null : _sent), ContractJson.Default.PackageRequest,
            ContractJson.Default.PackageInfo, cancellation));
    }

    private async Task<string> DigestOf(PackageFolder folder, FileInfoDto file, Action<long> advance, CancellationToken cancellation)
    {
        var place = folder.Find(file.Path);
        if (place.Length < Large || digests.Find(place) is not null)
        {
            return digests.Of(place, advance);
        }

        // Its digest is not known, so the service most likely lacks it: it is sent while the digest is taken.
        await using var stream = folder.OpenFile(file);
        var (upload, sha256) = await Uploading.SendAndHash(client, stream, Uploading.NameOf(place), advance, cancellation);
        _sent[sha256] = upload;
        digests.Keep(place, sha256);
        return sha256;
    }

    private Task<PackageCheckAnswer> Check(PackageFolder folder, IReadOnlyList<FileInfoDto> files, CancellationToken cancellation) =>
        client.Post(
            "/api/v1/packages/check", new PackageCheckRequest(folder.Manifest, files), ContractJson.Default.PackageCheckRequest,
            ContractJson.Default.PackageCheckAnswer, cancellation);

    private static HashSet<string> Named(string document)
    {
        var read = JsonSerializer.Deserialize(document, ContractJson.Default.PackageDocument)!;
        return [.. read.Variants.SelectMany(variant => variant.Files).Append(read.Icon).OfType<Contract.Device.DocumentFile>().Select(file => file.Path)];
    }
}
