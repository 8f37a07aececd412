using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>Restarts, on real agents on whose machines they are rehearsed.</summary>
public sealed class RestartTests
{
    private const string Install = "mkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\" && exit 7";

    [Fact]
    public async Task Left_to_people_it_waits_for_them_and_asked_for_it_is_done()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        var device = await site.Device("ALD-DESK-001", facts: "kind: desk");
        await site.Package("quill", "1.0", Install, codes: "{ 7: restart-needed }");
        await site.Package("quill", "2.0", Install, codes: "{ 7: restart-needed }", isReleased: false);
        var (code, _, errors) = await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--restart", "tonight", "--yes");
        Assert.NotEqual(0, code);
        Assert.Contains("A restart is not asked for by 'tonight'. It is written like 'in the next window, left to people while", errors);
        Assert.Equal(1, errors.Split("not asked for by").Length - 1);

        (_, _, errors) = await site.Run("deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--start-when", "at night", "--yes");
        Assert.Contains("A start does not know 'at night'. It is one of 'at any time', 'with nobody signed in'", errors);

        var first = await site.Deploy("quill 1.0", Site.Enrolled);
        await site.Admin.Becomes(first, device.Name, "restart");
        await site.Admin.Until(
            async () => (await site.Must("device", "why", device.Name, "--deployment", first)).Contains("Its restart is left to people"), "it says so");
        Assert.Contains(
            "Waits: 1 device. In place but for a restart. Its restart is left to people (ALD-DESK-001)", await site.Must("deployment", "show", first));
        await site.Admin.Until(async () => (await site.Must("device", "list", "restart.pending is yes")).Contains(device.Name), "it is a fact");

        // What asked for a restart once is known to, before it is started again.
        await site.Must("group", "new", "others", "--rule", "kind is \"other\"");
        await site.Device("ALD-DESK-002", facts: "kind: other");
        Assert.Contains(
            "1 device needs a restart before it is proven (ALD-DESK-002), which is left to people.",
            await site.Must("deployment", "start", "quill 1.0", "--to", "others", "--priority", "1", "--preview"));
        device.Restart();
        await site.Admin.Becomes(first, device.Name, "met");
        await site.Must("deployment", "end", first, "--reason", "for the test", "--yes");
        await site.Must("package", "release", "quill 2.0", "--reason", "for the test");

        // Nobody is signed in there: the agent restarts it, and proves what it has.
        var second = await site.Deploy("quill 2.0", Site.Enrolled, "--restart", "with the install");
        await site.Admin.Becomes(second, device.Name, "met");
        await device.Says("Restart for quill 2.0", 1);
        Assert.Contains("restart with the install, left to people while somebody is signed in", (await site.Must("deployment", "show", second)).ReplaceLineEndings(" "));
    }

    [Fact]
    public async Task What_needs_a_restart_and_is_left_to_people_is_told_before_the_start()
    {
        await using var site = await Site.Start("--check-in-seconds", "1");
        await site.Device("ALD-DESK-001", facts: "kind: desk");
        await site.Device("ALD-DESK-002", facts: "kind: desk");
        var folder = site.WriteFolder("quill", "1.0", Install, codes: "{ 7: restart-needed }");
        var file = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(file, await File.ReadAllTextAsync(file) + "\n    handling: { after: { restart: always } }\n");
        await site.Must("package", "build", folder);
        await site.Must("package", "release", "quill 1.0", "--reason", "for the test");
        string[] start = [
            "deployment", "start", "quill 1.0", "--to", Site.Enrolled, "--wave", "First: 1 devices; 100 % met", "--wave", "Rest: everyone else", "--preview"];
        Assert.Contains(
            "2 devices need a restart before they are proven (ALD-DESK-001, ALD-DESK-002), which is left to people: the gate behind 'First' can pass only "
                + "when people restart.",
            await site.Must(start));
        Assert.DoesNotContain("need a restart", await site.Must([.. start, "--restart", "in the next window"]));

        // A device that does without is enough for this gate, so that it waits for nobody.
        await site.Device("ALD-DESK-003", facts: "kind: other");
        var text = (await File.ReadAllTextAsync(file)).Replace("version: \"1.0\"", "version: \"1.1\"").Replace("- name: linux", "- name: linux\n    fits: kind is \"desk\"");
        await File.WriteAllTextAsync(file, text + """
              - name: plain
                fits: kind is "other"
                files: [install.sh, remove.sh]
                install: { run: [sh, install.sh] }
                remove: { run: [sh, remove.sh] }
                present: [{ version-in: opt/quill/VERSION }]

            """);
        await site.Must("package", "build", folder);
        await site.Must("package", "release", "quill 1.1", "--reason", "for the test");
        string[] three = [
            "deployment", "start", "quill 1.1", "--to", Site.Enrolled, "--wave", "First: 3 devices; 1 met", "--wave", "Rest: everyone else", "--preview"];
        var (_, enough, _) = await site.Run(three);
        Assert.Contains("2 devices need a restart before they are proven (ALD-DESK-001, ALD-DESK-002), which is left to people.", enough);
        Assert.Contains("the gate behind 'First' can pass only", (await site.Run([.. three.Select(word => word.Replace("1 met", "2 met"))])).Output);
    }
}
