using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class NeedCircleTests
{
    [Theory]
    [InlineData("a", "b", "b: c; c: a", "a b c a")]
    [InlineData("a", "a", "", "a a")]
    [InlineData("a", "b c", "b: d; c: d; d: e", null)]
    [InlineData("a", "b", "b: c; c: b", null)]
    [InlineData("a", "x b", "b: a", "a b a")]
    [InlineData("a", "", "b: a", null)]
    public void A_circle_is_found_by_who_is_in_it(string app, string needs, string others, string? circle)
    {
        var known = others.Split("; ", StringSplitOptions.RemoveEmptyEntries).Select(each => each.Split(": ")).ToDictionary(each => each[0], each => each[1].Split(' '));
        var found = NeedCircle.Of(app, needs.Split(' ', StringSplitOptions.RemoveEmptyEntries), other => known.GetValueOrDefault(other, []));
        Assert.Equal(circle, found is null ? null : string.Join(' ', found));
    }
}
