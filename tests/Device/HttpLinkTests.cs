using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract.Device;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>The device protocol over a network that fails.</summary>
public sealed class HttpLinkTests
{
    [Fact]
    public async Task A_call_that_breaks_just_when_nobody_wants_it_any_more_is_a_link_that_failed()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        await Fails((link, unwanted) => link.Join(
            new JoinRequest(DeviceProtocol.Version, "code", HttpLink.PublicOf(key), "STU-01", new FactReport(new Dictionary<string, string>(), null)),
            unwanted));
        await Fails((link, unwanted) => link.SendLog("a1", new MemoryStream(), unwanted));

        async Task Fails(Func<HttpLink, CancellationToken, Task> call)
        {
            using var ending = new CancellationTokenSource();
            using var http = new HttpClient(new Breaking(ending)) { BaseAddress = new Uri("http://service.test/") };
            await Assert.ThrowsAsync<LinkException>(() => call(new HttpLink(http, key, TimeProvider.System) { DeviceId = "d1" }, ending.Token));
            Assert.True(ending.IsCancellationRequested);
        }
    }

    [Fact]
    public async Task Who_gives_up_waiting_hears_that_and_not_that_the_link_failed()
    {
        using var ending = new CancellationTokenSource();
        using var http = new HttpClient(new Silent()) { BaseAddress = new Uri("http://service.test/") };
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var link = new HttpLink(http, key, TimeProvider.System) { DeviceId = "d1" };
        var waiting = link.AwaitHail(ending.Token);
        await ending.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => waiting);
    }

    /// <summary>Gives a token; every other call breaks off, and is not wanted any more by then.</summary>
    private sealed class Breaking(CancellationTokenSource ending) : HttpMessageHandler
    {
        protected override async Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken)
        {
            if (request.RequestUri!.AbsolutePath.EndsWith("/token", StringComparison.Ordinal))
            {
                return new HttpResponseMessage { Content = new StringContent("""{"accessToken":"t","expiresIn":3600}""", Encoding.UTF8, "application/json") };
            }

            await ending.CancelAsync();
            throw new IOException("The line broke.");
        }
    }

    private sealed class Silent : HttpMessageHandler
    {
        protected override Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken) =>
            new TaskCompletionSource<HttpResponseMessage>().Task.WaitAsync(cancellationToken);
    }
}
