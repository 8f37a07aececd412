using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>Fetches what orders need that wait for their window, so that they start in it whether the service can be reached then or not.</summary>
internal sealed class FetchingAhead(PackageKeeper packages, Action<string> says)
{
    /// <summary>Packages whose files are there, since the agent was started.</summary>
    private readonly HashSet<string> _there = new(StringComparer.Ordinal);

    public async Task Fetch(IReadOnlyList<Order> orders, CancellationToken cancellation)
    {
        foreach (var order in orders.Where(order => order.Kind == "install" && !_there.Contains(order.Package.Digest)))
        {
            try
            {
                await packages.Get(order.Package, order.Variant, cancellation);
                _there.Add(order.Package.Digest);
                says($"The files of {order.Package.App} {order.Package.Version} are here, ahead of its window");
            }
            catch (Exception error) when (
                error is LinkException or SealException or PackageException or IOException or UnauthorizedAccessException || Unforeseen.Is(error))
            {
                // It is fetched when it may start; until then it is tried again with the next look.
                says($"Cannot fetch {order.Package.App} ahead: {error.Message}");
            }
        }
    }
}
