using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A trial starts what was installed: for the system account, for an ordinary user and for a second one, and says what becomes of services.</summary>
public sealed class LaunchTests(OneSite one) : IClassFixture<OneSite>
{
    private const string Program = """
        mkdir -p /opt/quill /etc/systemd/system/multi-user.target.wants; echo 1.0 > /opt/quill/VERSION
        printf '#!/bin/sh\n%s\n' "$BODY" > /opt/quill/quill; chmod 755 /opt/quill/quill
        """;

    [Fact]
    public async Task A_program_that_refuses_the_system_account_is_found_to_run_for_people()
    {
        var steps = await Try(
            """[ $(id -u) = 0 ] && { echo 'not for root'; exit 3; }; mkdir -p "$HOME/.quill"; echo "$PAPER $(whoami)" > "$HOME/.quill/recent"; cat "$HOME/.quill/recent"; sleep 60""");

        Assert.Equal(("warned", "It does not run for the system account, which some programs refuse: it ended with code 3: not for root"), (
            steps["launch"].State, steps["launch"].Says));
        Assert.Equal(("passed", "It started, and was still up after 1 s; in the person's own folder it wrote .quill/recent"), (
            steps["as a person"].State, steps["as a person"].Says));
        Assert.Contains("A4 first-person", steps["as a person"].Log);
        Assert.Contains("A4 second-person", steps["second person"].Log);
        Assert.Equal("Nothing is left behind.", steps["leftovers"].Says);
        Assert.DoesNotContain("still running", steps.Keys);
    }

    [Fact]
    public async Task A_program_that_writes_beside_itself_is_found_not_to_run_for_people()
    {
        var steps = await Try("set -e; echo x > /opt/quill/state; sleep 60");

        Assert.Equal("passed", steps["launch"].State);
        Assert.Equal("warned", steps["as a person"].State);
        Assert.Contains("For an ordinary user it does not run: it ended with code", steps["as a person"].Says);
        Assert.Contains("Permission denied", steps["as a person"].Says);
    }

    [Fact]
    public async Task A_program_for_one_person_at_a_time_is_found()
    {
        var steps = await Try("""[ $(id -u) = 0 ] && exit 0; mkdir /tmp/quill-is-open || exit 4; sleep 60""", "rm -rf \"$T\" /tmp/quill-is-open");

        Assert.Equal("passed", steps["as a person"].State);
        Assert.Equal("warned", steps["second person"].State);
        Assert.Contains("It does not run for a second person at the same device: it ended with code 4", steps["second person"].Says);
    }

    [Fact]
    public async Task A_sandbox_that_is_ended_says_by_what()
    {
        var folder = one.Site.WriteFolder(
            "quill", "1.0", "for each in /proc/[0-9]*; do grep -q agent/bandejo-agent $each/cmdline && kill -9 ${each#/proc/}; done; sleep 60");

        var (code, _, errors) = await one.Site.Run("package", "trial", folder);

        Assert.Equal(2, code);
        Assert.Contains("The sandbox of the trial did not come to its end: something on this machine ended it (signal 9, KILL)", errors);
    }

    [Theory]
    [InlineData(true, "left-out", "quill.service: enabled, it starts with the device. No service manager runs here")]
    [InlineData(false, "warned", "quill.service: not enabled, nothing starts it with the device. Where it should be, have 'install' enable and start it.")]
    public async Task What_becomes_of_a_service_is_said(bool isEnabled, string state, string says)
    {
        var unit = "printf '[Service]\\nExecStart=/opt/quill/quill\\n[Install]\\nWantedBy=multi-user.target\\n' > /etc/systemd/system/quill.service; printf "
            + "'[Service]\\nExecStart=/bin/true\\n' > /etc/systemd/system/quill-helper.service\n"
            + "ln -s quill.service /etc/systemd/system/quill-by-another-name.service\n"
                + (isEnabled ? "ln -s ../quill.service /etc/systemd/system/multi-user.target.wants/quill.service" : "true");
        var steps = await Try("sleep 60", "rm -rf \"$T\" /etc/systemd/system/quill* /etc/systemd/system/multi-user.target.wants/quill.service", unit);

        Assert.Equal(state, steps["services"].State);
        Assert.StartsWith(says, steps["services"].Says);
    }

    private async Task<Dictionary<string, TrialStepInfo>> Try(string body, string remove = "rm -rf \"$T\"", string more = "true")
    {
        var folder = one.Site.WriteFolder(
            "quill", "1.0", $"BODY='{body.Replace("'", "'\\''")}'\n{Program}\n[ -e /etc/systemd/system/quill.service ] || {{ {more}\n}}", remove);
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace(
            "    present:", "    close: [quill]\n    launch: { run: [/opt/quill/quill], environment: { PAPER: A4 }, stays: 1s }\n    present:"));
        var (_, output, errors) = await one.Site.Run("package", "trial", folder, "--output", "json");
        Assert.True(output.Length > 0, errors);
        return JsonSerializer.Deserialize(output, ContractJson.Default.TrialReport)!.Steps.ToDictionary(step => step.Name);
    }
}
