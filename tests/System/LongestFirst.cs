using Bandejo.System.Tests;
using Xunit;
using Xunit.Sdk;
using Xunit.v3;

[assembly: TestCollectionOrderer(typeof(LongestFirst))]

namespace Bandejo.System.Tests;

/// <summary>Begins with the classes that take minutes, so that at the end nothing is waited for alone.</summary>
public sealed class LongestFirst : ITestCollectionOrderer
{
    private static readonly string[] Long =
    [
        nameof(GuideTests), nameof(EveryFieldTests), nameof(MannersTests), nameof(LongTrialTests), nameof(StoreTests), nameof(BackupTests),
        nameof(PackageLifeTests), nameof(InstallTests), nameof(TlsTests), nameof(PackagingTests), nameof(StoryTests), nameof(ServiceTests),
        nameof(BenchTests), nameof(InterruptionTests),
    ];

    public IReadOnlyCollection<TTestCollection> OrderTestCollections<TTestCollection>(IReadOnlyCollection<TTestCollection> testCollections)
        where TTestCollection : ITestCollection => [.. testCollections.OrderBy(Place)];

    private static int Place<TTestCollection>(TTestCollection collection)
        where TTestCollection : ITestCollection
    {
        var place = Array.FindIndex(Long, name => collection.TestCollectionDisplayName.Contains($".{name}", StringComparison.Ordinal));
        return place < 0 ? Long.Length : place;
    }
}
