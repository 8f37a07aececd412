using System.IO.Compression;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What becomes of a package after it was built: who may release it, how it differs from another, what is inside.</summary>
public sealed class PackageLifeTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task Where_another_must_release_nobody_releases_their_own()
    {
        await using var site = await Site.Start("--release-by", "another");
        await site.Package("quill", "1.0", Put, isReleased: false);

        var (code, _, errors) = await site.Run("package", "release", "quill 1.0", "--reason", "mine");
        Assert.Equal(3, code);
        Assert.Contains("You built this package, and here somebody else releases it", errors);

        await site.Admin.Post(
            "/api/v1/accounts", new AccountRequest("ruth", "Ruth", "long-enough-1", ["administrator"]), ContractJson.Default.AccountRequest,
            ContractJson.Default.AccountInfo);
        using var ruth = await ApiClient.SignIn(site.Service.Address, "ruth", "long-enough-1");
        Assert.Equal(
            "released",
            (
                await ruth.Post(
                    "/api/v1/packages/quill%201.0/release", new ReasonRequest("looked through"), ContractJson.Default.ReasonRequest,
                    ContractJson.Default.PackageInfo)).State);
    }

    [Fact]
    public async Task Two_packages_are_compared_in_the_words_of_a_manifest()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", Put, more: "settings: [{ name: site, default: HQ }]");
        await site.Package("quill", "1.1", Put + "\n# more", limit: "2m", more: "settings: [{ name: site, default: ALD }, { name: licence, type: secret }]");

        var shown = await site.Must("package", "compare", "quill 1.0", "quill 1.1");
        var told = JsonSerializer.Deserialize(
            await site.Must("package", "compare", "quill 1.0", "quill 1.1", "-o", "json"),
            ContractJson.Default.PackageComparison)!.Differences.Select(each => (each.What, each.Name, each.Before, each.After))
            .ToList();

        Assert.Equal(
            [
                ("package", "version", "1.0", "1.1"), ("setting", "site", "text, HQ unless set", "text, ALD unless set"),
                ("setting", "licence", null, "secret, no default"),
                ("variant linux", "install", "sh install.sh, limit 1 min", "sh install.sh, limit 2 min"), ("variant linux, file", "install.sh", "84 B", "91 B"),
            ],
            told);
        Assert.Contains("    → sh install.sh, limit 2 min", shown);
        Assert.Contains("no difference", await site.Must("package", "compare", "quill 1.0", "quill 1.0"));
        Assert.Contains("There is no version 3 of 'quill'", (await site.Run("package", "compare", "quill 1.0", "quill 3")).Errors);
    }

    [Fact]
    public async Task A_package_is_carried_to_another_service_with_its_signature_and_origin_and_from_there_to_a_third()
    {
        await using var here = await Site.StartApart();
        await using var there = await Site.StartApart();
        await using var beyond = await Site.StartApart();
        var folder = Directory.CreateTempSubdirectory("bandejo-carry").FullName;
        await here.Package("quill", "1.0", Put);
        var (first, second) = (Path.Combine(folder, "first.zip"), Path.Combine(folder, "second.zip"));

        await here.Must("package", "export", "quill 1.0", first);
        Assert.Contains("is there already; nothing was changed", (await here.Run("package", "export", "quill 1.0", first)).Errors);
        Assert.Contains("is taken in", await there.Must("package", "import", first));
        Assert.Contains("nothing was changed", await there.Must("package", "import", first));
        var shown = await there.Must("package", "show", "quill 1.0");
        Assert.Contains("is built", shown);
        Assert.Matches("built .*root-admin: carried here; built by root-admin on .* with the key .*, sealed by the service", shown);
        await there.Must("package", "release", "quill 1.0", "--reason", "looked through");
        var device = await there.Device("DESK-1");
        var deployment = await there.Deploy("quill 1.0", Site.Enrolled);
        await there.Admin.Becomes(deployment, device.Name, "met");

        // It is carried on with the origin that it came with, also after a kill.
        await there.Process.Kill();
        await there.Service.Start();
        await there.Must("package", "export", "quill 1.0", second);
        using (var one = ZipFile.OpenRead(first))
        using (var two = ZipFile.OpenRead(second))
        {
            Assert.Equal(one.Entries.Select(entry => (entry.FullName, entry.Crc32)), two.Entries.Select(entry => (entry.FullName, entry.Crc32)));
        }

        Assert.Contains("is taken in", await beyond.Must("package", "import", second));
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task What_was_changed_on_the_way_is_refused()
    {
        await using var here = await Site.Start();
        await using var there = await Site.Start();
        var folder = Directory.CreateTempSubdirectory("bandejo-carry").FullName;
        await here.Package("quill", "1.0", Put, isReleased: false);
        await here.Package("nib", "1.0", Put, isReleased: false);
        var (good, nib) = (Path.Combine(folder, "quill.zip"), Path.Combine(folder, "nib.zip"));
        await here.Must("package", "export", "quill 1.0", good);
        await here.Must("package", "export", "nib 1.0", nib);
        using var other = ZipFile.OpenRead(nib);
        foreach (var (says, change) in new (string, Action<ZipArchive>)[]
        {
            ("The signature of whoever built it does not hold", file => Change(file, "package.json", text => text.Replace(
                "\"1.0\"", "\"1.1\"", StringComparison.Ordinal))),
            ("The signature of whoever built it does not hold", file => Change(file, "package.jws", _ => Text(other, "package.jws"))),
            ("it lacks a readable origin.json", file => file.GetEntry("origin.json")!.Delete()),
            ("it lacks a readable origin.json", file => Change(file, "origin.json", _ => "{\"key\":")),
            ("The seal of the service that it comes from does not hold", file => Change(file, "origin.json", text => text.Replace(
                Part(text, "seal"), Part(Text(other, "origin.json"), "seal"), StringComparison.Ordinal))),
            ("The signature of whoever built it does not hold", file => Change(
                file, "origin.json",
                text =>
                    text.Replace(Part(text, "key", "x"), Part(text, "sealKey", "x"), StringComparison.Ordinal)
                        .Replace(Part(text, "key", "y"), Part(text, "sealKey", "y"), StringComparison.Ordinal))),
            ("is not what its digest says", file => Change(file, FirstFile(file), text => new string('x', text.Length))),
            ("has no place in a package file", file => Change(file, "../more", _ => "x")),
            ("which its document does not name", file => Change(file, "files/" + new string('a', 64), _ => "x")),
        })
        {
            var bad = Path.Combine(folder, "bad.zip");
            File.Copy(good, bad, overwrite: true);
            using (var archive = ZipFile.Open(bad, ZipArchiveMode.Update))
            {
                change(archive);
            }

            var (code, output, errors) = await there.Run("package", "import", bad);
            Assert.True(code is 2 or 3, output + errors);
            Assert.Contains(says, errors);
        }

        Assert.Empty((await there.Admin.Get("/api/v1/packages?limit=10", ContractJson.Default.PagePackageInfo)).Items);
        Assert.Contains("is taken in", await there.Must("package", "import", good));
        other.Dispose();
        Directory.Delete(folder, recursive: true);

        static string FirstFile(ZipArchive archive) => archive.Entries.First(entry => entry.FullName.StartsWith("files/", StringComparison.Ordinal)).FullName;

        static string Text(ZipArchive archive, string entry)
        {
            using var reader = new StreamReader(archive.GetEntry(entry)!.Open());
            return reader.ReadToEnd();
        }

        static void Change(ZipArchive archive, string entry, Func<string, string> change)
        {
            var text = change(archive.GetEntry(entry) is null ? "" : Text(archive, entry));
            archive.GetEntry(entry)?.Delete();
            using var writer = new StreamWriter(archive.CreateEntry(entry).Open());
            writer.Write(text);
        }

        static string Part(string json, params string[] path)
        {
            using var document = JsonDocument.Parse(json);
            return path.Aggregate(document.RootElement, (element, name) => element.GetProperty(name)).GetString()!;
        }
    }

    [Fact]
    public async Task What_is_inside_is_told_in_an_open_form_and_the_same_each_time()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", Put);

        var text = await site.Must("package", "contents", "quill 1.0");
        using var list = JsonDocument.Parse(text);

        var root = list.RootElement;
        Assert.Equal(("CycloneDX", "1.6", 1), (
            root.GetProperty("bomFormat").GetString(), root.GetProperty("specVersion").GetString(), root.GetProperty("version").GetInt32()));
        Assert.Matches("^urn:uuid:[0-9a-f]{8}-[0-9a-f]{4}-8[0-9a-f]{3}-a[0-9a-f]{3}-[0-9a-f]{12}$", root.GetProperty("serialNumber").GetString());
        var package = (await site.Admin.Get("/api/v1/packages?limit=10", ContractJson.Default.PagePackageInfo)).Items[0];
        Assert.Equal(package.Digest, root.GetProperty("metadata").GetProperty("component").GetProperty("hashes")[0].GetProperty("content").GetString());
        Assert.Equal(["install.sh", "remove.sh"], root.GetProperty("components").EnumerateArray().Select(
            component => component.GetProperty("name").GetString()));
        Assert.Equal(text, await site.Must("package", "contents", package.Digest[..12]));
        using var answer = await site.Admin.Http.GetAsync($"/api/v1/packages/{package.Digest}/contents", TestContext.Current.CancellationToken);
        Assert.Equal("application/vnd.cyclonedx+json", answer.Content.Headers.ContentType!.MediaType);
    }
}
