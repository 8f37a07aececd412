using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>An agent whose machine is a folder: what it installs does not reach the machine that it runs on.</summary>
public sealed class GuardTests(OneSite one) : IClassFixture<OneSite>
{
    [Fact]
    public async Task A_step_that_forgets_the_root_fails_and_changes_nothing()
    {
        var mark = $"/var/tmp/bandejo-guard-{Guid.NewGuid():N}";
        var device = await one.Site.Device("ALD-DESK-GUARD");
        await one.Site.Package("forgets", "1.0", $"mkdir -p \"$T\"; echo 1.0 > \"$T/VERSION\"; echo reached > {mark} || exit 7; [ -e /run/dbus ] && exit 8");
        await one.Site.Package("knows", "1.0", $"mkdir -p \"$T\"; echo 1.0 > \"$T/VERSION\"; echo passing > /tmp/{Path.GetFileName(mark)}");

        var forgets = await one.Site.Deploy("forgets 1.0", Site.Enrolled, "--tries", "1");
        var failed = await one.Site.Admin.Becomes(forgets, device.Name, "met");
        Assert.Contains("although the step ended with code 7", failed.Reason);
        await one.Site.Admin.Becomes(await one.Site.Deploy("knows 1.0", Site.Enrolled), device.Name, "met");

        Assert.False(File.Exists(mark), "The step reached the machine that the agent runs on.");
        Assert.False(File.Exists($"/tmp/{Path.GetFileName(mark)}"), "What a step leaves in the folder for passing files stays with the step.");
        var attempt = Assert.Single(await one.Site.Admin.Attempts(forgets, device.Name));
        Assert.Equal(7, attempt.ExitCode);
    }
}
