using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What cuts the work of a device short: a kill, a power cut, a limit, a restart, a service that is away.</summary>
public sealed class InterruptionTests
{
    private const string Put = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"";

    // Says that it runs, and waits until the test lets it go on.
    private const string Slow = "echo run >> \"$BANDEJO_ROOT/ran\"\nwhile [ ! -e \"$BANDEJO_ROOT/go\" ]; do [ -d \"$BANDEJO_ROOT\" ] || exit; sleep 0.05; "
        + "done\n"
        + Put;

    [Fact]
    public async Task An_agent_that_is_killed_in_the_middle_goes_on_with_the_running_step()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("plateglass", "1.0", Slow);
        var device = await site.Device("STU-01");
        var deployment = await site.Deploy("plateglass", "all");
        await device.Appears("ran");
        await device.Kill();
        device.Write("go", "");
        await device.Appears("opt/plateglass/VERSION");
        await device.Start();
        await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Equal("run", device.Read("ran"));

        // The proof may arrive a check-in before the end of the attempt.
        await site.Admin.Until(async () => Assert.Single(await site.Admin.Attempts(deployment, device.Name)).Outcome == "done", "the attempt has ended");
    }

    [Fact]
    public async Task After_a_power_cut_the_agent_proves_first_and_then_tries_again()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("plateglass", "1.0", Slow);
        var device = await site.Device("STU-01");
        var deployment = await site.Deploy("plateglass", "all", "--retry-pause", "1s");
        await device.Appears("ran");
        await device.CutPower();
        device.Write("go", "");
        await device.Start();
        await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Equal("run\nrun", device.Read("ran"));
        Assert.Equal(["done", "interrupted"], (await site.Admin.Attempts(deployment, device.Name)).Select(attempt => attempt.Outcome));
    }

    [Fact]
    public async Task A_power_cut_after_the_work_was_done_does_nothing_twice()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package(
            "plateglass", "1.0",
            Put + "\necho run >> \"$BANDEJO_ROOT/ran\"\nwhile [ ! -e \"$BANDEJO_ROOT/go\" ]; do [ -d \"$BANDEJO_ROOT\" ] || exit; sleep 0.05; done");
        var device = await site.Device("STU-01");
        var deployment = await site.Deploy("plateglass", "all");
        await device.Appears("ran");
        await device.CutPower();
        await device.Start();
        await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Equal("run", device.Read("ran"));
    }

    [Fact]
    public async Task A_service_that_is_killed_in_the_middle_loses_nothing_and_hears_of_the_result()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("plateglass", "1.0", Slow);
        var device = await site.Device("STU-01");
        var deployment = await site.Deploy("plateglass", "all");
        await device.Appears("ran");
        await site.Admin.Becomes(deployment, device.Name, "working");
        await site.Process.Kill();
        device.Write("go", "");
        await device.Appears("opt/plateglass/VERSION");
        await site.Service.Start();
        await site.Admin.Until(
            async () => (await site.Admin.Attempts(deployment, device.Name)).Any(attempt => attempt.Outcome == "done"), "the result has arrived");
        await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Equal("run", device.Read("ran"));
        Assert.Single(await site.Admin.Attempts(deployment, device.Name));
    }

    [Fact]
    public async Task At_the_time_limit_everything_the_step_started_is_ended()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("hangs", "1.0", "sh -c 'trap \"\" TERM; echo $$ > \"$BANDEJO_ROOT/child\"; while true; do sleep 0.1; done' &\nwait", limit: "2s");
        var device = await site.Device("STU-01");
        var deployment = await site.Deploy("hangs", "all", "--tries", "1");
        var target = await site.Admin.Becomes(deployment, device.Name, "failed");
        Assert.Contains("ended with everything it had started after 2 s", target.Reason);
        Assert.False(Lives(device.Read("child")!));
        Assert.Equal("timed-out", Assert.Single(await site.Admin.Attempts(deployment, device.Name)).Outcome);
    }

    [Fact]
    public async Task An_install_that_needs_a_restart_is_proven_after_it()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("driver", "1.0", "exit 9", codes: "{ 9: restart-needed }");
        var device = await site.Device("STU-01", isStarted: false);
        device.Write("run/boot-id", "one");
        await device.Start();
        var deployment = await site.Deploy("driver", "all");
        await site.Admin.Becomes(deployment, device.Name, "restart");
        await device.Kill();
        device.Write("opt/driver/VERSION", "1.0");
        device.Write("run/boot-id", "two");
        await device.Start();
        await site.Admin.Becomes(deployment, device.Name, "met");
    }

    [Fact]
    public async Task An_order_is_not_started_after_its_lease_until_the_service_is_heard_again()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "all", "--rule", "yes");
        await site.Package("plateglass", "1.0", "echo run >> \"$BANDEJO_ROOT/ran\"\n[ -e \"$BANDEJO_ROOT/go\" ] || exit 9\n" + Put);
        var device = await site.Device("STU-01");
        var deployment = await site.Deploy("plateglass", "all", "--retry-pause", "6s", "--lease", "2s");
        await site.Admin.Becomes(deployment, device.Name, "retry");
        await site.Process.Kill();
        device.Write("go", "");

        // Tries to reach the service are a second, two, four and eight apart: the next try was due in between, and the lease was over before.
        await device.Says("Check-in failed", 4);
        Assert.Equal("run", device.Read("ran"));
        await site.Service.Start();
        await site.Admin.Becomes(deployment, device.Name, "met");
        Assert.Equal("run\nrun", device.Read("ran"));
    }

    [Fact]
    public async Task Two_agents_on_one_root_exclude_each_other()
    {
        await using var site = await Site.Start();
        var device = await site.Device("STU-01");
        var (code, output) = await device.StartSecond();
        Assert.Equal(2, code);
        Assert.Contains("Another agent is at work", output);
    }

    /// <summary>Whether a process is there and is more than an entry that nobody has collected.</summary>
    private static bool Lives(string pid)
    {
        var file = $"/proc/{pid}/stat";
        return File.Exists(file) && File.ReadAllText(file) is var stat && stat[stat.LastIndexOf(')') + 2] is not ('Z' or 'X');
    }
}
