using Bandejo.Device;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>Arguments arrive at a program of Windows as the package has them.</summary>
public sealed class WindowsCommandLineTests
{
    [Theory]
    [InlineData("/S", "/S")]
    [InlineData("", "\"\"")]
    [InlineData(@"C:\Program Files\Folio", "\"C:\\Program Files\\Folio\"")]
    [InlineData(@"C:\with space\", "\"C:\\with space\\\\\"")]
    [InlineData("say \"so\"", "\"say \\\"so\\\"\"")]
    [InlineData(@"a\""b", "\"a\\\\\\\"b\"")]
    public void Most_programs_find_blanks_in_quotes_and_quotes_behind_backslashes(string argument, string written) =>
        Assert.Equal(written, WindowsCommandLine.Of(["setup.exe", argument]));

    [Fact]
    public void The_windows_installer_finds_a_value_in_quotes_and_nothing_else_of_it()
    {
        Assert.Equal(
            "/i notes.msi /qn NOTES_MODE=\"front desk\" SAYS=\"a \"\"quoted\"\" word\"",
            WindowsCommandLine.Of([@"C:\Windows\System32\MSIEXEC.EXE", "/i", "notes.msi", "/qn", "NOTES_MODE=front desk", "SAYS=a \"quoted\" word"]));

        // What is no property is no value, and for others an equals sign is one like any.
        Assert.Equal("/i \"a=b c.msi\"", WindowsCommandLine.Of(["msiexec", "/i", "a=b c.msi"]));
        Assert.Equal("\"MODE=front desk\"", WindowsCommandLine.Of(["setup", "MODE=front desk"]));
    }
}
