using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>One service for the tests of a class that leave nothing behind that others would see.</summary>
public sealed class OneSite : IAsyncLifetime
{
    public Site Site { get; private set; } = null!;

    public async ValueTask InitializeAsync() => Site = await Site.Start();

    public ValueTask DisposeAsync() => Site.DisposeAsync();
}
