using System.Collections.Concurrent;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>The store in one SQLite file (write-ahead log, flushed at each commit).</summary>
public sealed class SqliteStore : IStore
{
    internal static readonly JsonSerializerOptions JsonForm = new()
    {
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, Converters = { new JsonStringEnumConverter(), new AppVersionForm(), new ReasonForm() },
        TypeInfoResolver = JsonTypeInfoResolver.Combine(StoreJson.Default, new DefaultJsonTypeInfoResolver()),
    };

    /// <summary>How many times 256 rows are read ahead at most.</summary>
    private const int MostAhead = 32;

    private readonly string _connectionString;
    private readonly WriteQueue _queue;

    private SqliteStore(string connectionString)
    {
        _connectionString = connectionString;

        // Many pages are written again and again: they stay in memory (64 MiB), and go from the log into the database seldom (also 64 MiB).
        // It is not lent to others: when it is let go after a failure, what it had begun is over.
        var own = new SqliteConnectionStringBuilder(connectionString) { Pooling = false }.ToString();
        _queue = new WriteQueue(() => Connect(own, "PRAGMA synchronous = FULL; PRAGMA cache_size = -65536; PRAGMA wal_autocheckpoint = 16384"));
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
        var latest = _queue.Restart();
        var still = _queue.Still();

        // Nothing is changed meanwhile, so that several connections see the same; what waits for its table may get there, and is told by what waited at first.
        // Of these there are many: they are read while others are taken over.
        var givenUp = new CancellationTokenSource();
        var (devices, devicesRead) = Ahead(connection => Devices(connection, latest), givenUp);
        var members = Apart(() => Guarded(Members));
        var (targets, targetsRead) = Ahead(connection => latest.Over(Targets(connection)), givenUp);
        _ = Task.WhenAll(devicesRead, members, targetsRead).ContinueWith(_ => still.Dispose(), TaskScheduler.Default);
        try
        {
            return Guarded(connection =>
            {
                using var transaction = connection.BeginTransaction(deferred: true);
                return new StoredWorld(
                    connection.Query<(string Name, string Value)>("SELECT name, value FROM setting").ToDictionary(row => row.Name, row => row.Value),
                    Documents<AccountRecord>(connection, "SELECT data FROM account ORDER BY name"),
                    [.. Rows(connection, "SELECT id, account, hash, label, created, expires, roles, is_session FROM token", row => new TokenRecord(
                        row.GetString(0), row.GetString(1), row.GetString(2), row.GetString(3), Instant(row.GetInt64(4)), Instant(row.GetInt64(5)),
                        row.IsDBNull(6) ? null : row.GetString(6).Split(' '), row.GetInt64(7) != 0))],
                    [.. Rows(connection, "SELECT id, hash, device_group, uses_left, expires, made_by FROM join_code", row => new JoinCodeRecord(
                        row.GetString(0), row.GetString(1), Text(row, 2), row.GetInt32(3), Instant(row.GetInt64(4)), row.GetString(5)))],
                    new WordBook(connection.Query<(int, string)>("SELECT number, text FROM word ORDER BY number", buffered: false)),
                    connection.ExecuteScalar<int>("SELECT count(*) FROM device"),
                    devices,
                    Documents<GroupRecord>(connection, "SELECT data FROM device_group ORDER BY slug"),
                    members,
                    Documents<PackageRecord>(connection, "SELECT data FROM package"),
                    [.. connection.Query<(string Plan, string State)>("SELECT plan_data, state_data FROM deployment ORDER BY id").Select(
                        row => ReadDeployment(row.Plan) with { State = Read<DeploymentState>(row.State) })],
                    targets, givenUp.Cancel,
                    latest.UnderWay(Documents<AttemptRecord>(connection, "SELECT data FROM attempt WHERE outcome IS NULL")),
                    Documents<WavePlanRecord>(connection, "SELECT data FROM wave_plan ORDER BY slug"),
                    Documents<HandlingRecord>(connection, "SELECT data FROM handling ORDER BY slug"),
                    Documents<DeviceTrialRecord>(connection, "SELECT data FROM device_trial"),
                    _queue.LastEvent);
            });
        }
        catch (StoreException)
        {
            givenUp.Cancel();
            throw;
        }
    }

