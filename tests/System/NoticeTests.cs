using System.Diagnostics;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A deadline that closes programs, on real agents with somebody at them, on a clock that runs fast.</summary>
public sealed class NoticeTests
{
    [Fact]
    public async Task Whoever_is_signed_in_is_told_and_only_then_a_program_that_will_not_close_is_ended()
    {
        using var clock = new ClockFolder(speed: 60);
        await using var site = await Site.Start("--demo-clock", clock.File, "--check-in-seconds", "60");
        var (empty, seated, off) = (await Device("ALD-DESK-001"), await Device("ALD-DESK-002"), await Device("ALD-DESK-003"));
        await off.Kill();
        Directory.CreateDirectory(Path.Combine(seated.Root, "run/user/1000"));
        Directory.CreateDirectory(Path.Combine(off.Root, "run/user/1000"));

        // Somebody works with it, and it does not close when it is asked to.
        using var program = Run(seated, "opt/quill/quill", "#!/bin/sh\ntrap '' TERM\necho ready\nwhile :; do sleep 0.2; done\n");
        await program.StandardOutput.ReadLineAsync();
        await site.Package("quill", "1.0", "mkdir -p \"$T\" && echo 1.0 > \"$T/VERSION\"", close: "quill");
        var id = await site.Deploy("quill 1.0", Site.Enrolled, "--deadline", "12m", "--after-deadline", "close", "--notice", "5m");
        Assert.Contains(
            "unmet devices start outside their windows and close programs in the way, 5 min after whoever is signed in was told; a freeze holds",
            string.Join(' ', (await site.Must("deployment", "show", id)).Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)));

        // Nobody is in the way at one of them; at the other somebody is, until the deadline.
        await site.Admin.Becomes(id, empty.Name, "met");
        await site.Admin.Until(
            async () => (await site.Must("device", "why", seated.Name, "--deployment", id)).Contains("quill is in use, and closed only after the deadline"),
            "what is in use is waited for");
        Assert.False(program.HasExited);
        await site.Admin.Becomes(id, seated.Name, "met");
        Assert.True(program.HasExited);
        Assert.StartsWith("quill 1.0 is put on this device at Mon 08:", seated.Read("run/notices"));
        Assert.EndsWith(" Save your work: quill is closed for it then.", seated.Read("run/notices"));
        Assert.Null(empty.Read("run/notices"));

        // Long after the deadline a device comes on at which somebody works: told first, as promised.
        using var other = Run(off, "opt/quill/quill", "#!/bin/sh\necho ready\nwhile :; do sleep 0.2; done\n");
        await other.StandardOutput.ReadLineAsync();
        await off.Start();
        await site.Admin.Until(
            async () => (await site.Must("device", "why", off.Name, "--deployment", id)).Contains("Its user was told that it starts at Mon "), "it is told first");
        Assert.False(other.HasExited);
        Assert.EndsWith(" Save your work: quill is closed for it then.", off.Read("run/notices"));
        await site.Admin.Becomes(id, off.Name, "met");
        Assert.True(other.HasExited);

        async Task<AgentProcess> Device(string name) => await site.Device(name, facts: "kind: desk\nzone: UTC", clock: clock.File);
    }

    [Fact]
    public async Task What_is_asked_for_wrongly_is_refused_with_what_would_be_right()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", "true");
        string[] start = ["deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--preview"];
        Assert.Contains(
            "The notice is between 1 min and 24 h, such as '15 min', not 'soon'.",
            (await site.Run([.. start, "--deadline", "2d", "--after-deadline", "close", "--notice", "soon"])).Errors);
        Assert.Contains("Notice is given only where the deadline lets devices 'start', or 'close' programs as well; choose one of them.", (await site.Run([.. start, "--notice", "1h"])).Errors);
        Assert.Contains("Only a deadline lets devices start after it; name one.", (await site.Run([.. start, "--after-deadline", "close"])).Errors);
    }

    private static Process Run(AgentProcess device, string path, string script)
    {
        device.Write(path, script);
        return Process.Start(new ProcessStartInfo("/bin/sh", [Path.Combine(device.Root, path)]) { RedirectStandardOutput = true })!;
    }
}
