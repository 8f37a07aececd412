using System.Collections.Concurrent;
using System.Data.Common;
using System.Text.Json;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Store.Databases;
using Bandejo.Store.Past;
using Dapper;

namespace Bandejo.Store;

/// <summary>The store in a database: a SQLite file, or one of a PostgreSQL server.</summary>
public sealed class DatabaseStore : IStore
{
    /// <summary>How many times 256 rows are read ahead at most.</summary>
    private const int MostAhead = 32;

    private readonly Past.KnownIdentities _identities = new();
    private readonly Database _database;
    private readonly string _holder;
    private readonly Action<string>? _waits;
    private readonly WriteQueue _queue;
    private Claim _claim;
    private long _epoch;

    private DatabaseStore(Database database, string holder, Action<string>? waits)
    {
        (_database, _holder, _waits) = (database, holder, waits);
        _claim = database.Claim(() => Holder(database), waits);
        try
        {
            _epoch = Prepare();
            _queue = new WriteQueue(database, _epoch);
        }
        catch
        {
            _claim.Dispose();
            throw;
        }
    }

    /// <summary>
    /// Opens a database to write into it, makes it where there is none, and brings it to this program's version; of a file a copy is kept first. One process
    /// alone writes into a database.
    /// </summary>
    /// <param name="where">A file, or <c>Host=…;Database=…</c> and more for one of a PostgreSQL server.</param>
    /// <param name="holder">Who it is, for others that want to write; <c>process 1234 on desk-7</c>.</param>
    /// <param name="waits">Is told in words that another writes; that one's end is waited for then. Null for not waiting.</param>
    /// <exception cref="StoreException">It cannot be opened, was written by a newer program, is not whole, or another writes into it.</exception>
    public static DatabaseStore Open(string where, string holder = "this process", Action<string>? waits = null)
    {
        var database = Database.Of(where);
        return InWords(database, () => new DatabaseStore(database, holder, waits));
    }

    /// <summary>Why a word names no database of a server; null where it does.</summary>
    public static string? WhyNot(string where)
    {
        try
        {
            var database = Database.Of(where);
            database.Close();
            return database is PostgresDatabase ? null : $"'{where}' names no database. A PostgreSQL database is named by Host=…;Database=…;Username=….";
        }
        catch (StoreException error)
        {
            return error.Message;
        }
    }

    /// <summary>Makes the tables of a database anew from its log; all of them or, where it fails, none.</summary>
    /// <param name="progress">Is told of how many records how many are done.</param>
    /// <returns>How many records the log has.</returns>
    /// <exception cref="StoreException">Another writes into it, or the log is not whole.</exception>
    /// <inheritdoc cref="Open" path="/param"/>
    public static long Rebuild(string where, Action<long, long>? progress = null) => Alone(where, (connection, statements) =>
    {
        using var transaction = connection.BeginTransaction();
        Rebuilding.Rebuild(connection, statements, progress);
        transaction.Commit();
        return LogReading.Last(connection);
    });

    /// <summary>Reads the whole log of a database, and holds the tables against what it makes of them. Nothing is changed.</summary>
    /// <returns>How many records the log has, and the tables that are not what it makes of them.</returns>
    /// <inheritdoc cref="Rebuild"/>
    public static (long Records, IReadOnlyList<string> Differing) Check(string where, Action<long, long>? progress = null) => Alone(
        where, (connection, statements) => (LogReading.Last(connection), Rebuilding.Differing(connection, statements, progress)));

    /// <summary>Carries all that is kept over from one database into another, of whatever kind, in which there is nothing yet; all of it or nothing.</summary>
    /// <returns>How many records the log has.</returns>
    /// <exception cref="StoreException">Another writes into one of them, there is something already, or what came is not what was there.</exception>
    /// <inheritdoc cref="Rebuild" path="/param"/>
    public static long Copy(string from, string to, Action<long, long>? progress = null) => Alone(
        from, (source, _) => New(to, (target, statements) => Copying.Copy(source, target, statements, check: true, null, progress)));

    /// <summary>
    /// Adds to a file what it lacks of a log into which somebody may be writing meanwhile. Records never change, so that any number of them from the first on
    /// is what was kept at some moment.
    /// </summary>
    /// <param name="file">A file that this made before; made where it is not there.</param>
    /// <returns>The last record that it holds now, when that was decided, and how many of them are new.</returns>
    /// <exception cref="StoreException">The file holds another log, or one of the two is not whole.</exception>
    /// <inheritdoc cref="Rebuild" path="/param"/>
    public static (LogEnd End, DateTimeOffset At, long New) Backup(string where, string file, Action<long, long>? progress = null)
    {
        var (from, to) = (Database.Of(where), new SqliteDatabase(file));
        return InWords(from, () =>
        {
            try
            {
                CheckVersion(from);
                using var held = to.Claim(() => "Another backup", null);
                using var source = from.Connect();
                using var target = to.ConnectToWrite();
                to.Upgrade(target);
                using var statements = to.Statements(target);
                return Copying.Add(source, target, statements, progress);
            }
            finally
            {
                from.Close();
                to.Close();
            }
        });
    }

