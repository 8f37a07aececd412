using System.Collections.Concurrent;
using System.Net;
using System.Text;
using Bandejo.Device;
using Xunit;

namespace Bandejo.Fleet.Tests;

/// <summary>A fleet that is played in this process, against a service that is made up: it says whatever a test wants, or cannot be reached.</summary>
internal sealed class Stage : IDisposable
{
    /// <summary>The morning of 2 March 2026, a Monday.</summary>
    public static readonly DateTimeOffset Start = new(2026, 3, 2, 6, 0, 0, TimeSpan.Zero);

    /// <summary>How many turns others have before it is asked again whether it is enough: asking may step the clock.</summary>
    private const int Turns = 50;

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-stage").FullName;
    private readonly SemaphoreSlim _joining = new(32);
    private readonly CancellationTokenSource _ending = new();
    private readonly FleetRecord _record;
    private readonly HttpClient _http;

    /// <param name="kind">The only kind of the script, as YAML in a line.</param>
    /// <param name="time">The clock of all devices.</param>
    /// <param name="answer">What the service answers to a path; null where it cannot be reached.</param>
    /// <param name="earlier">What the record says happened before.</param>
    public Stage(string kind, TimeProvider time, Func<string, (HttpStatusCode Status, string Body)?> answer, params RecordLine[] earlier)
    {
        (_record, _) = FleetRecord.Open(RecordFile);
        _http = new HttpClient(new Service(answer, path => Asked.Enqueue((path, time.GetUtcNow())))) { BaseAddress = new Uri("http://service.test/") };
        var script = ScriptReader.Read($"seed: 1\nkinds:\n  - {kind}\napps: []\n");
        Assert.True(script.Ok, string.Join("; ", script.Failure?.Findings ?? []));
        Fleet = Playing.Prepare(
            new FleetParts(
                script.Value, _http, time, _record, new SharedContent(Path.Combine(_folder, "content")), new Dictionary<string,
                string> { ["unsorted"] = "code" }, _joining) { Lines = _http },
            earlier);
    }

    public Playing Fleet { get; }

    /// <summary>What the service was asked for, and when.</summary>
    public ConcurrentQueue<(string Path, DateTimeOffset At)> Asked { get; } = new();

    private string RecordFile => Path.Combine(_folder, "record.jsonl");

    /// <summary>A line of a record by which a device has joined before.</summary>
    public static RecordLine Joined(string name) => new(Start, name, "joined") { Identity = new DeviceIdentity(name.ToLowerInvariant(), name, [], 3600) };

    /// <summary>Plays until something has come true. A fleet that ends by itself meanwhile fails.</summary>
    /// <param name="isEnough">Asked again and again.</param>
    /// <param name="meanwhile">What else goes on; may be null.</param>
    public async Task Play(Func<bool> isEnough, Task? meanwhile = null)
    {
        using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(60));
        var playing = Fleet.Play(_ending.Token);
        for (var turns = 0; turns % Turns != 0 || !isEnough(); turns++)
        {
            patience.Token.ThrowIfCancellationRequested();
            if (playing.IsCompleted || meanwhile is { IsFaulted: true })
            {
                await (meanwhile is { IsFaulted: true } ? meanwhile : playing);
                Assert.Fail("The fleet has ended.");
            }

            await Task.Yield();
        }

        await _ending.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => playing);
    }

    /// <summary>What the record says now.</summary>
    public IReadOnlyList<RecordLine> Lines()
    {
        _record.Dispose();
        var (record, lines) = FleetRecord.Open(RecordFile);
        record.Dispose();
        return lines;
    }

    /// <summary>Ends whatever goes on beside the fleet.</summary>
    public CancellationToken Ending => _ending.Token;

    public void Dispose()
    {
        _ending.Cancel();
        _ending.Dispose();
        _record.Dispose();
        _http.Dispose();
        _joining.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    private sealed class Service(Func<string, (HttpStatusCode Status, string Body)?> answer, Action<string> asked) : HttpMessageHandler
    {
        protected override Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken)
        {
            var path = request.RequestUri!.AbsolutePath;
            asked(path);
            return answer(path) is var (status, body)
                ? Task.FromResult(new HttpResponseMessage(status) { Content = new StringContent(body, Encoding.UTF8, "application/json") })
                : Task.FromException<HttpResponseMessage>(new HttpRequestException("There is nobody there."));
        }
    }
}
