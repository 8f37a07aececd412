using System.Globalization;
using Bandejo.Clock;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.Devices;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Time;

/// <summary>The clock, for people and for those who lead it.</summary>
internal static class ClockRoutes
{
    public static void AddClock(this IServiceCollection services, string? file)
    {
        if (file is null)
        {
            services.AddSingleton(TimeProvider.System);
            services.AddSingleton(new ServiceClock(null, null));
            return;
        }

        var now = TimeProvider.System.GetUtcNow();
        ClockFile.Make(file, new ClockReading(now, now, 1));
        services.AddSingleton(_ => DemoClock.Follow(file));
        services.AddSingleton<TimeProvider>(all => all.GetRequiredService<DemoClock>());
        services.AddSingleton(all => new ServiceClock(file, all.GetRequiredService<DemoClock>()));
    }

    /// <summary>Every answer of a service on a demo clock says what time it is there and how fast it goes.</summary>
    public static void UseClockHeader(this WebApplication app)
    {
        if (app.Services.GetRequiredService<ServiceClock>() is not { IsDemo: true } clock)
        {
            return;
        }

        var time = app.Services.GetRequiredService<TimeProvider>();
        app.Use((context, next) =>
        {
            context.Response.Headers[ApiLimits.DemoClockHeader] = string.Create(
                CultureInfo.InvariantCulture, $"{time.GetUtcNow():yyyy-MM-dd'T'HH:mm:ss'Z'}; speed={clock.Speed:0.###}");
            return next(context);
        });
    }

    public static void MapClock(this RouteGroupBuilder api, WebApplication app)
    {
        api.MapGet("/clock", (ServiceClock clock) => Results.Ok(clock.Info()))
            .ForAll().WithName("getClock").WithSummary("What time it is for the service").Produces<ClockInfo>();
        api.MapPost(
            "/clock",
            async (WorldHost world, ServiceClock clock, Ticker ticker, HttpContext context, ClockRequest request) =>
                (await Set(world, clock, ticker, context, request)).Answer())
            .For().WithName("changeClock")
            .WithSummary("Sets a demo clock's speed, or brings it forward; answers when what is due by then has been looked at").Produces<ClockInfo>();
        if (app.Services.GetRequiredService<ServiceClock>().IsDemo)
        {
            // Whoever leads the clock asks after each step whether the service has caught up, and how many calls to devices are on their way.
            app.MapGet("/healthz/looked", async (ServiceClock clock, Ticker ticker, HailWatch watch, Hails hails, CancellationToken cancellation) =>
            {
                clock.Reread();
                await ticker.Look(cancellation);
                watch.CallNow();
                return Results.Text(hails.Rung.ToString(CultureInfo.InvariantCulture));
            }).ExcludeFromDescription();
        }
    }

    private static async Task<Outcome<ClockInfo>> Set(WorldHost world, ServiceClock clock, Ticker ticker, HttpContext context, ClockRequest request)
    {
        var set = clock.Set(request);
        if (!set.Ok)
        {
            return set.Failure!;
        }

        var (at, speed, goal) = (set.Value.At, set.Value.Speed, set.Value.Goal);
        var text = string.Create(
            CultureInfo.InvariantCulture,
            $"The demo clock was {(goal is null ? $"set to {at:yyyy-MM-dd HH:mm} UTC" : $"asked to go to {goal:yyyy-MM-dd HH:mm} UTC")}, {speed:0.###} "
                + $"times as fast as the real time.");
        var said = await world.Change(context.Person(), decision => SiteSettings.Tell(decision, "clock-set", text));
        await ticker.Look(context.RequestAborted);
        return said.Ok ? clock.Info() : said.Failure!;
    }
}
