using Bandejo.Device.Trials;
using Xunit;

namespace Bandejo.Device.Tests;

public sealed class TrialNoiseTests
{
    [Theory]
    [InlineData("/var/log/**", "/var/log/dpkg.log", true)]
    [InlineData("/var/log/**", "/var/log/apt/history.log", true)]
    [InlineData("/var/log/**", "/var/logs/x", false)]
    [InlineData("/etc/ld.so.cache", "/etc/ld.so.cache", true)]
    [InlineData("/etc/ld.so.cache", "/etc/ld.so.cache/below", false)]
    [InlineData("/usr/share/icons/*/icon-theme.cache", "/usr/share/icons/plain/icon-theme.cache", true)]
    [InlineData("/usr/share/icons/*/icon-theme.cache", "/usr/share/icons/plain/more/icon-theme.cache", false)]
    [InlineData("/tmp/.*", "/tmp/.lock", true)]
    [InlineData("/tmp/.*", "/tmp/lock", false)]
    [InlineData("/a/*a*a*a*a*b", "/a/aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa", false)]
    [InlineData("# /etc/**", "/etc/x", false)]
    [InlineData("", "/etc/x", false)]
    public void A_pattern_takes_what_it_names_and_no_more(string pattern, string path, bool isNoise) =>
        Assert.Equal(isNoise, new TrialNoise([pattern]).Is(path));
}
