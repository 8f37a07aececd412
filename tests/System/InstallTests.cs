using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>The real service, agents and command line, through the whole job and its accidents.</summary>
public sealed class InstallTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    // Says that it runs, and waits until the test lets it go on.
    private const string Slow = "echo run >> \"$BANDEJO_ROOT/ran\"\nwhile [ ! -e \"$BANDEJO_ROOT/go\" ]; do [ -d \"$BANDEJO_ROOT\" ] || exit; sleep 0.05; "
        + "done\n"
        + Put;

    [Fact]
    public async Task Software_travels_through_two_waves_with_a_gate_a_retry_and_a_roll_back()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "pilots", "--testing");
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        var pilot = await site.Device("ALD-DESK-001", "pilots");
        var other = await site.Device("ALD-DESK-002", facts: "kind: desk\nsite: ALD");
        var kiosk = await site.Device("ALD-KIOSK-001", facts: "kind: kiosk");
        await site.Package("foldline", "7.1.0", Put);
        await site.Package("foldline", "7.2.0", "[ -e \"$BANDEJO_ROOT/run/full\" ] && { echo 'no room left' >&2; exit 112; }\n" + Put);

        var first = await site.Deploy("foldline 7.1.0", "desks");
        await site.Admin.Becomes(first, pilot.Name, "met");
        await site.Admin.Becomes(first, other.Name, "met");
        Assert.Equal("7.1.0", other.Read("opt/foldline/VERSION"));

        pilot.Write("run/full", "");
        var second = await site.Deploy(
            "foldline 7.2.0", "desks", "--wave", "Pilots: group pilots; 100 % met, then approval", "--wave", "The rest: everyone else", "--tries", "1");
        var failed = await site.Admin.Becomes(second, pilot.Name, "failed");
        Assert.Contains("no room left", failed.Reason);
        Assert.Equal("waiting", (await site.Admin.Becomes(second, other.Name, "waiting")).State);
        Assert.Equal("7.1.0", other.Read("opt/foldline/VERSION"));
        var attempt = Assert.Single(await site.Admin.Attempts(second, pilot.Name));
        Assert.Equal(("failed", 112), (attempt.Outcome, attempt.ExitCode));
        await site.Admin.Until(async () => (await site.Run("deployment", "log", attempt.Id)).Output.Contains("no room left"), "the log has arrived");

        Assert.Equal(3, (await site.Run("deployment", "approve", second, "--reason", "x")).Code);
        File.Delete(Path.Combine(pilot.Root, "run/full"));
        await site.Must("deployment", "retry", second);
        await site.Admin.Becomes(second, pilot.Name, "met");
        await site.Must("deployment", "approve", second, "--reason", "nobody else is here");
        await site.Admin.Becomes(second, other.Name, "met");
        Assert.Equal("7.2.0", other.Read("opt/foldline/VERSION"));
        Assert.Null(kiosk.Read("opt/foldline/VERSION"));

        await site.Must("deployment", "roll-back", second, "--reason", "prints blank pages", "--yes");
        await site.Admin.Becomes(second, pilot.Name, "undone");
        await site.Admin.Becomes(second, other.Name, "undone");
        Assert.Equal(("7.1.0", "7.1.0"), (pilot.Read("opt/foldline/VERSION"), other.Read("opt/foldline/VERSION")));
        await site.Admin.Until(
            async () =>
                (await site.Must("deployment", "list", "--all", "-o", "csv")).Contains($"{second},")
                    && (await site.Must("deployment", "list", "--all", "-o", "json")).Contains("Ended: rolled back"),
            "the deployment has ended");
        Assert.Contains("ALD-DESK-001,foldline,7.1.0", await site.Must("compliance", "export"));
        Assert.Equal(0, (await site.Run("compliance", "check", "--deployment", first)).Code);
    }

    [Theory]
    [InlineData("halt")]
    [InlineData("pause")]
    public async Task A_try_is_a_start_and_held_like_the_first(string act)
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await site.Package("foldline", "7.2.0", "[ -e \"$BANDEJO_ROOT/mended\" ] || exit 9\n" + Put);
        var deployment = await site.Deploy("foldline 7.2.0", Site.Enrolled, "--tries", "9", "--retry-pause", "1s");
        await site.Admin.Becomes(deployment, device.Name, "retry");
        await site.Must("deployment", act, deployment, "--reason", "it fails");
        var held = await site.Admin.Becomes(deployment, device.Name, "waiting");
        Assert.Contains(act == "halt" ? "halted" : "paused", held.Reason);

        // The device was told at once, not at its next check-in, and has no order any more that may start.
        await ApiClient.Comes(async () => (await device.Tell("show")).Output.Contains("may not start"), "the device has heard of it");
        var tries = (await site.Admin.Attempts(deployment, device.Name)).Count;
        device.Write("mended", "");
        await site.Package("circdesk", "1.0.0", Put);
        await site.Admin.Becomes(await site.Deploy("circdesk 1.0.0", Site.Enrolled), device.Name, "met");
        Assert.Equal(tries, (await site.Admin.Attempts(deployment, device.Name)).Count);
        Assert.Null(device.Read("opt/foldline/VERSION"));

        await site.Must("deployment", "resume", deployment, "--reason", "mended");
        await site.Admin.Becomes(deployment, device.Name, "met");
    }

    [Fact]
    public async Task A_device_waits_until_nobody_is_signed_in_says_so_and_uses_no_try_up()
    {
        await using var site = await Site.Start();
        var folder = site.WriteFolder("foldline", "7.2.0", Put);
        var manifest = Path.Combine(folder, "package.yaml");
        File.WriteAllText(manifest, File.ReadAllText(manifest).Replace(
            "    requires:", "    handling: { before: { signed-in: nobody } }\n    requires:", StringComparison.Ordinal));
        await site.Must("package", "build", folder);
        await site.Must("package", "release", "foldline", "--reason", "for the test");
        var device = await site.Device("ALD-DESK-001", isStarted: false);
        var user = Directory.CreateDirectory(Path.Combine(device.Root, "run/user/1000"));
        await device.Start();
        await site.Package("circdesk", "1.0.0", Put);
        var id = await site.Deploy("foldline", Site.Enrolled, "--tries", "1", "--halt", "1 failed");
        await site.Admin.Until(
            async () =>
                (await site.Must("deployment", "targets", id, "-o", "csv")).Contains("the device waits: Somebody is signed in", StringComparison.Ordinal),
            "it says what it waits for");

        // Others need not wait with it.
        await site.Admin.Becomes(await site.Deploy("circdesk", Site.Enrolled), device.Name, "met");
        Assert.Equal("ready", (await site.Admin.Becomes(id, device.Name, "ready")).State);
        Assert.Empty(await site.Admin.Attempts(id, device.Name));
        user.Delete();
        await site.Admin.Becomes(id, device.Name, "met");
        Assert.Single(await site.Admin.Attempts(id, device.Name));
    }

    [Fact]
    public async Task What_takes_long_is_told_of_and_a_device_that_is_removed_leaves_nothing_open()
    {
        await using var site = await Site.Start();
        await site.Package("plateglass", "1.0", Slow, limit: "1m, expected: 1s");
        var device = await site.Device("STU-1");
        var id = await site.Deploy("plateglass", Site.Enrolled);
        await device.Appears("ran");
        await site.Admin.Until(
            async () =>
                (await site.Must("deployment", "targets", id, "-o", "csv")).Contains("much longer than the 1 s that were expected", StringComparison.Ordinal),
            "its target says so");
        Assert.Contains("takes much longer than expected", await site.Must("today"));
        await site.Must("device", "remove", device.Name, "--yes");
        var attempt = Assert.Single(await site.Admin.Get($"/api/v1/deployments/{id}/attempts", ContractJson.Default.IReadOnlyListAttemptInfo));
        Assert.Equal("interrupted", attempt.Outcome);
        Assert.Contains("was removed from the service in the middle of it", attempt.Message);
        Assert.DoesNotContain("takes much longer", await site.Must("today"));
    }

    [Fact]
    public async Task A_first_wave_that_cannot_pass_says_what_is_missing_there_and_on_today()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", "exit 9");
        await site.Must("group", "new", "pilots");
        var first = await site.Device("STU-1", "pilots");
        await site.Must("group", "member", "add", "--yes", Site.Enrolled, "STU-1");
        await site.Device("DESK-1", isStarted: false);
        var id = await site.Deploy(
            "notes", Site.Enrolled, "--tries", "1", "--halt", "never", "--wave", "Pilots: group pilots; 100 % met", "--wave", "Rest: everyone else");
        await site.Admin.Becomes(id, first.Name, "failed");
        Assert.Contains("'Pilots' cannot reach its gate as things are: 0 of 1 met, 1 needed; 1 failed.", await site.Must("deployment", "show", id));
        var today = await site.Must("today");
        Assert.Contains("cannot reach its gate", today);
        Assert.DoesNotContain("1 device failed in", today);
    }

    [Fact]
    public async Task A_failed_upgrade_puts_the_earlier_version_back_and_says_so()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("foldline", "7.1.0", Put);
        await site.Package("foldline", "7.2.0", "rm -rf \"$T\"; exit 9");
        var device = await site.Device("STU-01");
        await site.Admin.Becomes(await site.Deploy("foldline 7.1.0", "all"), device.Name, "met");
        var failed = await site.Admin.Becomes(await site.Deploy("foldline 7.2.0", "all", "--tries", "1"), device.Name, "failed");
        Assert.Contains("7.1.0 was put back", failed.Reason);
        Assert.Equal("7.1.0", device.Read("opt/foldline/VERSION"));
    }

    [Fact]
    public async Task A_good_code_without_proof_is_a_failure_and_a_bad_code_with_proof_is_met()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("liar", "1.0", "exit 0");
        await site.Package("grumbler", "1.0", Put + "; exit 7");
        var device = await site.Device("STU-01");
        var failed = await site.Admin.Becomes(await site.Deploy("liar", "all", "--tries", "1"), device.Name, "failed");
        Assert.Contains("means done, but", failed.Reason);
        var met = await site.Admin.Becomes(await site.Deploy("grumbler", "all"), device.Name, "met");
        Assert.Contains("although the step ended with code 7", met.Reason);
    }

    [Fact]
    public async Task Software_is_taken_away_and_what_is_replaced_goes_first()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("old-foldline", "5.3", Put);
        await site.Package("foldline", "7.2.0", Put, more: "replaces: [old-foldline]");
        var device = await site.Device("STU-01");
        var old = await site.Deploy("old-foldline", "all");
        await site.Admin.Becomes(old, device.Name, "met");
        await site.Must("deployment", "end", "--yes", old, "--reason", "replaced");
        var up = await site.Deploy("foldline", "all");
        await site.Admin.Becomes(up, device.Name, "met");
        Assert.Null(device.Read("opt/old-foldline/VERSION"));
        await site.Must("deployment", "end", "--yes", up, "--reason", "not wanted any more");
        await site.Admin.Becomes(await site.Deploy("foldline", "all", "--gone"), device.Name, "met");
        Assert.Null(device.Read("opt/foldline/VERSION"));
    }

    [Fact]
    public async Task What_was_there_already_is_met_without_an_attempt_and_what_is_removed_is_repaired()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("foldline", "7.2.0", Put);
        var device = await site.Device("STU-01", isStarted: false);
        device.Write("opt/foldline/VERSION", "7.3");
        await device.Start();
        var deployment = await site.Deploy("foldline", "all");
        var met = await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Contains("newer than 7.2.0; it was so already", met.Reason);
        Assert.Empty(await site.Admin.Attempts(deployment, device.Name));
        Directory.Delete(Path.Combine(device.Root, "opt/foldline"), recursive: true);
        await device.Appears("opt/foldline/VERSION");
        await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Equal("7.2.0", device.Read("opt/foldline/VERSION"));
        Assert.Single(await site.Admin.Attempts(deployment, device.Name));
    }

    [Fact]
    public async Task A_requirement_blocks_until_it_holds()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("studio", "1.0", Put, requires: "label.scanner is \"yes\"");
        var device = await site.Device("STU-01", facts: "label.scanner: no");
        var deployment = await site.Deploy("studio", "all", "--wave", "All: everyone else");
        var blocked = await site.Admin.Becomes(deployment, device.Name, "blocked");
        Assert.Contains("label.scanner is \"yes\" (has no)", blocked.Reason);
        device.Write("etc/bandejo/facts", "label.scanner: yes\n");
        await site.Admin.Becomes(deployment, device.Name, "met");
    }

    [Fact]
    public async Task A_machine_tells_who_made_it_and_its_number_and_no_name_that_nobody_wrote()
    {
        await using var site = await Site.Start();
        var device = await site.Device("STU-01", isStarted: false);
        device.Write("sys/class/dmi/id/sys_vendor", "Bellwether Works\n");
        device.Write("sys/class/dmi/id/product_name", "Default string\n");
        device.Write("sys/class/dmi/id/product_serial", "BW-0042\n");
        await device.Start();
        await ApiClient.Comes(async () => (await site.Must("device", "show", device.Name)).Contains("BW-0042"), "the device told its number");
        var said = await site.Must("device", "show", device.Name);
        Assert.Contains("Bellwether Works", said);
        Assert.DoesNotContain("Default string", said);
    }

    [Fact]
    public async Task A_withdrawn_package_halts_and_is_refused()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("foldline", "7.2.0", Slow);
        var device = await site.Device("STU-01");
        var late = await site.Device("STU-02", isStarted: false);
        var deployment = await site.Deploy("foldline", "all");
        await device.Appears("ran");
        Assert.Contains("halted: ", await site.Must("package", "withdraw", "--yes", "foldline", "--reason", "loses documents"));
        await late.Start();
        device.Write("go", "");
        await site.Admin.Becomes(deployment, device.Name, "met");
        await site.Admin.Until(
            async () => (await site.Must("device", "show", late.Name, "-o", "json")).Contains("lastHeard"), "the late device was heard from");
        Assert.Null(late.Read("ran"));
        Assert.Equal(1, (await site.Run("deployment", "start", "foldline 7.2.0", "--to", "all", "--preview")).Code);
    }

    /// <summary>The Windows Installer writes two bytes for a character; whoever reads the log of an attempt reads words all the same.</summary>
    [Theory]
    [InlineData(@"\377\376p\000\374\000n\000k\000t\000", "pünkt")]
    [InlineData(@"p\303\274nkt", "pünkt")]
    public async Task What_an_installer_wrote_by_itself_is_read_in_the_form_it_was_written_in(string written, string read)
    {
        await using var site = await Site.Start();
        var device = await site.Device("ALD-DESK-001");
        await site.Package(
            "quill", "1.0",
            $"mkdir -p \"$BANDEJO_ROOT/var/log\" && printf '{written}' > \"$BANDEJO_ROOT/var/log/quill.log\"\necho 'no room left' >&2; exit 3",
            requires: "yes\n    handling: noted", more: "handlings: { noted: { during: { log: /var/log/quill.log } } }");
        var deployment = await site.Deploy("quill 1.0", Site.Enrolled, "--tries", "1");
        await site.Admin.Becomes(deployment, device.Name, "failed");
        var attempt = Assert.Single(await site.Admin.Attempts(deployment, device.Name));
        await site.Admin.Until(async () => (await site.Run("deployment", "log", attempt.Id)).Output.Contains("--- /var/log/quill.log"), "the log has arrived");
        Assert.Matches($"no room left\\s+--- /var/log/quill.log\\s+{read}", await site.Must("deployment", "log", attempt.Id));
    }
}