    public Task Commit(IReadOnlyList<Change> changes) => _queue.Commit(changes);

    public int Waiting => _queue.Backlog.Count;

    public IReadOnlyList<EventRecord> Events(EventQuery query)
    {
        // What waits for its table is asked for first: it may get there meanwhile, and is then found twice, but never lost.
        var recent = _queue.Backlog.Events(query);
        using var connection = Connect(_connectionString);
        var where = new List<string>();
        Add(query.Topic is not null, "topic = @Topic");

        // The index by topic leaves the many out; SQLite uses it only where the query says the same in the same words.
        Add(query.Topic is not (null or "target" or "device"), "topic NOT IN ('target', 'device')");
        Add(query.Deployment is not null, "deployment = @Deployment");
        Add(query.Device is not null, "device = @Device");
        Add(query.What is not null, "what IN @What");
        Add(query.After is not null, "number > @After");
        Add(query.Before is not null, "number < @Before");
        var filter = where.Count == 0 ? "" : "WHERE " + string.Join(" AND ", where);
        var sql = $"SELECT number, at, topic, what, actor, deployment, device, text, reason FROM event {filter} ORDER BY number "
            + $"{(query.After is null ? "DESC" : "ASC")} LIMIT @Limit";
        using var events = connection.ExecuteReader(sql, query);
        var found = new List<EventRecord>();
        while (events.Read())
        {
            found.Add(new EventRecord(
                events.GetInt64(0), Instant(events.GetInt64(1)), events.GetString(2), events.GetString(3), Text(events, 4), Text(events, 5), Text(events, 6),
                events.GetString(7), Text(events, 8)));
        }

        var all = found.UnionBy(recent, each => each.Number);
        return [.. (query.After is null ? all.OrderByDescending(each => each.Number) : all.OrderBy(each => each.Number)).Take(query.Limit)];

        void Add(bool isAsked, string condition)
        {
            if (isAsked)
            {
                where.Add(condition);
            }
        }
    }

    public bool HasUserWord(string device, string word)
    {
        using var connection = Connect(_connectionString);
        return connection.ExecuteScalar<long>("SELECT COUNT(*) FROM user_word WHERE device = @device AND word = @word", new { device, word }) > 0;
    }

    public AttemptRecord? Attempt(string id)
    {
        var recent = _queue.Backlog.Attempt(id);
        using var connection = Connect(_connectionString);
        var kept = connection.ExecuteScalar<string?>("SELECT data FROM attempt WHERE id = @id", new { id }) is { } data ? Read<AttemptRecord>(data) : null;
        return recent is not null && LatestChanges.Belongs(recent, kept) ? recent : kept;
    }

    public IReadOnlyList<AttemptRecord> Attempts(string? deployment, string? device, int limit)
    {
        var recent = _queue.Backlog.Attempts(deployment, device);
        using var connection = Connect(_connectionString);
        var filter = (deployment, device) switch
        {
            // A device has few attempts, a deployment many: the plus keeps SQLite from going by the latter.
            (not null, not null) => "WHERE +deployment = @deployment AND device = @device",
            (not null, null) => "WHERE deployment = @deployment",
            (null, not null) => "WHERE device = @device",
            _ => "",
        };
        var found = connection.Query<string>($"SELECT data FROM attempt {filter} ORDER BY started DESC LIMIT @limit", new { deployment, device, limit })
            .Select(Read<AttemptRecord>);
        return [.. recent.UnionBy(found, attempt => attempt.Id).OrderByDescending(attempt => attempt.StartedAt).Take(limit)];
    }