    /// <summary>The changes that a log has from one record on.</summary>
    /// <inheritdoc cref="Rebuild" path="/exception"/>
    public static IReadOnlyList<Change> Changes(string where, long first)
    {
        var database = Database.Of(where);
        return InWords(database, () =>
        {
            try
            {
                return database.Read<IReadOnlyList<Change>>(
                    connection => [.. LogReading.From(connection, first).SelectMany(Log.Read).SelectMany(part => part.Changes)]);
            }
            finally
            {
                database.Close();
            }
        });
    }

    /// <summary>Makes a store of what a backup holds, in a database in which there is nothing yet; all of it or nothing.</summary>
    /// <param name="file">Made by <see cref="Backup"/>.</param>
    /// <param name="end">Where it must end.</param>
    /// <param name="more">What is kept after it.</param>
    /// <returns>How many records the log has.</returns>
    /// <exception cref="StoreException">The backup is not whole, or there is something already.</exception>
    /// <inheritdoc cref="Rebuild" path="/param"/>
    public static long Restore(string file, string where, LogEnd end, LoggedPart more, Action<long, long>? progress = null) => New(
        where, (target, statements) => InWords(new SqliteDatabase(file), () =>
        {
            using var source = new SqliteDatabase(file).Connect();
            return LogReading.End(source) == end
                ? Copying.Copy(source, target, statements, check: false, more, progress)
                : throw new StoreException($"The log in {file} does not end where the backup says that it does ({end.Number:N0} records).");
        }));

    public StoredWorld Load()
    {
        _queue.Restart(Reclaim());

        // Nothing is changed meanwhile, so that several connections see the same. Of these there are many: they are read while others are taken over.
        var givenUp = new CancellationTokenSource();
        var devices = Ahead(KeptTables.DevicesAsHeard, givenUp);
        var members = Apart(() => Guarded<IReadOnlyList<(string, string)>>(connection => [.. KeptTables.Members(connection)]));
        var targets = Ahead(KeptTables.TargetsInMemory, givenUp);
        try
        {
            return Guarded(connection =>
            {
                using var transaction = _database.Still(connection);
                return new StoredWorld(
                    KeptTables.Settings(connection).ToDictionary(row => row.Name, row => row.Value), [.. KeptTables.Accounts(connection)],
                    [.. KeptTables.Tokens(connection)], [.. KeptTables.JoinCodes(connection)], new WordBook(KeptTables.Words(connection)),
                    connection.ExecuteScalar<int>("SELECT count(*) FROM device"), devices, [.. KeptTables.Groups(connection)], members,
                    [.. KeptTables.Packages(connection)], [.. KeptTables.Deployments(connection)], targets, givenUp.Cancel,
                    [.. KeptTables.OpenAttempts(connection)], [.. KeptTables.WavePlans(connection)], [.. KeptTables.Handlings(connection)],
                    [.. KeptTables.DeviceTrials(connection)], connection.ExecuteScalar<long?>("SELECT max(number) FROM event") ?? 0)
                {
                    WereIn = KeptTables.RuleMembers(connection), Onces = [.. KeptTables.Onces(connection)], Calendars = [.. KeptTables.Calendars(connection)],
                };
            });
        }
        catch (StoreException)
        {
            givenUp.Cancel();
            throw;
        }
    }

    public IReadOnlyList<Target> Targets(string deployment) => Guarded<IReadOnlyList<Target>>(
        connection => [.. KeptTables.Targets(connection, each => each == deployment).Select(kept => kept.Target)]);

    public ShelvedTargets Targets(string device, IEnumerable<string> deployments) => Guarded(connection =>
    {
        var lookedIn = deployments.ToHashSet(StringComparer.Ordinal);
        return new ShelvedTargets(lookedIn, KeptTables.TargetsOf(connection, device, lookedIn));
    });

    public Task Commit(DateTimeOffset at, IReadOnlyList<Change> changes) => _queue.Commit(at, changes);

    public Task<long> PutAhead(DateTimeOffset at, IEnumerable<Target> targets) => _queue.PutAhead(at, targets);

