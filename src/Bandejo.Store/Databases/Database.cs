using System.Data.Common;

namespace Bandejo.Store.Databases;

/// <summary>A database that the store can be kept in: what differs from one kind to another, and nothing else.</summary>
internal abstract class Database
{
    /// <summary>How often it is tried where nobody waits: one that has just ended may hold the right a moment longer.</summary>
    private const int PatientTries = 5;

    /// <summary>Which it is, for sentences: <c>/var/lib/bandejo/bandejo.db</c>, <c>bandejo on db.example</c>.</summary>
    public abstract string Name { get; }

    /// <summary>The one that a word names: a file, or with <c>Host=</c> a PostgreSQL database.</summary>
    /// <exception cref="StoreException">The word says something that is not possible.</exception>
    public static Database Of(string where) =>
        where.Contains("Host=", StringComparison.OrdinalIgnoreCase) ? new PostgresDatabase(where) : new SqliteDatabase(where);

    /// <summary>The word for a comparison with a pattern that does not look at case.</summary>
    public virtual string LikeInAnyCase => "LIKE";

    /// <summary>Opens a connection to read.</summary>
    /// <exception cref="DbException">There is none to be had.</exception>
    public abstract DbConnection Connect();

    /// <summary>Reads through a connection; once more through another where that one turns out to be dead, as all are after a server was restarted.</summary>
    /// <inheritdoc cref="Connect" path="/exception"/>
    public T Read<T>(Func<DbConnection, T> read)
    {
        using (var connection = Connect())
        {
            try
            {
                return read(connection);
            }
            catch (DbException) when (connection.State != System.Data.ConnectionState.Open)
            {
                Forget();
            }
        }

        using var another = Connect();
        return read(another);
    }

    /// <summary>Forgets connections that are kept for who reads next.</summary>
    public virtual void Forget()
    {
    }

    /// <summary>Opens a connection that the one who writes has for itself.</summary>
    /// <inheritdoc cref="Connect" path="/exception"/>
    public abstract DbConnection ConnectToWrite();

    /// <summary>Begins to read what stands still meanwhile.</summary>
    public abstract DbTransaction Still(DbConnection connection);

    /// <summary>Statements of one connection.</summary>
    public abstract Statements Statements(DbConnection connection);

    /// <summary>Takes the right to write, which one process alone has until it ends or lets go.</summary>
    /// <param name="holder">Who has it, in words.</param>
    /// <param name="waits">Is told in words that somebody else has it; then it is waited for. Null for not waiting.</param>
    /// <exception cref="StoreException">Somebody else has it, and it is not to be waited for.</exception>
    public abstract Claim Claim(Func<string> holder, Action<string>? waits);

    /// <summary>Makes the database where there is none, and brings it to this program's version.</summary>
    /// <param name="tells">Is told in words of what takes long; null for nobody.</param>
    /// <exception cref="StoreException">It was written by a newer program.</exception>
    public abstract void Upgrade(DbConnection connection, Action<string>? tells = null);

    /// <summary>Whether there is one.</summary>
    public abstract bool IsThere();

    /// <summary>The version that it has; 0 where nothing was made in it yet.</summary>
    public abstract int Version(DbConnection connection);

    /// <summary>What went wrong, and where a person can do something about it, what.</summary>
    public virtual string Explain(DbException error) => error.Message;

    /// <summary>What may be done now and then beside the writing, on a connection of its own.</summary>
    public virtual void Tidy()
    {
    }

    /// <summary>Lets go of connections that are kept open.</summary>
    public abstract void Close();

    /// <summary>Waits for the right to write, asking for it again and again.</summary>
    /// <param name="tryTake">Takes it; null where somebody else has it.</param>
    protected T Wait<T>(Func<T?> tryTake, Func<string> holder, Action<string>? waits)
        where T : class
    {
        var (isTold, tries) = (false, 0);
        using var timer = new PeriodicTimer(TimeSpan.FromMilliseconds(200));
        while (true)
        {
            if (tryTake() is { } taken)
            {
                return taken;
            }

            if (waits is null && ++tries > PatientTries)
            {
                throw new StoreException($"{holder()} writes into {Name}. End that one first.");
            }

            if (waits is not null && !isTold)
            {
                waits($"{holder()} writes into {Name}. This one waits until that one has ended.");
                isTold = true;
            }

            timer.WaitForNextTickAsync().AsTask().GetAwaiter().GetResult();
        }
    }
}

/// <summary>The right to write.</summary>
internal abstract class Claim : IDisposable
{
    /// <summary>Whether it still holds: a server that was restarted has forgotten it.</summary>
    public abstract bool Holds();

    public abstract void Dispose();
}

/// <summary>Statements of one connection that stay prepared: thousands a second are carried out.</summary>
internal abstract class Statements : IDisposable
{
    /// <summary>Carries out a statement that answers nothing, now or at last before the next that answers.</summary>
    /// <param name="values">
    /// In the order of <c>$1</c>, <c>$2</c>, …, in which the statement must name them first: texts, whole numbers of 64 bits, bytes or null.
    /// </param>
    /// <exception cref="DbException">It failed, or one that was put off.</exception>
    public abstract void Run(string sql, params ReadOnlySpan<object?> values);

    /// <summary>The first row of an answer, as it is read; the default where there is none.</summary>
    /// <inheritdoc cref="Run"/>
    public abstract T? First<T>(string sql, Func<Row, T> read, params ReadOnlySpan<object?> values);

    /// <summary>All rows of an answer, as they are read; what was put off or added before is among them.</summary>
    /// <inheritdoc cref="Run"/>
    public abstract IReadOnlyList<T> All<T>(string sql, Func<Row, T> read, params ReadOnlySpan<object?> values);

    /// <summary>Adds a row to a table in which it is not yet; which of several in a row comes first does not matter.</summary>
    /// <param name="values">Of all columns.</param>
    /// <inheritdoc cref="Run" path="/exception"/>
    public abstract void Add(string table, params ReadOnlySpan<object?> values);

    /// <summary>Carries out what was put off.</summary>
    /// <inheritdoc cref="Run" path="/exception"/>
    public abstract void Flush();

    public abstract void Dispose();

    /// <summary>
    /// A text as every database keeps it: not all keep the zero character, or half of one outside the first plane, and what a device says may hold both.
    /// </summary>
    public static string Keepable(string text) => !text.Contains('\0', StringComparison.Ordinal) && text.AsSpan().IndexOfAnyInRange('\uD800', '\uDFFF') < 0
        ? text
        : System.Text.Encoding.UTF8.GetString(System.Text.Encoding.UTF8.GetBytes(text)).Replace('\0', '\uFFFD');
}

/// <summary>A row of an answer.</summary>
internal abstract class Row
{
    public abstract long Number(int column);

    public abstract byte[] Bytes(int column);

    public abstract string Text(int column);
}

/// <summary>Text that is in UTF-8 already.</summary>
internal sealed record Utf8Text(byte[] Bytes);
