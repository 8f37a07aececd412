using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;
using Serilog;

namespace Bandejo.Agent;

/// <summary>The agent as a service of Windows, with a log of its own in its folder.</summary>
internal static class AgentService
{
    /// <summary>The name by which the service manager knows it.</summary>
    public const string Name = "bandejo-agent";

    /// <summary>The log file, and the one before it, are at most so long, in bytes.</summary>
    private const long LongestLog = 4 * 1024 * 1024;

    /// <summary>Runs until the service manager ends it, or the agent by itself.</summary>
    public static async Task<int> Run(IAgentSystem system, Home home, TimeProvider time, CancellationToken cancellation)
    {
        await using var log = new LoggerConfiguration()
            .WriteTo.File(
                Path.Combine(home.Folder, "agent.log"), outputTemplate: "{Timestamp:yyyy-MM-dd} {Message:lj}{NewLine}{Exception}", shared: true,
                fileSizeLimitBytes: LongestLog, rollOnFileSizeLimit: true, retainedFileCountLimit: 2,
                formatProvider: System.Globalization.CultureInfo.InvariantCulture)
            .CreateLogger();
        Console.SetError(new LogWriter(log));
        var host = Host.CreateApplicationBuilder(new HostApplicationBuilderSettings { ContentRootPath = home.Folder });
        host.Services.AddSerilog(log);
        host.Services.AddWindowsService(options => options.ServiceName = Name);
        var work = new Work(system, home, time, log);
        host.Services.AddHostedService(services =>
        {
            work.Lifetime = services.GetRequiredService<IHostApplicationLifetime>();
            return work;
        });
        await host.Build().RunAsync(cancellation);
        return work.Ended;
    }

    private sealed class Work(IAgentSystem system, Home home, TimeProvider time, ILogger log) : BackgroundService
    {
        public IHostApplicationLifetime Lifetime { get; set; } = null!;

        /// <summary>The agent's exit code; 0 where it was asked to end.</summary>
        public int Ended { get; private set; }

        protected override async Task ExecuteAsync(CancellationToken stoppingToken)
        {
            Ended = await AgentProgram.Guarded(() => Commands.Run(
                system, home, isUnguarded: false, time, line => log.Information("{Line:l}", line), stoppingToken));
            Lifetime.StopApplication();
        }
    }

    /// <summary>What is said to nobody at a console goes into the log.</summary>
    private sealed class LogWriter(ILogger log) : StringWriter(System.Globalization.CultureInfo.InvariantCulture)
    {
        public override void WriteLine(string? value) => log.Error("{Line:l}", value);
    }
}
