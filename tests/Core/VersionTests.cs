using Bandejo.Core.Versions;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class VersionTests
{
    // Each line rises; versions on one line, set apart by "=", are equal.
    private const string Order = """
        0.9
        1.0~beta1
        1.0-dev
        1.0-alpha
        1.0-alpha2
        1.0-beta = 1.0.0-b
        1.0-pre
        1.0-rc1 = 1.0-c1
        1.0-rc2
        1 = 1.0 = v1.0.0 = 01.000
        1.0+2
        1.0+10
        1.0b
        1.0-hotfix
        1.0.1
        1.2
        1.2b
        1.10
        2.4.1
        2.4.1+2
        3.0-rc2
        3.0
        10.0.22631.4317
        24
        24H2
        24.1
        75.0 = 75 = 75_0
        2024-06 = 2024.6
        2024-06-15
        99999999999999999999999.1 = 0:99999999999999999999999.1
        1:0.1
        2:9.0.1378-2 = 02:9.0.1378-2
        2:9.1
        10:1
        """;

    [Fact]
    public void The_documented_order_holds_between_every_two_lines()
    {
        var lines = Order.Split('\n').Select(line => line.Split('=', StringSplitOptions.TrimEntries).Select(AppVersion.Parse).ToArray()).ToArray();
        for (var i = 0; i < lines.Length; i++)
        {
            for (var j = 0; j < lines.Length; j++)
            {
                foreach (var (left, right) in lines[i].SelectMany(left => lines[j].Select(right => (left, right))))
                {
                    Assert.True(Math.Sign(left.CompareTo(right)) == Math.Sign(i.CompareTo(j)), $"{left} against {right}");
                }
            }
        }
    }

    [Theory]
    [InlineData("")]
    [InlineData("   ")]
    [InlineData(".-.")]
    [InlineData("1.0\n")]
    [InlineData("1.0\u0001")]
    [InlineData("versión")]
    public void What_is_no_version_is_refused(string text) => Assert.Equal(text == "1.0\n", AppVersion.TryParse(text, out _));

    [Fact]
    public void A_text_over_the_limit_is_refused() => Assert.False(AppVersion.TryParse(new string('1', AppVersion.MaxLength + 1), out _));

    [Theory]
    [InlineData("2.4.1", 2, "2.4.1+2")]
    [InlineData("2.4.1+2", 3, "2.4.1+3")]
    [InlineData("2.4.1+2", 0, "2.4.1")]
    public void A_revision_is_put_behind_the_plus(string text, int revision, string expected) =>
        Assert.Equal(expected, AppVersion.Parse(text).WithRevision(revision).Text);

    [Fact]
    public void The_order_is_total_for_any_texts()
    {
        var text = Gen.Char["0123456789abcdvrBP.-_+~ "].Array[1, 12].Select(chars => new string(chars));
        Gen.Select(text, text, text).Sample((a, b, c) =>
        {
            if (!AppVersion.TryParse(a, out var x) || !AppVersion.TryParse(b, out var y) || !AppVersion.TryParse(c, out var z))
            {
                return;
            }

            Assert.Equal(0, x.CompareTo(AppVersion.Parse(a)));
            Assert.Equal(Math.Sign(x.CompareTo(y)), -Math.Sign(y.CompareTo(x)));
            if (x <= y && y <= z)
            {
                Assert.True(x <= z, $"{x} <= {y} <= {z}");
            }

            if (x == y)
            {
                Assert.Equal(x.GetHashCode(), y.GetHashCode());
                Assert.Equal(Math.Sign(x.CompareTo(z)), Math.Sign(y.CompareTo(z)));
            }
        }, iter: 20_000);
    }
}
