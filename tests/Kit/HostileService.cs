using System.Collections.Concurrent;
using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Kit;

/// <summary>Answers in the service's place: speaks the device protocol on loopback, and breaks whichever of its rules a test tells it to.</summary>
public sealed class HostileService : IAsyncDisposable
{
    private readonly ECDsa _seal = ECDsa.Create(ECCurve.NamedCurves.nistP256);
    private readonly Dictionary<string, byte[]> _files = [];
    private readonly List<CheckInRequest> _checkIns = [];
    private readonly List<string> _asked = [];
    private readonly SemaphoreSlim _news = new(0);
    private readonly WebApplication _app;

    private HostileService(string address, X509Certificate2? certificate)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        var uri = new Uri(address);
        builder.WebHost.UseKestrelHttpsConfiguration().ConfigureKestrel(kestrel => kestrel.Listen(IPAddress.Parse(uri.Host), uri.Port, listen =>
        {
            if (certificate is not null)
            {
                listen.UseHttps(certificate);
            }
        }));
        _app = builder.Build();
        _app.Run(Handle);
    }

    public string Address => _app.Urls.First();

    /// <summary>What it answers to a check-in, whatever that may be; <see cref="Quiet"/> unless set.</summary>
    public Func<CheckInRequest, string> Answers { get; set; } = Quiet;

    /// <summary>Answers a request in another way; false to let it be answered as usual.</summary>
    public Func<HttpContext, Task<bool>> Instead { get; set; } = _ => Task.FromResult(false);

    /// <summary>The logs that were sent, by attempt.</summary>
    public ConcurrentDictionary<string, string> Logs { get; } = new();

    /// <summary>Every check-in so far.</summary>
    public IReadOnlyList<CheckInRequest> CheckIns
    {
        get
        {
            lock (_checkIns)
            {
                return [.. _checkIns];
            }
        }
    }

    /// <summary>Every request so far, as <c>GET /device/v1/files/…</c>.</summary>
    public IReadOnlyList<string> Asked
    {
        get
        {
            lock (_asked)
            {
                return [.. _asked];
            }
        }
    }

    /// <param name="address">Where it listens, perhaps where another service did.</param>
    /// <param name="certificate">What it shows over TLS; null without.</param>
    public static async Task<HostileService> Start(string address = "http://127.0.0.1:0", X509Certificate2? certificate = null)
    {
        var service = new HostileService(address, certificate);
        await service._app.StartAsync();
        return service;
    }

    /// <summary>An agent that has joined this service and is at work.</summary>
    public async Task<AgentProcess> Agent(string name = "ALD-DESK-001", Action<AgentProcess>? prepare = null)
    {
        var agent = new AgentProcess(Address, name);
        prepare?.Invoke(agent);
        var (code, output) = await agent.Join("ANY-CODE");
        if (code != 0)
        {
            throw new InvalidOperationException(output);
        }

        await agent.Start();
        return agent;
    }

    /// <summary>Waits until something holds, looking again at each request.</summary>
    public async Task Until(Func<HostileService, bool> holds, string what)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
        while (!holds(this))
        {
            try
            {
                await _news.WaitAsync(limit.Token);
            }
            catch (OperationCanceledException)
            {
                throw new TimeoutException($"It did not come to be that {what}. Asked: {string.Join(", ", Asked.TakeLast(20))}");
            }
        }
    }

    /// <summary>The end of an attempt at an app that the agent has told; null where there is none.</summary>
    public AttemptReport? Ended(string deployment) =>
        CheckIns.SelectMany(each => each.Attempts).FirstOrDefault(report => report.HasEnded && report.Deployment == deployment);

    /// <summary>Serves a document and seals it.</summary>
    /// <param name="isSealed">False where somebody else seals it.</param>
    public PackageLink Serve(byte[] document, string app = "foldline", string version = "7.2.0", bool isSealed = true)
    {
        var digest = Content(document);
        using var stranger = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        return new PackageLink(digest, app, version, Sign(
            JsonSerializer.Serialize(new SealContent("package", digest, app, version), ContractJson.Default.SealContent), isSealed ? _seal : stranger));
    }

    /// <summary>Serves content and returns its digest.</summary>
    public string Content(byte[] content)
    {
        var digest = Convert.ToHexStringLower(SHA256.HashData(content));
        _files[digest] = content;
        return digest;
    }

    /// <summary>The document of a package that is installed by a shell command and whose proof is a file with its version.</summary>
    public static byte[] Document(string install, string app = "foldline", string version = "7.2.0", Func<DocumentVariant, DocumentVariant>? change = null)
    {
        var step = new DocumentStep(["sh", "-c", install], 60, 1, true, new Dictionary<string, string>());
        var variant = new DocumentVariant(
            "linux", "yes", "yes", [], [], step, step with { Run = ["sh", "-c", $"rm -rf \"$BANDEJO_ROOT/opt/{app}\""] },
            [new DocumentCheck("version-in", $"opt/{app}/VERSION", [], null, null, null)], true);
        return JsonSerializer.SerializeToUtf8Bytes(
            new PackageDocument(1, app, app, version, "", "", "", [], [change is null ? variant : change(variant)]), ContractJson.Default.PackageDocument);
    }

    /// <summary>An order as it travels.</summary>
    public static string Order(PackageLink package, string deployment, string kind = "install", bool mayStart = true, PackageLink? previous = null) =>
        JsonSerializer.Serialize(new Order(deployment, 0, kind, mayStart, package, "linux", previous, 3600, null, false, 1, 1, 1), ContractJson.Default.Order);

    /// <summary>An answer that gives orders, and takes what it was told.</summary>
    public static string Give(CheckInRequest request, params string[] orders)
    {
        var tag = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(string.Concat(orders))))[..16];
        var acknowledged = string.Join(',', request.Attempts.Select(report => $"\"{DeviceState.NameOf(report)}\""));
        return $$"""{"acknowledged":[{{acknowledged}}],"wantsFacts":false,{{(request.OrdersTag == tag ? "" : $"\"orders\":[{string.Join(',', orders)}],")}}"ordersTag":"{{tag}}","nextSeconds":1}""";
    }

    /// <summary>An answer that asks for nothing.</summary>
    public static string Quiet(CheckInRequest request) => Give(request);

    /// <summary>A seal over whatever is given.</summary>
    public string Sign(string json, ECDsa? by = null) =>
        new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false }
            .CreateToken(json, new SigningCredentials(new ECDsaSecurityKey(by ?? _seal), SecurityAlgorithms.EcdsaSha256));

    public async ValueTask DisposeAsync()
    {
        await _app.StopAsync(new CancellationToken(canceled: true));
        await _app.DisposeAsync();
        _seal.Dispose();
    }

    private async Task Handle(HttpContext context)
    {
        lock (_asked)
        {
            _asked.Add($"{context.Request.Method} {context.Request.Path}");
        }

        try
        {
            if (!await Instead(context))
            {
                await AsUsual(context);
            }
        }
        finally
        {
            _news.Release();
        }
    }

    private async Task AsUsual(HttpContext context)
    {
        var path = context.Request.Path.Value![DeviceProtocol.Prefix.Length..];
        switch (path)
        {
            case "/join":
                var point = _seal.ExportParameters(false).Q;
                await Json(context, JsonSerializer.Serialize(
                    new JoinAnswer(
                        Guid.NewGuid().ToString("N"), "ALD-DESK-001",
                        [new PublicKeyInfo("seal", Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y))], 1),
                    ContractJson.Default.JoinAnswer));
                break;
            case "/token":
                await Json(context, """{"accessToken":"any","expiresIn":1800}""");
                break;
            case "/check-in":
                var request = (await JsonSerializer.DeserializeAsync(context.Request.Body, ContractJson.Default.CheckInRequest))!;
                lock (_checkIns)
                {
                    _checkIns.Add(request);
                }

                await Json(context, Answers(request));
                break;
            case var _ when path.StartsWith("/files/", StringComparison.Ordinal) && _files.TryGetValue(path[7..], out var content):
                await context.Response.Body.WriteAsync(content);
                break;
            case var _ when context.Request.Method == "PUT":
                using (var log = new StreamReader(context.Request.Body))
                {
                    Logs[path.Split('/')[2]] = await log.ReadToEndAsync();
                }

                context.Response.StatusCode = 204;
                break;
            default:
                context.Response.StatusCode = 404;
                break;
        }
    }

    private static Task Json(HttpContext context, string text)
    {
        context.Response.ContentType = "application/json";
        return context.Response.WriteAsync(text);
    }
}
