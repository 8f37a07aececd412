using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Old packages go when nothing needs them, and come back when they are brought again; trials stay whole with their packages.</summary>
public sealed class LettingGoTests
{
    private const string Install = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task What_devices_have_or_may_fall_back_to_stays_and_the_rest_goes_with_its_files()
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        var folders = new Dictionary<string, string>();
        foreach (var version in new[] { "1.0", "1.1", "1.2" })
        {
            // Each version has a step of its own and one that all share.
            folders[version] = site.WriteFolder("quill", version, $"{Install} # {version}");
            await site.Must("package", "build", folders[version]);
            await site.Must("package", "release", $"quill {version}", "--reason", "for the test");
        }

        var old = await site.Deploy("quill 1.1", Site.Enrolled);
        await site.Admin.Becomes(old, device.Name, "met");
        await site.Must("deployment", "end", "--yes", old, "--reason", "a newer one follows");
        var room = await site.Must("package", "room");
        Assert.Matches(@"quill 1\.0 .*yes", room);
        Assert.Matches(@"quill 1\.1 .*no: 1 device has it, and may fall back to it from the next version", room);
        Assert.Matches(@"quill 1\.2 .*no: it is the newest that is released of its app", room);

        // One that is only built takes nobody's place.
        await site.Must("package", "build", site.WriteFolder("quill", "1.3", Install));
        Assert.Matches(@"quill 1\.2 .*no: it is the newest that is released of its app", await site.Must("package", "room"));
        var now = await site.Deploy("quill 1.2", Site.Enrolled);
        await site.Admin.Becomes(now, device.Name, "met");
        foreach (var (version, why) in new[] { ("1.1", "1 device may fall back to it"), ("1.2", "deploys it") })
        {
            var (code, _, errors) = await site.Run("package", "let-go", $"quill {version}");
            Assert.Equal(3, code);
            Assert.Contains(why, errors);
        }

        var details = await site.Admin.Get("/api/v1/packages/quill%201.0", ContractJson.Default.PackageDetails);
        var own = details.Variants[0].Files.Single(file => file.Path == "install.sh").Sha256;
        var shared = details.Variants[0].Files.Single(file => file.Path == "remove.sh").Sha256;
        Assert.Contains($"quill 1.0 is let go; {details.Room.Own} B went", await site.Must("package", "let-go", "quill 1.0", "--reason", "nobody has it"));
        Assert.False(IsKept(site, own));
        Assert.True(IsKept(site, shared));
        Assert.Matches(@"1\.0 +released, let go", await site.Must("package", "list"));
        Assert.Contains("let go: its files are not kept any more", await site.Must("package", "show", "quill 1.0"));
        Assert.Contains(
            "was let go; its files are not kept any more. Build or import it again",
            (await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview")).Output);
        Assert.Contains("quill 1.0 was let go", await site.Must("journal", "--topic", "audit"));

        await site.Must("package", "build", folders["1.0"]);
        Assert.True(IsKept(site, own));
        Assert.DoesNotContain("was let go", (await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview")).Output);
    }

    [Fact]
    public async Task Files_that_a_stop_left_go_at_the_next_start()
    {
        await using var site = await Site.StartApart();
        foreach (var version in new[] { "1.0", "1.1" })
        {
            await site.Package("quill", version, $"{Install} # {version}");
        }

        var own = (await site.Admin.Get("/api/v1/packages/quill%201.0", ContractJson.Default.PackageDetails)).Variants[0].Files.Single(
            file => file.Path == "install.sh").Sha256;
        var place = Path.Combine(site.Service.Folder, "data", "files", own[..2], own);
        var content = await File.ReadAllBytesAsync(place);
        await site.Must("package", "let-go", "quill 1.0");
        await site.Process.Kill();
        // As if it had been stopped between its word and its deed.
        await File.WriteAllBytesAsync(place, content);
        await site.Service.Start();

        Assert.False(File.Exists(place));
        Assert.Contains("let go", await site.Must("package", "show", "quill 1.0"));
    }

    [Fact]
    public async Task All_steps_of_a_trial_stay_with_the_package()
    {
        await using var site = await Site.Start();
        var folder = site.WriteFolder("quill", "1.0", Install);
        await site.Must("package", "build", folder);
        await site.Must("package", "trial", folder);

        var shown = await site.Must("package", "show", "quill 1.0", "--trials");
        Assert.Matches(@"linux +.*a clean sandbox.*passed", shown);
        Assert.Contains("It ended with code 0; quill 1.0 proven by version in opt/quill/VERSION", shown);
        var kept = (await site.Admin.Get("/api/v1/packages/quill%201.0", ContractJson.Default.PackageDetails)).History.Single(life => life.Trial is not null);
        Assert.Equal("tried", kept.State);
        Assert.Contains(
            (await site.Admin.Get($"/api/v1/packages/quill%201.0/trials/{kept.Trial}", ContractJson.Default.TrialReport)).Steps,
            step => step.Name == "leftovers");

        // Other content cannot be had under the name of a trial.
        var file = (await site.Admin.Get("/api/v1/packages/quill%201.0", ContractJson.Default.PackageDetails)).Variants[0].Files[0].Sha256;
        using var answer = await site.Admin.Http.GetAsync($"/api/v1/packages/quill%201.0/trials/{file}");
        Assert.Equal(global::System.Net.HttpStatusCode.NotFound, answer.StatusCode);
    }

    private static bool IsKept(Site site, string sha256) => File.Exists(Path.Combine(site.Service.Folder, "data", "files", sha256[..2], sha256));
}