    public async ValueTask DisposeAsync()
    {
        await _queue.DisposeAsync();
        SqliteConnection.ClearAllPools();
    }

    private static SqliteConnection Connect(string connectionString, string more = "")
    {
        var connection = new SqliteConnection(connectionString);
        connection.Open();
        if (more.Length > 0)
        {
            connection.Execute(more);
        }

        return connection;
    }

    private static DateTimeOffset Instant(long milliseconds) => DateTimeOffset.FromUnixTimeMilliseconds(milliseconds);

    /// <summary>A plan that this version cannot read is left out: the request is there beside it.</summary>
    private static DeploymentRecord ReadDeployment(string data)
    {
        try
        {
            return Read<DeploymentRecord>(data);
        }
        catch (JsonException)
        {
            var parts = JsonNode.Parse(data)!.AsObject();
            parts.Remove(nameof(DeploymentRecord.Plan));
            return Read<DeploymentRecord>(parts.ToJsonString());
        }
    }

    private static T Read<T>(string data) => JsonSerializer.Deserialize<T>(data, JsonForm) ?? throw new JsonException("A kept record is empty.");

    private T Guarded<T>(Func<SqliteConnection, T> read)
    {
        try
        {
            using var connection = Connect(_connectionString);
            return read(connection);
        }
        catch (Exception error) when (error is SqliteException or JsonException or FormatException or IOException)
        {
            throw new StoreException($"The database cannot be read: {error.Message}", error);
        }
    }

    /// <summary>
    /// Begins at once to read rows on a thread of its own, a little way ahead of whoever takes them: what nobody has taken yet only costs memory. The task
    /// completes when all are read, or whoever takes them has given up.
    /// </summary>
    /// <param name="givenUp">Cancelled when nobody will take the rows any more.</param>
    private (IEnumerable<T> Rows, Task Read) Ahead<T>(Func<SqliteConnection, IEnumerable<T>> rows, CancellationTokenSource givenUp)
    {
        var isTaken = false;
        var ahead = new BlockingCollection<T[]>(MostAhead);
        var reading = Apart(() => Guarded(connection =>
        {
            try
            {
                foreach (var some in rows(connection).Chunk(256))
                {
                    ahead.Add(some, givenUp.Token);
                }
            }
            finally
            {
                ahead.CompleteAdding();
            }

            return true;
        }));
        return (Taken(), reading);

        IEnumerable<T> Taken()
        {
            try
            {
                foreach (var some in ahead.GetConsumingEnumerable())
                {
                    foreach (var row in some)
                    {
                        yield return row;
                    }
                }

                reading.GetAwaiter().GetResult();
                isTaken = true;
            }
            finally
            {
                if (!isTaken)
                {
                    givenUp.Cancel();
                }
            }
        }
    }

    /// <summary>Works on a thread of its own: it reads for seconds, which would keep one of the pool from those who are answered meanwhile.</summary>
    private static Task<T> Apart<T>(Func<T> work) =>
        Task.Factory.StartNew(work, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);

    private static IReadOnlyList<(string Group, string Device)> Members(SqliteConnection connection)
    {
        var groups = new TextPool();
        return [.. Rows(connection, "SELECT device_group, device FROM group_member", row => (groups.Of(row.GetString(0)), row.GetString(1)))];
    }

    private static IEnumerable<(string Deployment, Target Target)> Targets(SqliteConnection connection)
    {
        var texts = new TextPool();
        return DeploymentsWithTargets(connection).SelectMany(deployment => Rows(
            connection, "SELECT data FROM target WHERE deployment = @deployment", row =>
            {
                var reader = new FormReader(row.GetFieldValue<byte[]>(0));
                return (deployment, CompactForm.ReadTarget(ref reader, texts));
            }, ("@deployment", deployment)));
    }