    public Task DropAhead(DateTimeOffset at, long ahead) => _queue.DropAhead(at, ahead);

    public IReadOnlyList<EventRecord> Events(EventQuery query) => Guarded(connection => EventReading.Of(connection, query, _database.LikeInAnyCase));

    public IEnumerable<(long Entry, long Number, byte[] Line, string Digest)> AuditLines() =>
        Taken(connection => AuditChain.Read(connection)).Select(each => (
            each.Entry, each.Kept.Number, AuditChain.Line(each.Kept), Convert.ToHexStringLower(each.Digest)));

    public AuditState VerifyAudit((long Entry, string Digest)? of) => Guarded(connection =>
    {
        using var transaction = _database.Still(connection);
        return AuditChain.Verify(connection, of);
    });

    public bool HasUserWord(string device, string word) => Guarded(connection =>
        connection.ExecuteScalar<long>("SELECT COUNT(*) FROM user_word WHERE device = @device AND word = @word", new { device, word }) > 0);

    public AttemptRecord? Attempt(string id) => Guarded(connection =>
    {
        var data = connection.ExecuteScalar<string?>("SELECT data FROM attempt WHERE id = @id", new { id });
        return data is null ? null : KeptForms.Read<AttemptRecord>(data);
    });

    public IReadOnlyList<AttemptRecord> Attempts(string? deployment, string? device, int limit) => Guarded<IReadOnlyList<AttemptRecord>>(connection =>
    {
        var filter = (deployment, device) switch
        {
            // A device has few attempts, a deployment many: what is put behind its name keeps the database from going by the latter.
            (not null, not null) => "WHERE deployment || '' = @deployment AND device = (SELECT number FROM device_number WHERE id = @device)",
            (not null, null) => "WHERE deployment = @deployment",
            (null, not null) => "WHERE device = (SELECT number FROM device_number WHERE id = @device)",
            _ => "",
        };
        return [.. connection.Query<string>(
            $"SELECT data FROM attempt {filter} ORDER BY started DESC LIMIT @limit", new { deployment, device, limit }).Select(KeptForms.Read<AttemptRecord>)];
    });

    public IEnumerable<string> AttemptsBegun(DateTimeOffset from, DateTimeOffset to) => Taken(connection => KeptTables.Rows(
        connection, "SELECT id FROM attempt WHERE started >= @from AND started < @to ORDER BY started", row => row.GetString(0),
        ("@from", from.ToUnixTimeMilliseconds()), ("@to", to.ToUnixTimeMilliseconds())));

    public IReadOnlyList<(ForgetPast Slice, long Rows)> Forgettable(DateTimeOffset until) => Guarded(connection =>
        DayReading.MomentBefore(connection, until) is > 0 and var record ? PastForgetting.Slices(connection, record, until) : []);

    public IPast? Past(DateTimeOffset at) => Guarded(connection => DayReading.MomentBefore(connection, at.AddTicks(1))) is > 0 and var number
        ? new PastReading(this, _identities, at, number)
        : null;

    public DateTimeOffset PastFrom => Guarded(LogReading.FirstAt);

    public IReadOnlyList<(string Deployment, TargetStep Step)> History(IReadOnlyCollection<string> deployments, string device, int limit) =>
        Guarded<IReadOnlyList<(string, TargetStep)>>(connection => [
            .. PastReading.Steps(connection, deployments, device).Reverse().OrderByDescending(each => each.Step.At).Take(limit)]);

    public IReadOnlyList<DayCount> FleetByDay(DateOnly from, DateOnly to) => Guarded(connection => DayReading.Counts(connection, DayCounts.Fleet, from, to));

    public IReadOnlyList<DayCount> VersionsByDay(string app, DateOnly from, DateOnly to) =>
        Guarded(connection => DayReading.Counts(connection, DayCounts.OfProgram(app), from, to));

    public IReadOnlyList<DayStates> StatesByDay(DateOnly from, DateOnly to) => Guarded(connection => DayReading.States(connection, from, to));

    public async ValueTask DisposeAsync()
    {
        await _queue.DisposeAsync();
        _database.Close();
        _claim.Dispose();
    }

    internal T Guarded<T>(Func<DbConnection, T> read) => Guarded(() => _database.Read(read));

    private T Guarded<T>(Func<T> read)
    {
        try
        {
            return read();
        }
        catch (DbException error)
        {
            throw new StoreException($"The database cannot be read: {_database.Explain(error)}", error);
        }
        catch (Exception error) when (error is JsonException or FormatException or IOException)
        {
            throw new StoreException($"The database cannot be read: {error.Message}", error);
        }
    }

