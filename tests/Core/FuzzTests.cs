using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>A short look at what comes in made up at random; <c>make chaos</c> goes on for as long as one likes.</summary>
public sealed class FuzzTests
{
    public static TheoryData<string> What => [.. Fuzz.All.Keys];

    [Theory]
    [MemberData(nameof(What))]
    public void Whatever_comes_in_is_read_or_refused_in_time(string what)
    {
        for (var seed = 1; seed <= 1500; seed++)
        {
            Fuzz.Try(what, seed);
        }
    }
}
