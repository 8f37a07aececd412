using Bandejo.Server;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.Hosting;
using Serilog.Core;
using Serilog.Events;
using Serilog.Formatting.Compact;

namespace Bandejo.Kit;

/// <summary>
/// The same service on loopback, in the process of the tests: a process of its own takes two seconds of a processor before it has answered for the first time,
/// and most tests do nothing to it that needs one.
/// </summary>
public sealed class ServiceInside(params string[] options) : RunningService(options)
{
    private WebApplication? _app;

    public override async Task Start()
    {
        var read = ServiceOptions.Read(Options, _ => null);
        if (!read.Ok)
        {
            throw new InvalidOperationException(read.Failure!.Message);
        }

        _app = Setup.Build(read.Value, log => log.Sink(new Lines(Heard)), new NoSignals());
        await Setup.Prepare(_app, read.Value);
        await _app.StartAsync();
        (Address, Identity) = (_app.Urls.Single(), Setup.Identity(_app));
    }

    public override async ValueTask DisposeAsync()
    {
        if (_app is { } app)
        {
            // Devices wait on their connections for what concerns them; nobody waits for these.
            await app.StopAsync(new CancellationToken(canceled: true));
            await app.DisposeAsync();
        }

        await base.DisposeAsync();
    }

    /// <summary>Whoever interrupts the tests ends them, and not the services in them.</summary>
    private sealed class NoSignals : IHostLifetime
    {
        public Task WaitForStartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

        public Task StopAsync(CancellationToken cancellationToken) => Task.CompletedTask;
    }

    /// <summary>Hands on each line of the log.</summary>
    private sealed class Lines(Action<string> take) : ILogEventSink
    {
        private readonly CompactJsonFormatter _form = new();

        public void Emit(LogEvent logEvent)
        {
            using var line = new StringWriter();
            _form.Format(logEvent, line);
            take(line.ToString());
        }
    }
}
