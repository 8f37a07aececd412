using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class StepCheckTests
{
    [Theory]
    [InlineData("[msiexec, /i, a.msi]", "add /qn")]
    [InlineData("[msiexec, /i, a.msi, /qn]", "add /norestart")]
    [InlineData("[msiexec, /i, a.msi, /qn, /norestart]", null)]
    [InlineData("[msiexec, /i, a.msi, /quiet, REBOOT=ReallySuppress]", null)]
    [InlineData("[setup.exe]", "has no switch that is known to keep it silent")]
    [InlineData("[setup.exe, /S]", null)]
    [InlineData("['C:\\Setup\\setup.exe', /VERYSILENT]", null)]
    [InlineData("[sudo, sh, install.sh]", "leave 'sudo' out")]
    [InlineData("[zenity, --info]", "opens a window")]
    [InlineData("[apt-get, install, ./a.deb]", "add --yes")]
    [InlineData("[apt-get, install, --yes, ./a.deb]", null)]
    [InlineData("[sh, /home/ines/install.sh]", "a place that only this machine may have")]
    [InlineData("[sh, '\\\\orrin\\share\\a.exe']", "a place that only this machine may have")]
    [InlineData("[sh, 'D:\\a.cmd']", "a place that only this machine may have")]
    [InlineData("[sh, install.sh]", null)]
    public void What_would_wait_for_somebody_or_lies_elsewhere_is_said_of_each_step(string run, string? says)
    {
        var found = Check($"    install: {{ run: {run} }}\n    remove: {{ run: {run} }}\n    present: [{{ version-in: opt/a/VERSION }}]");

        Assert.Equal(says is null ? [] : ["variants[0].install", "variants[0].remove"], found.Select(finding => finding.Where));
        Assert.All(found, finding => Assert.True(finding.IsWarning && finding.Message.Contains(says!, StringComparison.Ordinal), finding.Message));
    }

    [Theory]
    [InlineData("file: /etc/passwd", true)]
    [InlineData("file: usr/bin", true)]
    [InlineData("file: opt/foldline/foldline", false)]
    [InlineData("command: [uname, -r]", true)]
    [InlineData("command: [/opt/foldline/foldline, --version]", false)]
    public void A_presence_check_that_holds_on_every_machine_is_said(string check, bool isSaid)
    {
        var found = Check(
            $"    install: {{ run: [sh, a.sh] }}\n    remove: {{ run: [sh, a.sh] }}\n    present: [{{ {check} }}, {{ version-in: opt/a/VERSION }}]");

        Assert.Equal(isSaid ? ["variants[0].present[0]"] : [], found.Select(finding => finding.Where));
    }

    private static IReadOnlyList<Finding> Check(string variant) =>
        ManifestCheck.Check(ManifestReader.Read($"app: a\nname: A\nversion: 1.0\nvariants:\n  - name: all\n{variant}\n").Value, []);
}