    /// <summary>Reads rows while they are taken.</summary>
    private IEnumerable<T> Taken<T>(Func<DbConnection, IEnumerable<T>> rows)
    {
        using var connection = Guarded(() => _database.Connect());
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
    private IEnumerable<T> Ahead<T>(Func<DbConnection, IEnumerable<T>> rows, CancellationTokenSource givenUp)
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

    /// <summary>Makes the database ready to be written into.</summary>
    /// <returns>The epoch of who writes from now on.</returns>
    private long Prepare()
    {
        using var connection = _database.Connect();
        _database.Upgrade(connection, _waits);
        try
        {
            LogReading.CheckEnd(connection);
        }
        catch (StoreException error)
        {
            throw new StoreException($"The database {_database.Name} is not whole: {error.Message} Put it back from a backup.", error);
        }

        var epoch = connection.ExecuteScalar<long>("UPDATE log_head SET epoch = epoch + 1, holder = @holder RETURNING epoch", new { holder = _holder });

        // What was written ahead of deployments that did not begin before the program ended is needed by none.
        var left = connection.Query<long>("SELECT number FROM target_book WHERE deployment IS NULL ORDER BY number").ToList();
        if (left.Count > 0)
        {
            using var statements = _database.Statements(connection);
            new StoreWriter(connection, statements, epoch).Commit([new LoggedPart(
                LogReading.LastAt(connection), [.. left.Select(book => new DroppedAhead(book))])]);
        }

        return epoch;
    }

    /// <summary>The epoch of this service: a new one where the right to write was lost, which is waited for then.</summary>
    private long Reclaim() => Guarded(() =>
    {
        // What was lost with a connection was lost with others.
        _database.Forget();
        if (_claim.Holds() && _database.Read(connection => connection.ExecuteScalar<long>("SELECT epoch FROM log_head")) == _epoch)
        {
            return _epoch;
        }

        _claim.Dispose();
        _claim = _database.Claim(() => Holder(_database), _waits);
        return _epoch = Prepare();
    });

    /// <summary>Does something with a database of this version into which nobody writes meanwhile.</summary>
    private static T Alone<T>(string where, Func<DbConnection, Statements, T> work) => Alone(Database.Of(where), CheckVersion, _ => { }, work);

    /// <summary>Does something with a database in which there is nothing yet.</summary>
    private static T New<T>(string where, Func<DbConnection, Statements, T> work)
    {
        var database = Database.Of(where);
        return Alone(database, _ => { }, connection =>
        {
            database.Upgrade(connection);
            if (LogReading.Last(connection) is > 0 and var there)
            {
                throw new StoreException($"{database.Name} holds something already ({there} records of a log). Name one in which there is nothing yet.");
            }
        }, work);
    }

    private static T Alone<T>(Database database, Action<Database> look, Action<DbConnection> prepare, Func<DbConnection, Statements, T> work) => InWords(
        database, () =>
        {
            try
            {
                look(database);
                using var held = database.Claim(() => Holder(database), null);
                using var connection = database.ConnectToWrite();
                prepare(connection);
                using var statements = database.Statements(connection);
                return work(connection, statements);
            }
            finally
            {
                database.Close();
            }
        });

    /// <summary>Looks whether there is a database, of this program's version: whoever only looks at one brings none over.</summary>
    private static void CheckVersion(Database database)
    {
        if (!database.IsThere())
        {
            throw new StoreException($"There is no database {database.Name}.");
        }

        var version = database.Read(database.Version);
        if (version != Migrations.Newest)
        {
            throw version > Migrations.Newest
                ? Migrations.Newer(database.Name, version)
                : new StoreException(
                    $"The database {database.Name} has version {version}, and this program keeps {Migrations.Newest}. Start the service with it once, which "
                        + "brings it over and keeps a copy.");
        }
    }

    /// <summary>What goes wrong with the database before it is served from, told so that a person knows what to do.</summary>
    private static T InWords<T>(Database database, Func<T> work)
    {
        try
        {
            return work();
        }
        catch (DbException error)
        {
            throw new StoreException($"The database {database.Name} cannot be opened: {database.Explain(error)}", error);
        }
        catch (Exception error) when (error is FormatException or IOException or JsonException or ArgumentException)
        {
            throw new StoreException($"The database {database.Name} cannot be brought to this version, and stays as it is: {error.Message}", error);
        }
    }

    private static string Holder(Database database)
    {
        try
        {
            return $"Another service ({database.Read(connection => connection.ExecuteScalar<string>("SELECT holder FROM log_head"))})";
        }
        catch (DbException)
        {
            return "Another service";
        }
    }
}
