using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using System.Threading.RateLimiting;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Bench;
using Bandejo.Server.Compliance;
using Bandejo.Server.Calendars;
using Bandejo.Server.Deployments;
using Bandejo.Server.Devices;
using Bandejo.Server.Groups;
using Bandejo.Server.Handlings;
using Bandejo.Server.Http;
using Bandejo.Server.Packages;
using Bandejo.Server.Past;
using Bandejo.Server.Time;
using Bandejo.Server.Today;
using Bandejo.Server.World;
using Bandejo.Store;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.OpenApi;
using OpenTelemetry.Metrics;
using Serilog;
using Serilog.Configuration;
using Serilog.Events;

namespace Bandejo.Server;

/// <summary>Puts the service together: what there is, and what answers where.</summary>
internal static class Setup
{
    /// <param name="toLog">Says where it writes what happens.</param>
    /// <param name="lifetime">What ends it; null for the system's signals to this process.</param>
    public static WebApplication Build(
        ServiceOptions options, Func<LoggerSinkConfiguration, LoggerConfiguration> toLog, IHostLifetime? lifetime = null)
    {
        OwnFolder.Make(options.Data);
        var builder = WebApplication.CreateSlimBuilder(new WebApplicationOptions { ContentRootPath = AppContext.BaseDirectory });
        SiteAuthority? authority = null;
        var places = new Places(options.Connections);
        builder.WebHost.UseKestrelHttpsConfiguration().ConfigureKestrel(kestrel =>
        {
            kestrel.ListenAt(options.Addresses, () => authority!, places);
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = ApiLimits.MaxBody + 1024;
            kestrel.Limits.MaxConcurrentConnections = options.Connections;

            // Whoever opens a connection and does not ask holds it no longer than that.
            kestrel.Limits.RequestHeadersTimeout = TimeSpan.FromSeconds(10);
        });
        builder.Services.AddSerilog(
            logs => toLog(logs
                .MinimumLevel.Information()
                .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
                .MinimumLevel.Override("Microsoft.AspNetCore.Hosting.Diagnostics", LevelAlias.Off)
                .MinimumLevel.Override("Bandejo.Server.Access.Authentication+PersonalTokenHandler", LogEventLevel.Warning)
                .MinimumLevel.Override("Bandejo.Server.Access.Authentication+DeviceTokenHandler", LogEventLevel.Warning)
                .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", LogEventLevel.Error)
                .MinimumLevel.Override("Microsoft.AspNetCore.Diagnostics.ExceptionHandlerMiddleware", LogEventLevel.Fatal)
                .Filter.ByExcluding(IsToldInWords)
                .WriteTo),
            preserveStaticLogger: true);

        var services = builder.Services;
        if (lifetime is not null)
        {
            services.AddSingleton(lifetime);
        }

        services.AddClock(options.DemoClock);
        services.AddSingleton<IStore>(_ => DatabaseStore.Open(
            options.Store, $"process {Environment.ProcessId} on {Environment.MachineName}", Console.WriteLine));
        services.AddSingleton(_ => new FileStore(options.Data)).AddSingleton(_ => new SiteAuthority(options.Data, options.Tls))
            .AddHostedService<CertificateWatch>();
        services.AddSingleton(_ => new BenchFolder(options.Data)).AddSingleton(new BenchTrialOptions(options.Trials)).AddSingleton<InspectionLine>()
            .AddSingleton<Unfinished>().AddHostedService<Tidying>().AddSingleton<Drafts>().AddSingleton<BenchTrials>();
        services.AddSingleton(new DeviceOptions { CheckInSeconds = options.CheckInSeconds });
        services.AddSingleton(
            new PackageOptions
            {
                Hints = options.Hints, MaxPackageBytes = options.MaxPackageGib * 1024L * 1024 * 1024, ReleaseByAnother = options.ReleaseByAnother,
                UnfinishedOfOne = options.UnfinishedGibOfOne * 1024L * 1024 * 1024, UnfinishedOfAll = options.UnfinishedGib * 1024L * 1024 * 1024,
            });
        services.AddSingleton<WorldHost>().AddSingleton<SiteKeys>().AddSingleton(new SignInPace(TimeProvider.System)).AddSingleton<Passwords>()
            .AddSingleton<ContentGate>().AddSingleton<Intake>().AddSingleton<Leaving>().AddSingleton<Carrying>().AddSingleton<Joining>()
            .AddSingleton(services => new CalendarSeals(services.GetRequiredService<SiteKeys>().SignCalendars))
            .AddSingleton<CheckIns>().AddSingleton(new Hails(options.Connections / 2));
        services.AddSingleton<Keeping>().AddHostedService(all => all.GetRequiredService<Keeping>());
        services.AddHostedService<Reload>().AddSingleton<Ticker>().AddHostedService(all => all.GetRequiredService<Ticker>()).AddSingleton<HailWatch>()
            .AddHostedService(all => all.GetRequiredService<HailWatch>());
        services.AddDataProtection().PersistKeysToFileSystem(Directory.CreateDirectory(Path.Combine(options.Data, "cookie-keys")))
            .SetApplicationName("bandejo");
        services.AddSignIn(isDemo: options.Addresses.Any(address => address.Scheme == "http"));
        services.AddRateLimiter(limits =>
        {
            limits.RejectionStatusCode = 429;
            limits.AddPolicy("sign-in", context => PerMinute(context, options.SignInsPerMinute));
            limits.AddPolicy("join", context => PerMinute(context, options.JoinsPerMinute));
        });
        services.Configure<RouteHandlerOptions>(routes => routes.ThrowOnBadRequest = true);
        services.ConfigureHttpJsonOptions(json =>
        {
            json.SerializerOptions.TypeInfoResolverChain.Insert(0, ContractJson.Default.WithAddedModifier(MessageForm.MayBeLeftOut));
            json.SerializerOptions.Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping;
            json.SerializerOptions.DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull;
            json.SerializerOptions.NumberHandling = JsonNumberHandling.Strict;
            json.SerializerOptions.RespectRequiredConstructorParameters = true;
            json.SerializerOptions.RespectNullableAnnotations = true;
            json.SerializerOptions.MaxDepth = 16;
        });
        services.AddDescription();
        services.AddOpenTelemetry().WithMetrics(metrics => metrics
            .AddMeter("Microsoft.AspNetCore.Server.Kestrel", Gauges.MeterName).AddRuntimeInstrumentation().AddPrometheusExporter());
        services.AddSingleton<PeopleLines>().AddSingleton<Gauges>().AddSingleton<RequestFigures>();

        var app = builder.Build();
        authority = app.Services.GetRequiredService<SiteAuthority>();
        app.UsePlaces(places);
        app.UseRequestFigures();
        app.UseProblems();
        app.UseRouting();
        app.UseConsole(Path.Combine(AppContext.BaseDirectory, "console"));
        app.UseClockHeader();
        app.UseRateLimiter();
        app.UseAuthentication();
        app.UseAuthorization();
        app.UseFiguresDoor(options.FiguresFor);
        app.UseCsrfProtection();
        app.UseOnce();
        Map(app);
        return app;
    }

