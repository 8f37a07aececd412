using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Trials on an enrolled device that is kept for testing, through its agent.</summary>
public sealed class DeviceTrialTests
{
    private const string Install = "mkdir -p \"$T\" \"$BANDEJO_ROOT/srv/quill\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    [Fact]
    public async Task A_package_is_tried_on_a_device_which_is_left_as_it_was()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "bench", "--testing");
        var device = await site.Device("TRY-001", "bench");
        device.Write("opt/other/file", "stays");
        await site.Must("package", "build", site.WriteFolder("quill", "1.0", Install));
        var folder = site.WriteFolder("quill", "1.1", Install + " && printf '#!/bin/sh\\nexit 0\\n' > \"$T/quill\" && chmod 755 \"$T/quill\"");
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace(
            "    present:", "    launch: { run: [/opt/quill/quill] }\n    present:"));

        var (code, _, errors) = await site.Run("package", "trial", folder, "--on", "TRY-001");
        Assert.Equal(2, code);
        Assert.Contains("is not built yet. First: bandejo package build", errors);
        await site.Must("package", "build", folder);

        // Launched below the machine's own root, where it was put.
        var output = await site.Must("package", "trial", folder, "--on", "TRY-001", "--from", "quill 1.0");
        foreach (var step in new[] { "clean", "install", "in place", "launch", "again", "remove", "leftovers", "earlier", "upgrade", "fall back", "clean up" })
        {
            Assert.Contains($" {step} ", output);
        }

        Assert.Contains("The trial passed", output);
        Assert.Null(device.Read("opt/quill/VERSION"));
        Assert.Equal("stays", device.Read("opt/other/file"));
        var details = await site.Admin.Get("/api/v1/packages/quill%201.1", ContractJson.Default.PackageDetails);
        Assert.Equal("tried", details.Package.State);
        Assert.StartsWith("Trial on the device TRY-001: passed", details.History[^1].Reason);
        Assert.Matches("linux +the device TRY-001 ", await site.Must("package", "show", "quill 1.1", "--trials"));
        Assert.Contains("TRY-001 was asked to try quill 1.1", await site.Must("journal", "--topic", "audit"));

        // What is in the catalogue can be tried in the sandbox too.
        Assert.Contains("It is kept with quill 1.1", await site.Must("package", "trial", "quill 1.1"));
    }

    [Fact]
    public async Task A_step_that_fails_is_told_and_what_it_left_is_taken_away()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "bench", "--testing");
        var device = await site.Device("TRY-001", "bench");
        await site.Must("package", "build", site.WriteFolder(
            "quill", "1.0", "mkdir -p \"$T\"; echo half > \"$T/half\"; echo 'the disk is made of cheese'; exit 7", "rm -rf \"$T\""));

        var (code, output, _) = await site.Run("package", "trial", "quill 1.0", "--on", "TRY-001");

        Assert.Equal(1, code);
        Assert.Contains("It ended with code 7 (failed), but version in opt/quill/VERSION is not there", output);
        Assert.Contains("the disk is made of cheese", output);
        Assert.Null(device.Read("opt/quill/half"));
        Assert.Equal("built", (await site.Admin.Get("/api/v1/packages/quill%201.0", ContractJson.Default.PackageDetails)).Package.State);
    }

    [Fact]
    public async Task Only_devices_for_testing_are_asked_and_a_trial_that_was_not_begun_can_be_taken_back()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "bench", "--testing");
        await site.Device("ALD-DESK-001");
        await site.Device("TRY-001", "bench", isStarted: false);
        await site.Must("package", "build", site.WriteFolder("quill", "1.0", Install));

        var (code, _, errors) = await site.Run("package", "trial", "quill 1.0", "--on", "ALD-DESK-001");
        Assert.Equal(3, code);
        Assert.Contains("ALD-DESK-001 is in no group that is marked for testing.", errors);

        var asked = await site.Admin.Post(
            "/api/v1/devices/TRY-001/trial", new DeviceTrialRequest("quill 1.0"), ContractJson.Default.DeviceTrialRequest,
            ContractJson.Default.DeviceTrialInfo);
        Assert.Equal("waiting", asked.State);
        await site.Must("package", "build", site.WriteFolder("quill", "1.1", Install));
        Assert.Contains("TRY-001 was asked to try it", (await site.Run("package", "let-go", "quill 1.0")).Errors);
        await site.Process.Kill();
        await site.Service.Start();
        Assert.Equal(asked.Id, (await site.Admin.Get("/api/v1/devices/TRY-001/trial", ContractJson.Default.DeviceTrialInfo)).Id);
        using var back = await site.Admin.Http.DeleteAsync("/api/v1/devices/TRY-001/trial");
        back.EnsureSuccessStatusCode();
        Assert.Equal(
            ("ended", false),
            (await site.Admin.Get("/api/v1/devices/TRY-001/trial", ContractJson.Default.DeviceTrialInfo)) is var ended
                ? (ended.State, ended.HasPassed)
                : default);
    }

    [Fact]
    public async Task An_agent_that_is_killed_in_the_middle_says_so_and_the_next_trial_can_be_asked_for()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "bench", "--testing");
        var device = await site.Device("TRY-001", "bench");
        await site.Must("package", "build", site.WriteFolder("quill", "1.0", "touch \"$BANDEJO_ROOT/began\"; sleep 20", limit: "1m"));
        var begun = new TaskCompletionSource();
        using var watcher = new FileSystemWatcher(device.Root, "began") { EnableRaisingEvents = true };
        watcher.Created += (_, _) => begun.TrySetResult();
        await site.Admin.Post(
            "/api/v1/devices/TRY-001/trial", new DeviceTrialRequest("quill 1.0"), ContractJson.Default.DeviceTrialRequest,
            ContractJson.Default.DeviceTrialInfo);
        await begun.Task.WaitAsync(TimeSpan.FromSeconds(240));

        await device.Kill();
        await device.Start();

        var path = "/api/v1/devices/TRY-001/trial";
        await site.Admin.Until(async () => (await site.Admin.Get(path, ContractJson.Default.DeviceTrialInfo)).State == "ended", "the trial has ended");
        Assert.Contains("stopped in the middle of the trial", (await site.Admin.Get(path, ContractJson.Default.DeviceTrialInfo)).Says);
        Assert.Equal(
            "waiting",
            (
                await site.Admin.Post(
                    path, new DeviceTrialRequest("quill 1.0"), ContractJson.Default.DeviceTrialRequest, ContractJson.Default.DeviceTrialInfo)).State);
    }
}
