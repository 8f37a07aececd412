using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using System.Threading.Channels;
using Bandejo.Core.Deployments;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>The store in one SQLite file (write-ahead log, flushed at each commit). One writer commits for all callers that wait at the moment.</summary>
public sealed class SqliteStore : IStore
{
    private const int LargestCommit = 4096;

    internal static readonly JsonSerializerOptions JsonForm = new() { DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, Converters = { new JsonStringEnumConverter() }, TypeInfoResolver = JsonTypeInfoResolver.Combine(StoreJson.Default, new DefaultJsonTypeInfoResolver()) };

    private readonly string _connectionString;
    private readonly Channel<Pending> _pending = Channel.CreateUnbounded<Pending>(new UnboundedChannelOptions { SingleReader = true });
    private readonly Task _writer;
    private volatile StoreException? _broken;

    private SqliteStore(string connectionString)
    {
        _connectionString = connectionString;
        _writer = Task.Run(Write);
    }

    /// <summary>Opens the database, makes it where there is none, and brings it to this program's version after keeping a copy.</summary>
    /// <exception cref="StoreException">It cannot be opened, or was written by a newer program.</exception>
    public static SqliteStore Open(string file)
    {
        var connectionString = new SqliteConnectionStringBuilder { DataSource = file, Pooling = true, DefaultTimeout = 5 }.ToString();
        try
        {
            using var connection = Connect(connectionString);
            connection.Execute("PRAGMA journal_mode = WAL");
            SchemaVersions.Upgrade(connection, file);
        }
        catch (SqliteException error)
        {
            throw new StoreException($"The database {file} cannot be opened: {error.Message}", error);
        }

        return new SqliteStore(connectionString);
    }

    public StoredWorld Load()
    {
        try
        {
            using var connection = Connect(_connectionString);
            using var transaction = connection.BeginTransaction(deferred: true);
            var world = new StoredWorld(
                connection.Query<(string Name, string Value)>("SELECT name, value FROM setting").ToDictionary(row => row.Name, row => row.Value),
                Documents<StoredAccount>(connection, "SELECT data FROM account ORDER BY name"),
                [.. connection.Query("SELECT * FROM token").Select(row => new StoredToken((string)row.id, (string)row.account, (string)row.hash, (string)row.label, Instant((long)row.created), Instant((long)row.expires)))],
                [.. connection.Query("SELECT * FROM join_code").Select(row => new StoredJoinCode((string)row.id, (string)row.hash, (string?)row.device_group, (int)(long)row.uses_left, Instant((long)row.expires), (string)row.made_by))],
                Devices(connection),
                Documents<StoredGroup>(connection, "SELECT data FROM device_group ORDER BY slug"),
                [.. connection.Query<(string, string)>("SELECT device_group, device FROM group_member")],
                Documents<StoredPackage>(connection, "SELECT data FROM package"),
                [.. connection.Query<(string Plan, string State)>("SELECT plan_data, state_data FROM deployment ORDER BY id").Select(row => Read<StoredDeployment>(row.Plan) with { State = Read<DeploymentState>(row.State) })],
                [.. connection.Query<(string Deployment, string Data)>("SELECT deployment, data FROM target", buffered: false).Select(row => (row.Deployment, Read<Target>(row.Data)))],
                Documents<StoredAttempt>(connection, "SELECT data FROM attempt WHERE outcome IS NULL"),
                Documents<StoredWavePlan>(connection, "SELECT data FROM wave_plan ORDER BY slug"),
                connection.ExecuteScalar<long?>("SELECT max(number) FROM event") ?? 0);
            _broken = null;
            return world;
        }
        catch (Exception error) when (error is SqliteException or JsonException)
        {
            throw new StoreException($"The database cannot be read: {error.Message}", error);
        }
    }

