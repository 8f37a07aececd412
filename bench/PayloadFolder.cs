using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>A package folder with a large payload in it.</summary>
/// <param name="Path">The folder.</param>
/// <param name="Manifest">Its manifest.</param>
/// <param name="Payload">The payload's file, which stands to be written.</param>
internal sealed record PayloadFolder(string Path, string Manifest, string Payload)
{
    public static async Task<PayloadFolder> Make(Site site)
    {
        var path = site.WriteFolder("plateglass", "11.3.0", "mkdir -p $T; echo $BANDEJO_VERSION > $T/VERSION");
        var manifest = System.IO.Path.Combine(path, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace(
            "files: [install.sh, remove.sh]", "files: [install.sh, remove.sh, payload.bin]", StringComparison.Ordinal));
        return new PayloadFolder(path, manifest, System.IO.Path.Combine(path, "payload.bin"));
    }

    /// <summary>Writes a payload, all the way to the disk, so that writing it does not get in the way of what is measured.</summary>
    /// <param name="length">How many bytes; whole mebibytes.</param>
    /// <param name="round">Another makes another payload.</param>
    public async Task Write(long length, int round)
    {
        await using (var stream = File.Create(Payload))
        {
            var block = new byte[1 << 20];
            for (var number = 0; number < length >> 20; number++)
            {
                new Random((round << 20) + number).NextBytes(block);
                await stream.WriteAsync(block);
            }

            stream.Flush(flushToDisk: true);
        }

        // What has only just changed is read again in any case.
        File.SetLastWriteTimeUtc(Payload, new DateTime(2026, 1, 1 + round, 0, 0, 0, DateTimeKind.Utc));
    }
}