    // From one to the next by the index: to pass all their targets by would be to read them twice.
    private static IEnumerable<string> DeploymentsWithTargets(SqliteConnection connection)
    {
        const string Next = "SELECT min(deployment) FROM target WHERE deployment > @last";
        for (var last = ""; connection.ExecuteScalar<string?>(Next, new { last }) is { } next; last = next)
        {
            yield return next;
        }
    }

    private static IEnumerable<DeviceRecord> Devices(SqliteConnection connection, LatestChanges latest)
    {
        var heard = Heard(connection);
        foreach (var (device, at, sequence) in latest.Heard.Values)
        {
            heard[device] = (at.ToUnixTimeMilliseconds(), sequence);
        }

        var codes = new Dictionary<string, string>(StringComparer.Ordinal);
        return Rows(
            connection,
            "SELECT id, name, key_id, key_x, key_y, join_code, joined, last_heard, sequence, facts_digest, is_sorted, user_words, sheet FROM device", reader =>
        {
            var (id, code, sequence) = (reader.GetString(0), reader.GetString(5), reader.GetInt64(8));
            DateTimeOffset? lastHeard = reader.IsDBNull(7) ? null : Instant(reader.GetInt64(7));
            if (heard.TryGetValue(id, out var later) && later.Sequence >= sequence)
            {
                (lastHeard, sequence) = (Instant(later.At), later.Sequence);
            }

            return new DeviceRecord(
                id, reader.GetString(1), new KeyRecord(reader.GetString(2), reader.GetString(3), reader.GetString(4)),
                codes.TryGetValue(code, out var known) ? known : codes[code] = code, Instant(reader.GetInt64(6)), lastHeard, sequence,
                reader.GetString(9), FactSheet.Kept(reader.GetFieldValue<byte[]>(12)), reader.GetInt64(10) != 0,
                Text(reader, 11)?.Split(' ', StringSplitOptions.RemoveEmptyEntries));
        });
    }

    private static Dictionary<string, (long At, long Sequence)> Heard(SqliteConnection connection) =>
        Rows(connection, "SELECT device, at, sequence FROM device_heard", row => (Device: row.GetString(0), row.GetInt64(1), row.GetInt64(2)))
            .ToDictionary(row => row.Device, row => (row.Item2, row.Item3), StringComparer.Ordinal);

    private static IEnumerable<T> Rows<T>(SqliteConnection connection, string sql, Func<SqliteDataReader, T> form, (string Name, string Value)? given = null)
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        if (given is var (name, value))
        {
            command.Parameters.AddWithValue(name, value);
        }

        using var reader = command.ExecuteReader();
        while (reader.Read())
        {
            yield return form(reader);
        }
    }

    private static string? Text(System.Data.IDataRecord row, int column) => row.IsDBNull(column) ? null : row.GetString(column);

    private static List<T> Documents<T>(SqliteConnection connection, string sql) => [.. connection.Query<string>(sql, buffered: false).Select(Read<T>)];
}

/// <summary>A version as its text.</summary>
internal sealed class AppVersionForm : JsonConverter<AppVersion>
{
    public override AppVersion Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        AppVersion.TryParse(reader.GetString(), out var version) ? version : throw new JsonException("A kept version is none.");

    public override void Write(Utf8JsonWriter writer, AppVersion value, JsonSerializerOptions options) => writer.WriteStringValue(value.Text);
}

/// <summary>Reasons as they were kept before they had codes: as words.</summary>
internal sealed class ReasonForm : JsonConverter<Reason>
{
    public override Reason Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => Reason.Said(reader.GetString() ?? "");

    public override void Write(Utf8JsonWriter writer, Reason value, JsonSerializerOptions options) => writer.WriteStringValue(value.ToString());
}

/// <summary>JSON for the records that there are many of, without reflection.</summary>
[JsonSourceGenerationOptions(DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, UseStringEnumConverter = true)]
[JsonSerializable(typeof(AttemptRecord))]
[JsonSerializable(typeof(EventRecord))]
[JsonSerializable(typeof(DeploymentState))]
internal sealed partial class StoreJson : JsonSerializerContext;
