using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>Proofs and exit codes that there are on Windows alone.</summary>
public sealed class WindowsProofTests
{
    [Theory]
    [InlineData(@"HKLM\SOFTWARE\Orrin County\Foldline", null)]
    [InlineData(@"hkey_local_machine\SOFTWARE\A/B", null)]
    [InlineData(@"HKU\.DEFAULT\Software\Foldline", null)]
    [InlineData(@"HKCU\Software\Foldline", "belongs to whoever is signed in")]
    [InlineData("HKLM/SOFTWARE/Foldline", "with backslashes")]
    [InlineData("HKLM", "is no key of the registry")]
    [InlineData(@"C:\Program Files\Foldline", "is no key of the registry")]
    [InlineData(@"HKLM\SOFTWARE\\Foldline", "a part that is empty")]
    public void A_key_of_the_registry_is_one_of_the_machine_in_its_own_form(string path, string? says)
    {
        if (says is null)
        {
            Assert.Null(RegistryPath.Problem(path));
            Assert.Null(PackageForm.CheckProblem(new PresenceCheck(PresenceKind.Registry, path, [], "Version", null, null)));
        }
        else
        {
            Assert.Contains(says, RegistryPath.Problem(path));
            Assert.Contains(says, PackageForm.CheckProblem(new PresenceCheck(PresenceKind.Registry, path, [], "Version", null, null)));
        }
    }

    [Fact]
    public void A_key_of_the_registry_is_no_longer_than_can_be_read()
    {
        Assert.Contains("is longer than 400", RegistryPath.Problem(@"HKLM\SOFTWARE\" + new string('a', 400)));
        Assert.Contains("a control character", RegistryPath.Problem("HKLM\\SOFTWARE\\Fold\nline"));
        Assert.Contains("longer than 255", RegistryPath.Problem(@"HKLM\" + new string('a', 256)));
        Assert.Null(RegistryPath.Problem(@"HKLM\" + new string('a', 255)));
    }

    [Theory]
    [InlineData("product: '{1F0C7D2A-5B7E-4C7B-9A55-0D6F4C1B2E10}'")]
    [InlineData(@"registry: 'HKLM\SOFTWARE\Foldline', key: Version")]
    [InlineData("version-of: Program Files/Foldline/foldline.exe")]
    public void What_windows_alone_has_is_a_mistake_for_linux_a_warning_for_all_and_right_for_windows(string check)
    {
        var onLinux = Assert.Single(Check("    fits: os.family is \"debian\" or os.family is \"fedora\"\n", check));
        Assert.Equal("variants[0].present[0]", onLinux.Where);
        Assert.False(onLinux.IsWarning);
        Assert.Contains("can hold on Windows alone, and this variant fits devices with debian, fedora", onLinux.Message);
        Assert.True(Assert.Single(Check("", check)).IsWarning);
        Assert.Empty(Check("    fits: os.family is \"windows\"\n", check));
    }

    [Fact]
    public void A_value_of_the_registry_is_a_version_or_what_is_asked_for()
    {
        var version = new PresenceCheck(PresenceKind.Registry, @"HKLM\SOFTWARE\Foldline", [], "Version", null, null);
        Assert.True(version.TellsVersion);
        Assert.False((version with { Expected = "front desk" }).TellsVersion);
        Assert.False((version with { Key = null }).TellsVersion);
        Assert.Equal(@"registry value Version in HKLM\SOFTWARE\Foldline", version.InWords);
        Assert.Equal(@"registry key HKLM\SOFTWARE\Foldline", (version with { Key = null }).InWords);
        Assert.Equal("2.4.1.0", new PresenceCheck(PresenceKind.BinaryVersion, "a.exe", [], null, null, null).VersionIn("2.4.1.0"));
    }

    [Theory]
    [InlineData(1618, ExitMeaning.Busy)]
    [InlineData(unchecked((int)0x80070652), ExitMeaning.Busy)]
    [InlineData(unchecked((int)0x80070BC2), ExitMeaning.RestartNeeded)]
    [InlineData(unchecked((int)0x80070642), ExitMeaning.Refused)]
    [InlineData(unchecked((int)0x80070643), ExitMeaning.Failed)]
    [InlineData(unchecked((int)0x80080652), ExitMeaning.Failed)]
    [InlineData(-1, ExitMeaning.Failed)]
    public void A_code_means_the_same_as_an_hresult(int code, ExitMeaning meaning)
    {
        Assert.Equal(meaning, ExitCodes.Meaning(code, new Dictionary<int, ExitMeaning>()));
        Assert.Equal(ExitMeaning.Prerequisites, ExitCodes.Meaning(code, new Dictionary<int, ExitMeaning> { [code] = ExitMeaning.Prerequisites }));
    }

    [Theory]
    [InlineData("0x80070643", -2147023293)]
    [InlineData("2147944003", -2147023293)]
    [InlineData("-2147023293", -2147023293)]
    [InlineData("0X10", 16)]
    [InlineData("75", 75)]
    [InlineData("4294967296", null)]
    [InlineData("-2147483649", null)]
    [InlineData("0x180070643", null)]
    [InlineData("0x", null)]
    [InlineData("x75", null)]
    [InlineData("", null)]
    [InlineData(null, null)]
    public void A_code_is_written_with_and_without_a_sign_and_in_hexadecimal(string? text, int? code) =>
        Assert.Equal(code, ExitCodes.TryParse(text, out var read) ? read : null);

    [Fact]
    public void A_code_is_said_as_people_look_it_up()
    {
        Assert.Equal("3", ExitCodes.InWords(3));
        Assert.Equal("1603 (an error while installing; the installer's own log says which)", ExitCodes.InWords(1603));
        Assert.StartsWith("0x80070643 (an error while installing", ExitCodes.InWords(-2147023293), StringComparison.Ordinal);
        Assert.Equal("0xC0000005", ExitCodes.InWords(unchecked((int)0xC0000005)));
    }

    private static IReadOnlyList<Finding> Check(string fits, string check) =>
        ManifestCheck.Check(ManifestReader.Read(
            $"app: a\nname: A\nversion: 1.0\nvariants:\n  - name: all\n{fits}    install: {{ run: [sh, a.sh] }}\n    remove: {{ run: [sh, a.sh] }}\n"
                + $"    present: [{{ {check} }}]\n").Value, []);
}
