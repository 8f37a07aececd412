using System.Collections.Concurrent;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Versions;
using Bandejo.Core.World;
using Bandejo.Store.Forms;
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

    /// <summary>
    /// At how many pages of its log the writer brings them into the database by itself, which keeps all waiting: 256 MiB, for what is done beside it does not
    /// keep up.
    /// </summary>
    private const int LargestLog = 65536;

    private const string IdOfDevice = "(SELECT id FROM device_number AS n WHERE n.number = event.device)";

    private readonly string _connectionString;
    private readonly WriteQueue _queue;

    private SqliteStore(string connectionString)
    {
        _connectionString = connectionString;

        // Many pages are written again and again: they stay in memory (64 MiB). The connection is not lent to others: when it is let go after a failure, what
        // it had begun is over.
        var own = new SqliteConnectionStringBuilder(connectionString) { Pooling = false }.ToString();
        _queue = new WriteQueue(
            () => Connect(own, $"PRAGMA synchronous = FULL; PRAGMA cache_size = -65536; PRAGMA wal_autocheckpoint = {LargestLog}"));
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
            DropLeft(connection);
        }
        catch (SqliteException error)
        {
            throw new StoreException($"The database {file} cannot be opened: {error.Message}", error);
        }
        catch (Exception error) when (error is FormatException or IOException or JsonException or ArgumentException)
        {
            throw new StoreException($"The database {file} cannot be brought to this version, and stays as it is: {error.Message}", error);
        }

        return new SqliteStore(connectionString);
    }

    public StoredWorld Load()
    {
        _queue.Restart();

        // Nothing is changed meanwhile, so that several connections see the same. Of these there are many: they are read while others are taken over.
        var givenUp = new CancellationTokenSource();
        var devices = Ahead(Devices, givenUp);
        var members = Apart(() => Guarded(Members));
        var targets = Taken(Targets);
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
                    Documents<AttemptRecord>(connection, "SELECT data FROM attempt WHERE outcome IS NULL"),
                    Documents<WavePlanRecord>(connection, "SELECT data FROM wave_plan ORDER BY slug"),
                    Documents<HandlingRecord>(connection, "SELECT data FROM handling ORDER BY slug"),
                    Documents<DeviceTrialRecord>(connection, "SELECT data FROM device_trial"),
                    connection.ExecuteScalar<long?>("SELECT max(number) FROM event") ?? 0);
            });
        }
        catch (StoreException)
        {
            givenUp.Cancel();
            throw;
        }
    }

    public Task Commit(IReadOnlyList<Change> changes) => _queue.Commit(changes);

    public Task<long> PutAhead(IEnumerable<Target> targets) => _queue.PutAhead(targets);

    public Task DropAhead(long ahead) => _queue.DropAhead(ahead);

    public IReadOnlyList<EventRecord> Events(EventQuery query)
    {
        using var connection = Connect(_connectionString);
        var where = new List<string>();
        Add(query.Topic is not null, "topic = @Topic");

        // The index by topic leaves the many out; SQLite uses it only where the query says the same in the same words.
        Add(query.Topic is not (null or "target" or "device"), "topic NOT IN ('target', 'device')");
        Add(query.Deployment is not null, "deployment = @Deployment");
        Add(query.Device is not null, "device = (SELECT number FROM device_number WHERE id = @Device)");
        Add(query.What is not null, "what IN @What");
        Add(query.After is not null, "number > @After");
        Add(query.Before is not null, "number < @Before");
        var filter = where.Count == 0 ? "" : "WHERE " + string.Join(" AND ", where);
        var sql = $"SELECT number, at, topic, what, actor, deployment, {IdOfDevice}, text, reason FROM event {filter} ORDER BY number "
            + $"{(query.After is null ? "DESC" : "ASC")} LIMIT @Limit";
        using var events = connection.ExecuteReader(sql, query);
        var found = new List<EventRecord>();
        while (events.Read())
        {
            found.Add(new EventRecord(
                events.GetInt64(0), Instant(events.GetInt64(1)), events.GetString(2), events.GetString(3), Text(events, 4), Text(events, 5), Text(events, 6),
                events.GetString(7), Text(events, 8)));
        }

        return found;

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
        using var connection = Connect(_connectionString);
        return connection.ExecuteScalar<string?>("SELECT data FROM attempt WHERE id = @id", new { id }) is { } data ? Read<AttemptRecord>(data) : null;
    }

    public IReadOnlyList<AttemptRecord> Attempts(string? deployment, string? device, int limit)
    {
        using var connection = Connect(_connectionString);
        var filter = (deployment, device) switch
        {
            // A device has few attempts, a deployment many: the plus keeps SQLite from going by the latter.
            (not null, not null) => "WHERE +deployment = @deployment AND device = (SELECT number FROM device_number WHERE id = @device)",
            (not null, null) => "WHERE deployment = @deployment",
            (null, not null) => "WHERE device = (SELECT number FROM device_number WHERE id = @device)",
            _ => "",
        };
        return [.. connection.Query<string>(
            $"SELECT data FROM attempt {filter} ORDER BY started DESC LIMIT @limit", new { deployment, device, limit }).Select(Read<AttemptRecord>)];
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

    private T Guarded<T>(Func<SqliteConnection, T> read) => Guarded(() =>
    {
        using var connection = Connect(_connectionString);
        return read(connection);
    });

    private static T Guarded<T>(Func<T> read)
    {
        try
        {
            return read();
        }
        catch (Exception error) when (error is SqliteException or JsonException or FormatException or IOException)
        {
            throw new StoreException($"The database cannot be read: {error.Message}", error);
        }
    }

    /// <summary>Reads rows while they are taken.</summary>
    private IEnumerable<T> Taken<T>(Func<SqliteConnection, IEnumerable<T>> rows)
    {
        using var connection = Guarded(() => Connect(_connectionString));
        using var taken = rows(connection).GetEnumerator();
        Func<bool> next = taken.MoveNext;
        while (Guarded(next))
        {
            yield return taken.Current;
        }
    }

    /// <summary>
    /// Begins at once to read rows on a thread of its own, a little way ahead of whoever takes them: what nobody has taken yet only costs memory.
    /// </summary>
    /// <param name="givenUp">Cancelled when nobody will take the rows any more.</param>
    private IEnumerable<T> Ahead<T>(Func<SqliteConnection, IEnumerable<T>> rows, CancellationTokenSource givenUp)
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
        return Taken();

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

    private static IEnumerable<KeptTarget> Targets(SqliteConnection connection)
    {
        // By number, with its place among those that are there; of one that went nothing counts.
        var devices = new List<(string? Id, int Place)>();
        var place = 0;
        foreach (var (number, id) in Rows(
            connection, "SELECT number, id FROM device_number JOIN device USING (id) ORDER BY number", row => (row.GetInt32(0), row.GetString(1))))
        {
            devices.AddRange(Enumerable.Repeat<(string?, int)>((null, -1), number - devices.Count));
            devices.Add((id, place++));
        }

        var books = connection.Query<(long Number, string Deployment)>("SELECT number, deployment FROM target_book WHERE deployment IS NOT NULL").ToList();
        var page = new List<KeptTarget>(TargetForm.Places);
        foreach (var (book, deployment) in books.OrderBy(each => each.Deployment, StringComparer.Ordinal))
        {
            var (from, to) = TargetPages.Places(book);
            foreach (var (at, body) in Rows(
                connection, "SELECT place, body FROM target_page WHERE place >= $from AND place < $to ORDER BY place",
                row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)), ("$from", from), ("$to", to)))
            {
                var first = TargetPages.FirstDevice(at);
                page.Clear();
                TargetForm.Read(
                    body, of => first + of < devices.Count ? devices[(int)first + of].Id : null,
                    (of, target) => page.Add(new KeptTarget(deployment, devices[(int)first + of].Place, target)));
                foreach (var target in page)
                {
                    yield return target;
                }
            }
        }
    }

    /// <summary>Takes away what was written ahead of deployments that did not begin before the program ended.</summary>
    private static void DropLeft(SqliteConnection connection)
    {
        using var writer = new SqliteWriter(connection);
        foreach (var book in connection.Query<long>("SELECT number FROM target_book WHERE deployment IS NULL").ToList())
        {
            writer.DropAhead(book);
        }
    }

    private static IEnumerable<DeviceRecord> Devices(SqliteConnection connection)
    {
        var heard = Rows(
            connection, "SELECT id, at, sequence FROM device_heard JOIN device_number ON number = device",
            row => (Device: row.GetString(0), At: row.GetInt64(1), Sequence: row.GetInt64(2))).ToDictionary(row => row.Device, StringComparer.Ordinal);
        var codes = new Dictionary<string, string>(StringComparer.Ordinal);
        return Rows(
            connection,
            "SELECT id, name, key_id, key_x, key_y, join_code, joined, last_heard, sequence, facts_digest, is_sorted, user_words, sheet FROM device_number "
                + "JOIN device USING (id) ORDER BY number", reader =>
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

    private static IEnumerable<T> Rows<T>(
        SqliteConnection connection, string sql, Func<SqliteDataReader, T> form, params (string Name, object Value)[] given)
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        foreach (var (name, value) in given)
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