    public Task Commit(IReadOnlyList<StoreChange> changes)
    {
        if (_broken is { } broken)
        {
            return Task.FromException(broken);
        }

        var pending = new Pending(changes, new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously));
        return _pending.Writer.TryWrite(pending) ? pending.Done.Task : Task.FromException(new StoreException("The store is closed."));
    }

    public IReadOnlyList<StoredEvent> Events(EventQuery query)
    {
        using var connection = Connect(_connectionString);
        var where = new List<string>();
        Add(query.Topic is not null, "topic = @Topic");

        // The index by topic leaves the many out; SQLite uses it only where the query says the same in the same words.
        Add(query.Topic is not (null or "target" or "device"), "topic NOT IN ('target', 'device')");
        Add(query.Deployment is not null, "deployment = @Deployment");
        Add(query.Device is not null, "device = @Device");
        Add(query.After is not null, "number > @After");
        Add(query.Before is not null, "number < @Before");
        var filter = where.Count == 0 ? "" : "WHERE " + string.Join(" AND ", where);
        var sql = $"SELECT number, at, topic, what, actor, deployment, device, text, reason FROM event {filter} ORDER BY number {(query.After is null ? "DESC" : "ASC")} LIMIT @Limit";
        return [.. connection.Query(sql, query).Select(row => new StoredEvent((long)row.number, Instant((long)row.at), (string)row.topic, (string)row.what, (string?)row.actor, (string?)row.deployment, (string?)row.device, (string)row.text, (string?)row.reason))];

        void Add(bool isAsked, string condition)
        {
            if (isAsked)
            {
                where.Add(condition);
            }
        }
    }

    public StoredAttempt? Attempt(string id)
    {
        using var connection = Connect(_connectionString);
        return connection.ExecuteScalar<string?>("SELECT data FROM attempt WHERE id = @id", new { id }) is { } data ? Read<StoredAttempt>(data) : null;
    }

    public IReadOnlyList<StoredAttempt> Attempts(string? deployment, string? device, int limit)
    {
        using var connection = Connect(_connectionString);
        var filter = (deployment, device) switch
        {
            (not null, not null) => "WHERE deployment = @deployment AND device = @device",
            (not null, null) => "WHERE deployment = @deployment",
            (null, not null) => "WHERE device = @device",
            _ => "",
        };
        return [.. connection.Query<string>($"SELECT data FROM attempt {filter} ORDER BY started DESC LIMIT @limit", new { deployment, device, limit }).Select(Read<StoredAttempt>)];
    }

    public async ValueTask DisposeAsync()
    {
        _pending.Writer.TryComplete();
        await _writer;
        SqliteConnection.ClearAllPools();
    }

    private static SqliteConnection Connect(string connectionString)
    {
        var connection = new SqliteConnection(connectionString);
        connection.Open();
        connection.Execute("PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON");
        return connection;
    }

    private static DateTimeOffset Instant(long milliseconds) => DateTimeOffset.FromUnixTimeMilliseconds(milliseconds);

    private static T Read<T>(string data) => JsonSerializer.Deserialize<T>(data, JsonForm) ?? throw new JsonException("A kept record is empty.");

    private static List<StoredDevice> Devices(SqliteConnection connection)
    {
        var heard = connection.Query<(string Device, long At, long Sequence)>("SELECT device, at, sequence FROM device_heard").ToDictionary(row => row.Device);
        var texts = connection.Query<string>("SELECT data FROM device ORDER BY name").AsList();
        return [.. texts.AsParallel().AsOrdered().Select(Read<StoredDevice>).Select(device =>
            heard.TryGetValue(device.Id, out var row) && row.Sequence >= device.Sequence ? device with { LastHeard = Instant(row.At), Sequence = row.Sequence } : device)];
    }

    private static List<T> Documents<T>(SqliteConnection connection, string sql) => [.. connection.Query<string>(sql, buffered: false).Select(Read<T>)];

    private async Task Write()
    {
        var batch = new List<Pending>();
        SqliteWriter? writer = null;
        while (await _pending.Reader.WaitToReadAsync())
        {
            batch.Clear();
            var count = 0;
            while (count < LargestCommit && _pending.Reader.TryRead(out var pending))
            {
                batch.Add(pending);
                count += pending.Changes.Count;
            }

            try
            {
                if (_broken is { } broken)
                {
                    throw broken;
                }

                writer ??= new SqliteWriter(Connect(_connectionString));
                writer.Commit([.. batch.SelectMany(pending => pending.Changes)]);
                foreach (var pending in batch)
                {
                    pending.Done.SetResult();
                }
            }
            catch (Exception error) when (error is SqliteException or StoreException or JsonException or InvalidOperationException)
            {
                // What waits behind was decided on top of what is now lost: it must not be written either.
                var failure = error as StoreException ?? new StoreException($"The database cannot be written: {error.Message}", error);
                _broken = failure;
                writer?.Dispose();
                writer = null;
                foreach (var pending in batch)
                {
                    pending.Done.SetException(failure);
                }
            }
        }

        writer?.Dispose();
    }

    private sealed record Pending(IReadOnlyList<StoreChange> Changes, TaskCompletionSource Done);
}

/// <summary>JSON for the records that there are many of, without reflection.</summary>
[JsonSourceGenerationOptions(DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, UseStringEnumConverter = true)]
[JsonSerializable(typeof(StoredDevice))]
[JsonSerializable(typeof(Target))]
[JsonSerializable(typeof(StoredAttempt))]
[JsonSerializable(typeof(DeploymentState))]
internal sealed partial class StoreJson : JsonSerializerContext;
