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

        await site.Admin.Post("/api/v1/accounts", new AccountRequest("ruth", "Ruth", "long-enough-1", ["administrator"]), ContractJson.Default.AccountRequest, ContractJson.Default.AccountInfo);
        using var ruth = await ApiClient.SignIn(site.Service.Address, "ruth", "long-enough-1");
        Assert.Equal("released", (await ruth.Post("/api/v1/packages/quill%201.0/release", new ReasonRequest("looked through"), ContractJson.Default.ReasonRequest, ContractJson.Default.PackageInfo)).State);
    }

    [Fact]
    public async Task Two_packages_are_compared_in_the_words_of_a_manifest()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", Put, more: "settings: [{ name: site, default: HQ }]");
        await site.Package("quill", "1.1", Put + "\n# more", limit: "2m", more: "settings: [{ name: site, default: ALD }, { name: licence, type: secret }]");

        var shown = await site.Must("package", "compare", "quill 1.0", "quill 1.1");
        var told = JsonSerializer.Deserialize(await site.Must("package", "compare", "quill 1.0", "quill 1.1", "-o", "json"), ContractJson.Default.PackageComparison)!.Differences.Select(each => (each.What, each.Name, each.Before, each.After)).ToList();

        Assert.Equal(
            [
                ("package", "version", "1.0", "1.1"), ("setting", "site", "text, HQ unless set", "text, ALD unless set"), ("setting", "licence", null, "secret, no default"),
                ("variant linux", "install", "sh install.sh, limit 1 min", "sh install.sh, limit 2 min"), ("variant linux, file", "install.sh", "84 B", "91 B"),
            ],
            told);
        Assert.Contains("    → sh install.sh, limit 2 min", shown);
        Assert.Contains("no difference", await site.Must("package", "compare", "quill 1.0", "quill 1.0"));
        Assert.Contains("There is no version 3 of 'quill'", (await site.Run("package", "compare", "quill 1.0", "quill 3")).Errors);
    }

    [Fact]
    public async Task What_is_inside_is_told_in_an_open_form_and_the_same_each_time()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", Put);

        var text = await site.Must("package", "contents", "quill 1.0");
        using var list = JsonDocument.Parse(text);

        var root = list.RootElement;
        Assert.Equal(("CycloneDX", "1.6", 1), (root.GetProperty("bomFormat").GetString(), root.GetProperty("specVersion").GetString(), root.GetProperty("version").GetInt32()));
        Assert.Matches("^urn:uuid:[0-9a-f]{8}-[0-9a-f]{4}-8[0-9a-f]{3}-a[0-9a-f]{3}-[0-9a-f]{12}$", root.GetProperty("serialNumber").GetString());
        var package = (await site.Admin.Get("/api/v1/packages?limit=10", ContractJson.Default.PagePackageInfo)).Items[0];
        Assert.Equal(package.Digest, root.GetProperty("metadata").GetProperty("component").GetProperty("hashes")[0].GetProperty("content").GetString());
        Assert.Equal(["install.sh", "remove.sh"], root.GetProperty("components").EnumerateArray().Select(component => component.GetProperty("name").GetString()));
        Assert.Equal(text, await site.Must("package", "contents", package.Digest[..12]));
        using var answer = await site.Admin.Http.GetAsync($"/api/v1/packages/{package.Digest}/contents", TestContext.Current.CancellationToken);
        Assert.Equal("application/vnd.cyclonedx+json", answer.Content.Headers.ContentType!.MediaType);
    }
}