    /// <summary>Reads the state and makes what the first start needs, before anything is answered.</summary>
    public static async Task Prepare(WebApplication app, ServiceOptions options)
    {
        var world = app.Services.GetRequiredService<WorldHost>();
        world.Load();
        var keys = app.Services.GetRequiredService<SiteKeys>();
        await keys.Prepare();
        _ = (await world.Change(null, decision => Restoring.TakeUp(decision, keys.SignWithdrawn))).Value;
        await CertificateWatch.Renew(app.Services.GetRequiredService<SiteAuthority>(), world);
        await FirstStart.Prepare(world, options.Data, options.FirstPassword);
        _ = (await world.Change(null, decision => Due.WeighAnew(decision, typeof(Due).Module.ModuleVersionId.ToString("N")))).Value;
        _ = app.Services.GetRequiredService<Gauges>();
    }

    /// <summary>Who it is over TLS; null without.</summary>
    public static string? Identity(WebApplication app) => app.Services.GetRequiredService<SiteAuthority>().Name;

    private static void Map(WebApplication app)
    {
        app.MapGet("/healthz/live", () => Results.Text("live")).ExcludeFromDescription();
        app.MapGet("/healthz/ready", (WorldHost world) => world.IsReady ? Results.Text("ready") : Results.Text("reading the state", statusCode: 503))
            .ExcludeFromDescription();
        app.MapPrometheusScrapingEndpoint("/metrics");
        app.MapOpenApi("/api/{documentName}/openapi.json");
        app.MapDeviceProtocol();
        var api = app.MapGroup("/api/v1").WithForm();
        api.MapAccess();
        api.MapIdentity(app);
        api.MapPackages();
        api.MapBench();
        api.MapFleet();
        api.MapDeviceTrials();
        api.MapGroups();
        api.MapFacts();
        api.MapWavePlans();
        api.MapCalendars();
        api.MapAhead();
        api.MapCalling();
        api.MapHandlings();
        api.MapDeployments();
        api.MapCompliance();
        api.MapPast();
        api.MapToday();
        api.MapJournal();
        api.MapClock(app);
        api.MapGet("/service", (WorldHost world, ServiceClock clock) => Results.Ok(world.Read(each => new ServiceInfo(
            typeof(Setup).Assembly.GetName().Version!.ToString(3), DeviceProtocol.Version, each.Now, each.Devices.Count,
            each.Deployments.Values.Count(deployment => deployment.IsActive), each.Packages.Count, clock.Speed))))
            .ForAll().WithName("getService").WithSummary("What this service is").Produces<ServiceInfo>();
    }

    /// <summary>
    /// Of a start that fails the host tells with where in its code; whoever started the service is told in words (Program). That work in hand ends then is no
    /// news.
    /// </summary>
    private static bool IsToldInWords(LogEvent logged) =>
        logged.Properties.GetValueOrDefault("SourceContext") is ScalarValue { Value: "Microsoft.Extensions.Hosting.Internal.Host" }
        && (logged.Exception is OperationCanceledException || (logged.Properties.GetValueOrDefault("EventId") is StructureValue id && id.Properties.Any(
            part => part is { Name: "Name", Value: ScalarValue { Value: "HostedServiceStartupFaulted" } })));

    private static RateLimitPartition<string> PerMinute(HttpContext context, int permits) => RateLimitPartition.GetFixedWindowLimiter(
        context.Connection.RemoteIpAddress?.ToString() ?? "nowhere",
        _ => new FixedWindowRateLimiterOptions { PermitLimit = permits, Window = TimeSpan.FromMinutes(1) });
}
