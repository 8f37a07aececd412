using Bandejo.Core.Catalogue;
using Bandejo.Core.Versions;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>A version in the field is the newest, behind it or ahead of it.</summary>
public sealed class FieldVersionsTests
{
    [Theory]
    [InlineData("7.2.0", "7.2.0", VersionStanding.Newest)]
    [InlineData("7.2.0", "7.2.0+2", VersionStanding.Newest)]
    [InlineData("7.10.0", "7.9.0", VersionStanding.Ahead)]
    [InlineData("7.1.9", "7.2.0", VersionStanding.Behind)]
    [InlineData("7.2.0", null, VersionStanding.Unknown)]
    [InlineData(null, "7.2.0", VersionStanding.Unknown)]
    public void It_stands_to_the_newest_as_versions_are_ordered(string? version, string? newest, VersionStanding standing) =>
        Assert.Equal(standing, FieldVersions.Of(Of(version), Of(newest)));

    private static AppVersion? Of(string? text) => AppVersion.TryParse(text, out var version) ? version : null;
}
