using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class NeedCircleTests
{
    [Theory]
    [InlineData("a: b; b: c; c:", "c b a")]
    [InlineData("a:; b:; c: a", "a b c")]
    [InlineData("a: x; b: a", "a b")]
    [InlineData("a: b; b: a; c:", "c a b")]
    public void Packages_come_behind_what_they_need(string packages, string order)
    {
        var all = packages.Split("; ").Select(each => each.Split(':'))
            .Select(each => (App: each[0], Needs: each[1].Split(' ', StringSplitOptions.RemoveEmptyEntries))).ToList();
        Assert.Equal(order, string.Join(' ', NeedOrder.Of(all, each => each.App, each => each.Needs).Select(each => each.App)));
    }

    [Theory]
    [InlineData("a", "b", "b: c; c: a", "a b c a")]
    [InlineData("a", "a", "", "a a")]
    [InlineData("a", "b c", "b: d; c: d; d: e", null)]
    [InlineData("a", "b", "b: c; c: b", null)]
    [InlineData("a", "x b", "b: a", "a b a")]
    [InlineData("a", "", "b: a", null)]
    public void A_circle_is_found_by_who_is_in_it(string app, string needs, string others, string? circle)
    {
        var known = others.Split("; ", StringSplitOptions.RemoveEmptyEntries).Select(each => each.Split(": "))
            .ToDictionary(each => each[0], each => each[1].Split(' '));
        var found = NeedCircle.Of(app, needs.Split(' ', StringSplitOptions.RemoveEmptyEntries), other => known.GetValueOrDefault(other, []));
        Assert.Equal(circle, found is null ? null : string.Join(' ', found));
    }
}
