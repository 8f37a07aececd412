using System.Net;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Data.Sqlite;

namespace Bandejo.Chaos.Tests;

/// <summary>A service, a fleet and two real agents on one fast clock, with everything that can be done to them.</summary>
public sealed class World : IAsyncDisposable
{
    public const int Speed = 120;

    private const string Database = "bandejo";

    private const string Script = """
        seed: SEED
        lost-answers: 4 %
        repeats: 4 %
        kinds:
          - { name: desks, count: 34, named: "DESK-{n:00}", sites: ALD, joins: all, facts: { kind: desk }, free: 40 GB }
          - { name: restless desks, count: 8, named: "REST-{n:00}", sites: BRM, joins: all, facts: { kind: desk }, free: 40 GB, restarts: "HOUR" }
          - { name: laptops, count: 12, named: "LAP-{n:00}", sites: BUS, joins: all, facts: { kind: laptop }, free: 40 GB, away: { every: 20m, for: 5m to 50m }, network: 2 MB }
        apps:
          - app: alpha
            takes: 20s to 50s
            troubles:
              - { share: 8 %, tries: 1, does: fails, code: 9, says: "alpha: out of paper" }
              - { share: 5 %, tries: 1, does: busy }
              - { share: 4 %, tries: 1, does: lies }
              - { share: 3 %, tries: 1, does: dies, for: 20m }
        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-chaos").FullName;
    private readonly string _clock;
    private readonly Site _site;
    private readonly string? _faults;
    private readonly PostgresServer? _server;

    private World(int seed, PostgresServer? server)
    {
        (Seed, _server) = (seed, server);
        _clock = Path.Combine(_folder, "clock.json");
        var now = TimeProvider.System.GetUtcNow();
        File.WriteAllText(_clock, JsonSerializer.Serialize(new { at = now, since = now, speed = Speed }));
        _faults = Programs.Faults(_folder);
        string[] store = server is null ? [] : ["--store", server.Make(Database)];
        _site = new Site(new ServiceProcess(["--demo-clock", _clock, "--check-in-seconds", "300", "--joins-per-minute", "100000", .. store]));
        if (_faults is not null)
        {
            _site.Process.Environment["LD_PRELOAD"] = _faults;
            _site.Process.Environment["BANDEJO_FAULT_FULL"] = FullFlag;
        }
    }

    public int Seed { get; }

    public FleetProcess Fleet { get; private set; } = null!;

    public List<AgentProcess> Agents { get; } = [];

    /// <summary>What the service said of itself.</summary>
    public IReadOnlyList<string> Said
    {
        get
        {
            lock (_site.Service.Log)
            {
                return [.. _site.Service.Log];
            }
        }
    }

    /// <summary>Whether the disk can be made full; that takes a C compiler.</summary>
    public bool CanFillDisk => _faults is not null;

    private string FullFlag => Path.Combine(_folder, "full");

    /// <param name="server">The server that keeps the service's state; null for a file. It ends with the world.</param>
    public static async Task<World> Start(int seed, PostgresServer? server)
    {
        var world = new World(seed, server);
        await world.Prepare();
        return world;
    }

    /// <summary>Lets people look at lists and figures until they are let go.</summary>
    public Onlookers LookOn() => new(_site.Service.Address, _site.Admin);

    /// <summary>
    /// Builds and releases a version of the app, once the service answers: after a fault it may still be reading its state, and whoever builds is told to try
    /// again then.
    /// </summary>
    public async Task Package(string version)
    {
        await Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo);
        await _site.Package(
            "alpha", version,
            $"mkdir -p \"$T\"; echo \"$BANDEJO_ATTEMPT {version}\" >> \"$BANDEJO_ROOT/run/installs\"; sleep 0.3; echo {version} > \"$T/VERSION\"", limit: "40m",
            codes: "{ 75: busy }");
    }

    /// <summary>Asks the service, again while it cannot answer; what it refuses for good is returned as null.</summary>
    public async Task<T?> Ask<T>(Func<ApiClient, Task<T>> ask)
        where T : class
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(180));
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(200));
        while (true)
        {
            try
            {
                return await ask(_site.Admin);
            }
            catch (InvalidOperationException error) when (error.Message.StartsWith("409", StringComparison.Ordinal) || error.Message.StartsWith(
                "404", StringComparison.Ordinal))
            {
                return null;
            }
            catch (Exception error) when (error is HttpRequestException or IOException || error is InvalidOperationException { Message: ['5', '0', ..] })
            {
                await pace.WaitForNextTickAsync(limit.Token);
            }
        }
    }

    public Task<T?> Get<T>(string path, JsonTypeInfo<T> form)
        where T : class => Ask(api => api.Get(path, form));

    public Task<ActAnswer?> Act(string deployment, string act) =>
        Ask(api => api.Post(
            $"/api/v1/deployments/{deployment}/{act}", new ReasonRequest("chaos"), ContractJson.Default.ReasonRequest, ContractJson.Default.ActAnswer));

    public async Task Deploy(string version)
    {
        var request = new DeploymentRequest(
            $"alpha {version}", ["all"], [new WaveRequest("A third", "34 %", "60 % met"), new WaveRequest("Everyone", "everyone else")], $"alpha {version}",
            Halt: "never", Tries: 6, RetryPause: "2m", Lease: "30m");
        if (await Ask(api => api.Post("/api/v1/deployments", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo)) is null)
        {
            // Asked again after the first answer was lost: then it is there already.
            var all = await Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo);
            if (!all!.Any(deployment => deployment.Name == request.Name))
            {
                throw new InvalidOperationException($"'{request.Name}' could not be started.");
            }
        }
    }

    public async Task RestartService(TimeSpan away)
    {
        await _site.Process.Kill();
        await Pass(away);
        await _site.Service.Start();
    }

    /// <summary>The service is away while an hour passes on the clock.</summary>
    public async Task HourAway()
    {
        await _site.Process.Kill();
        await Pass(TimeSpan.FromHours(1) / Speed);
        await _site.Service.Start();
    }

    public async Task RestartFleet()
    {
        await Fleet.Kill();
        await Fleet.Start();
    }

    public async Task RestartAgent(int which, bool withWhatItStarted)
    {
        await (withWhatItStarted ? Agents[which].CutPower() : Agents[which].Kill());
        await Agents[which].Start();
    }

    /// <summary>Whether a server keeps the service's state.</summary>
    public bool HasServer => _server is not null;

    /// <summary>The server with the service's state is ended at once, and comes back.</summary>
    public async Task RestartServer(TimeSpan away)
    {
        _server!.Kill();
        await Pass(away);
        _server.Start();
    }

    /// <summary>All connections to the service's state end.</summary>
    public void CutConnections() => _server!.Cut(Database);

    /// <summary>Somebody else holds the database's lock for a while.</summary>
    public async Task LockDatabase(TimeSpan length)
    {
        if (_server is { } server)
        {
            await Task.Run(() => server.Execute(
                Database, FormattableString.Invariant($"BEGIN; LOCK TABLE log_head IN ACCESS EXCLUSIVE MODE; SELECT pg_sleep({length.TotalSeconds}); ROLLBACK")));
            return;
        }

        await using var connection = new SqliteConnection(
            $"Data Source={Path.Combine(_site.Service.Folder, "data", "bandejo.db")};Pooling=False;Default Timeout=5");
        connection.Open();
        await using var begin = connection.CreateCommand();
        begin.CommandText = "BEGIN IMMEDIATE";
        begin.ExecuteNonQuery();
        await Pass(length);
        begin.CommandText = "ROLLBACK";
        begin.ExecuteNonQuery();
    }

    public async Task FillDisk(TimeSpan length)
    {
        await File.WriteAllTextAsync(FullFlag, "");
        _server?.IsFull = true;
        await Pass(length);
        File.Delete(FullFlag);
        _server?.IsFull = false;

        // It ends itself where it cannot write what it must.
        await (_server?.StartAgain() ?? Task.CompletedTask);
    }

    /// <summary>Lets the clock run faster, so that what is still to come comes soon.</summary>
    public async Task Hurry(int speed) =>
        await Ask(api => api.Post("/api/v1/clock", new ClockRequest(speed), ContractJson.Default.ClockRequest, ContractJson.Default.ClockInfo));

    /// <summary>Lets time go by: chaos is made of when things happen.</summary>
    public static async Task Pass(TimeSpan length)
    {
        if (length > TimeSpan.Zero)
        {
            using var timer = new PeriodicTimer(length);
            await timer.WaitForNextTickAsync();
        }
    }

    public async ValueTask DisposeAsync()
    {
        if (Fleet is not null)
        {
            await Fleet.DisposeAsync();
        }

        foreach (var agent in Agents)
        {
            await agent.DisposeAsync();
        }

        await _site.DisposeAsync();
        _server?.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    private async Task Prepare()
    {
        await _site.Begin();
        await _site.Must("group", "new", "all");
        var code = await _site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest("all", 100), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo);
        var hour = TimeProvider.System.GetUtcNow().AddHours(2).UtcDateTime.ToString("HH:00");
        Fleet = new FleetProcess(_site.Service.Address, Script.Replace("SEED", $"{Seed}").Replace("HOUR", hour), $"all={code.Code}\n", _clock);
        await Fleet.Start();
        foreach (var name in new[] { "REAL-1", "REAL-2" })
        {
            var agent = new AgentProcess(_site.Service.Address, name, _clock);
            agent.Write("etc/bandejo/facts", "kind: desk\n");
            agent.Write("run/installs", "");
            Agents.Add(agent);
            var (exit, output) = await agent.Join(code.Code!);
            if (exit != 0)
            {
                throw new InvalidOperationException(output);
            }

            await agent.Start();
        }
    }
}
