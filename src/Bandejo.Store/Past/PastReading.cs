using System.Data.Common;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Store.Forms;
using Dapper;

namespace Bandejo.Store.Past;

/// <summary>Reads how everything was after one record of the log.</summary>
internal sealed class PastReading(DatabaseStore store, KnownIdentities identities, DateTimeOffset at, long number) : IPast
{
    private static readonly int StateCount = Enum.GetValues<TargetState>().Length;

    /// <summary>The rows of the pages of a book from those that say all on.</summary>
    private const string Pages =
        """
        SELECT h.place, h.body FROM target_page AS p JOIN target_past AS h ON h.place = p.place AND h.number <= @n AND h.number >= (
            SELECT x.base FROM target_past AS x WHERE x.place = p.place AND x.number <= @n ORDER BY x.number DESC LIMIT 1)
        WHERE p.place >= @from AND p.place < @to ORDER BY h.place, h.number
        """;

    private volatile Dictionary<string, long>? _books;

    public DateTimeOffset At => at;

    public IReadOnlyDictionary<string, DeploymentState> Deployments() => Read(connection => KeptTables.Rows(
        connection,
        """
        SELECT id, (SELECT data FROM document_past AS d WHERE kind = 'deployment' AND d.id = deployment.id AND number <= @n ORDER BY number DESC LIMIT 1)
        FROM deployment ORDER BY id
        """,
        row => (Id: row.GetString(0), Data: row.IsDBNull(1) ? null : row.GetString(1)), ("@n", number)).Where(row => row.Data is not null)
            .ToDictionary(row => row.Id, 
                row => KeptForms.Read<DeploymentState>(row.Data!) with { Shelved = null }, StringComparer.Ordinal));

    public int[] States(string deployment) => Read(connection => KeptTables.Rows(
        connection,
        """
        SELECT body FROM count_past WHERE book = (SELECT number FROM target_book WHERE deployment = @deployment) AND number <= @n
        ORDER BY number DESC LIMIT 1
        """,
        row => StatesOf(row.GetFieldValue<byte[]>(0)), ("@deployment", deployment), ("@n", number)).SingleOrDefault(new int[StateCount]));

    public IReadOnlyList<int[]> States(string deployment, IReadOnlyList<Bitmap> among) => Read<IReadOnlyList<int[]>>(connection =>
    {
        var devices = Enumerable.Range(0, StateCount).Select(_ => new Bitmap()).ToArray();
        var states = EachState(connection, Books(connection).GetValueOrDefault(deployment));
        for (var device = 0; device < states.Length; device++)
        {
            if (states[device] is > 0 and var state)
            {
                (state <= StateCount ? devices[state - 1] : throw new FormatException($"A kept target cannot be in state {state}."))[device] = true;
            }
        }

        return [.. among.Select(some => Array.ConvertAll(devices, some.CountWith))];
    });

    public IEnumerable<(int Number, Target Target)> Targets(string deployment) => Read<List<(int, Target)>>(connection =>
    {
        var targets = new List<(int, Target)>();
        foreach (var (at, page) in PagesOf(connection, deployment))
        {
            var first = (int)TargetPages.FirstDevice(at);
            for (var place = 0; place < page.Length; place++)
            {
                if (page[place] is { } target)
                {
                    targets.Add((first + place, target));
                }
            }
        }

        return targets;
    });

    public IReadOnlyList<(string Deployment, int Number, Target Target)> Targets(IReadOnlyCollection<string> deployments, IReadOnlyCollection<int> of) =>
        Read(connection => Targets(connection, deployments, of));

    public IReadOnlyList<(string Deployment, Target Target)> TargetsOf(string device) => Read<IReadOnlyList<(string, Target)>>(connection =>
    {
        var targets = Targets(connection, [.. Books(connection).Keys], [(int)NumberOf(connection, device)]);
        return [.. targets.Select(each => (each.Deployment, each.Target with { Device = device }))];
    });

    public PastDevice? Device(string id) => Read(connection => Devices(connection, [(int)NumberOf(connection, id)]).SingleOrDefault());

    public string? IdOf(string name) => Read(connection => connection.ExecuteScalar<string?>(
        """
        SELECT id FROM device_gone AS gone JOIN device_number AS known ON known.number = gone.device WHERE name = @name AND gone.number > @number
        ORDER BY gone.number LIMIT 1
        """,
        new { name, number }));

    public IReadOnlyList<PastDevice> Devices(IEnumerable<int> numbers) => Read<IReadOnlyList<PastDevice>>(
        connection => [.. numbers.Chunk(KeptTables.ListedAtOnce).SelectMany(some => Devices(connection, some))]);

    public IReadOnlyDictionary<int, string> Identities() => Read(identities.All);

    public IReadOnlyList<GroupRecord> Groups() => Read<IReadOnlyList<GroupRecord>>(connection => [.. Documents<GroupRecord>(connection, PastKinds.Group)]);

    public Bitmap Members(string group) => Read(connection => Members(connection, group));

    public IReadOnlyList<string> GroupsOf(string device) => Read<IReadOnlyList<string>>(connection =>
    {
        var of = NumberOf(connection, device);
        return [.. Documents<GroupRecord>(connection, PastKinds.Group).Select(group => group.Slug).Where(slug => Members(connection, slug)[(int)of])];
    });

    /// <summary>
    /// What became of the targets of a device, the earliest of each deployment first: each time that one moved, or something else was said of why it stands
    /// where it stands.
    /// </summary>
    public static IEnumerable<(string Deployment, TargetStep Step)> Steps(DbConnection connection, IReadOnlyCollection<string> deployments, string device)
    {
        var of = NumberOf(connection, device);
        var known = KeptTables.Books(connection);
        var books = deployments.Where(known.ContainsKey).ToDictionary(each => known[each]);
        var at = TargetPages.PlaceOf(0, of).At;
        var (book, last) = (0L, (Target?)null);
        foreach (var row in books.Keys.Chunk(KeptTables.ListedAtOnce).SelectMany(
            some => EverSaid(connection, some.Select(each => TargetPages.PlaceOf(each, of).Page))))
        {
            if (TargetPages.BookOf(row.Place) is var next && next != book)
            {
                (book, last) = (next, null);
            }

            var now = row.IsAll ? null : last;
            TargetForm.Read(row.Body, here => here == at ? device : null, (_, target) => now = target, gone => now = gone == at ? null : now);
            if (!IsSame(last, now))
            {
                yield return (books[book], new TargetStep(row.At, last?.State, now));
                last = now;
            }
        }
    }

    /// <summary>How many targets a row says to be in each state.</summary>
    public static int[] StatesOf(byte[] body)
    {
        var states = new int[StateCount];
        var kept = KeptCounts.Parser.ParseFrom(body).States;
        for (var state = 0; state < Math.Min(kept.Count, StateCount); state++)
        {
            states[state] = (int)kept[state];
        }

        return states;
    }

    /// <summary>All that was ever said of pages, the earliest of each first.</summary>
    private static IEnumerable<(long Place, DateTimeOffset At, bool IsAll, byte[] Body)> EverSaid(DbConnection connection, IEnumerable<long> places) =>
        KeptTables.Rows(
            connection,
            $"""
            WITH p(place) AS (VALUES {KeptTables.Listed(places)})
            SELECT h.place, h.at, h.base, h.number, h.body FROM p JOIN target_past AS h ON h.place = p.place ORDER BY h.place, h.number
            """,
            row => (
                row.GetInt64(0), new DateTimeOffset(row.GetInt64(1), TimeSpan.Zero), row.GetInt64(2) == row.GetInt64(3), row.GetFieldValue<byte[]>(4)));

    private static bool IsSame(Target? before, Target? after) => before is null || after is null
        ? ReferenceEquals(before, after)
        : before.State == after.State && before.Reason.Equals(after.Reason) && before.Wave == after.Wave && before.Since == after.Since;

    private IReadOnlyList<(string Deployment, int Number, Target Target)> Targets(
        DbConnection connection, IReadOnlyCollection<string> deployments, IReadOnlyCollection<int> of)
    {
        var books = deployments.Where(Books(connection).ContainsKey).ToDictionary(each => Books(connection)[each]);
        var (wanted, all) = (of.ToLookup(each => each / TargetForm.Places), of.ToHashSet());
        var targets = new List<(string, int, Target)>();
        foreach (var (place, page) in Whole(RowsAt(connection, books.Keys.SelectMany(
            book => wanted.Select(each => TargetPages.PlaceOf(book, each.First()).Page))), all.Contains))
        {
            var first = (int)TargetPages.FirstDevice(place);
            targets.AddRange(wanted[first / TargetForm.Places].Where(each => page[each - first] is not null).Select(
                each => (books[TargetPages.BookOf(place)], each, page[each - first]!)));
        }

        return targets;
    }

    /// <summary>In which state each target of a book was, by the numbers of devices: 0 for none, else the number of the state and one.</summary>
    private byte[] EachState(DbConnection connection, long book)
    {
        var (since, states) = KeptTables.Rows(
            connection, "SELECT number, body FROM state_past WHERE book = @book AND number <= @n ORDER BY number DESC LIMIT 1",
            row => (row.GetInt64(0), StatesForm.Read(row.GetFieldValue<byte[]>(1))), ("@book", book), ("@n", number)).SingleOrDefault((0, []));
        foreach (var counts in KeptTables.Rows(
            connection, "SELECT body FROM count_past WHERE book = @book AND number > @since AND number <= @n ORDER BY number",
            row => KeptCounts.Parser.ParseFrom(row.GetFieldValue<byte[]>(0)), ("@book", book), ("@since", since), ("@n", number)))
        {
            StatesForm.Take(counts, ref states);
        }

        return states;
    }

    private IEnumerable<(long Place, Target?[] Targets)> PagesOf(DbConnection connection, string deployment)
    {
        var (from, to) = TargetPages.Places(Books(connection).GetValueOrDefault(deployment));
        return Whole(KeptTables.Rows(
            connection, Pages, row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)), ("@n", number), ("@from", from), ("@to", to)));
    }

    /// <summary>The rows of pages from those that say all on, many pages at once.</summary>
    private IEnumerable<(long Place, byte[] Body)> RowsAt(DbConnection connection, IEnumerable<long> places) => places.Chunk(
        KeptTables.ListedAtOnce).SelectMany(some => KeptTables.Rows(
            connection,
            $"""
            WITH p(place) AS (VALUES {KeptTables.Listed(some)})
            SELECT h.place, h.body FROM p JOIN target_past AS h ON h.place = p.place AND h.number <= @n AND h.number >= (
                SELECT x.base FROM target_past AS x WHERE x.place = p.place AND x.number <= @n ORDER BY x.number DESC LIMIT 1)
            ORDER BY h.place, h.number
            """,
            row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)), ("@n", number)));

    /// <summary>Pages as their rows, one after the other, make them; each to be used before the next is asked for.</summary>
    /// <param name="isWanted">Whether a device is asked about, by its number; null for all.</param>
    private static IEnumerable<(long Place, Target?[] Targets)> Whole(IEnumerable<(long Place, byte[] Body)> rows, Func<int, bool>? isWanted = null)
    {
        var (place, targets) = (-1L, new Target?[TargetForm.Places]);
        foreach (var (next, body) in rows)
        {
            if (next != place)
            {
                if (place >= 0)
                {
                    yield return (place, targets);
                }

                place = next;
                Array.Clear(targets);
            }

            var first = (int)TargetPages.FirstDevice(place);
            TargetForm.Read(
                body, at => isWanted?.Invoke(first + at) != false ? "" : null, (at, target) => targets[at] = target, gone => targets[gone] = null);
        }

        if (place >= 0)
        {
            yield return (place, targets);
        }
    }

    private IReadOnlyList<PastDevice> Devices(DbConnection connection, IReadOnlyList<int> numbers)
    {
        if (numbers.Count == 0)
        {
            return [];
        }

        var all = KeptTables.Listed(numbers.Select(each => (long)each));
        var identities = KeptTables.Rows(
            connection,
            $"""
            WITH d(device) AS (VALUES {all})
            SELECT k.number, k.id FROM d JOIN device_number AS k ON k.number = d.device
            WHERE NOT EXISTS (SELECT 1 FROM device_gone AS g WHERE g.device = d.device AND g.number <= @n)
            """,
            row => ((int)row.GetInt64(0), row.GetString(1)), ("@n", number)).ToDictionary(row => row.Item1, row => row.Item2);
        var said = KeptTables.Rows(
            connection,
            $"""
            WITH d(device) AS (VALUES {all})
            SELECT h.device, h.body FROM d JOIN device_past AS h ON h.device = d.device AND h.number <= @n AND h.number >= (
                SELECT x.base FROM device_past AS x WHERE x.device = d.device AND x.number <= @n ORDER BY x.number DESC LIMIT 1)
            ORDER BY h.device, h.number
            """,
            row => (Device: (int)row.GetInt64(0), Body: row.GetFieldValue<byte[]>(1)), ("@n", number))
            .ToLookup(row => row.Device, row => SaidDevice.Parser.ParseFrom(row.Body));
        var words = Words(connection, said.SelectMany(each => each));
        return [.. numbers.Where(each => identities.ContainsKey(each) && said.Contains(each)).Select(
            each => Device(each, identities[each], said[each], words))];
    }

    /// <summary>The words that devices said, by their numbers.</summary>
    private static Dictionary<uint, string> Words(DbConnection connection, IEnumerable<SaidDevice> said) => said.SelectMany(
            each => each.FactsGone.Concat(each.Facts.Select(fact => fact.Name)).Concat(
                each.Programs.Concat(each.ProgramsGone).SelectMany(program => new[] { program.Name, program.Version, program.Source })))
        .Distinct().Select(each => (long)each).Chunk(KeptTables.ListedAtOnce).SelectMany(some => KeptTables.Rows(
            connection, $"WITH w(number) AS (VALUES {KeptTables.Listed(some)}) SELECT s.number, s.text FROM w JOIN said_word AS s ON s.number = w.number",
            row => ((uint)row.GetInt64(0), row.GetString(1)))).ToDictionary(each => each.Item1, each => each.Item2);

    private static PastDevice Device(int of, string id, IEnumerable<SaidDevice> rows, Dictionary<uint, string> words)
    {
        var (name, joined, isComplete) = ("", 0L, false);
        var (facts, programs) = (new SortedDictionary<string, PastFact>(StringComparer.Ordinal), new HashSet<PastProgram>());
        foreach (var said in rows)
        {
            (isComplete, joined) = (said.IsInventoryComplete, said.Joined == 0 ? joined : said.Joined);
            name = said.Name.Length == 0 ? name : said.Name;
            foreach (var fact in said.FactsGone)
            {
                facts.Remove(Word(fact));
            }

            foreach (var fact in said.Facts)
            {
                facts[Word(fact.Name)] = new PastFact(Word(fact.Name), fact.Value, DateTimeOffset.FromUnixTimeMilliseconds(fact.Since));
            }

            programs.ExceptWith(said.ProgramsGone.Select(Program));
            programs.UnionWith(said.Programs.Select(Program));
        }

        return new PastDevice(
            of, id, name, DateTimeOffset.FromUnixTimeMilliseconds(joined), [.. facts.Values],
            [.. programs.OrderBy(program => program.Name, StringComparer.OrdinalIgnoreCase)], isComplete);

        PastProgram Program(SaidProgram program) => new(Word(program.Name), Word(program.Version), Word(program.Source));

        string Word(uint of) => words.GetValueOrDefault(of, "");
    }

    private Bitmap Members(DbConnection connection, string group)
    {
        var members = new Bitmap();
        foreach (var body in KeptTables.Rows(
            connection,
            "SELECT body FROM member_past WHERE device_group = @group AND number <= @n AND number >= (SELECT base FROM member_past WHERE device_group = @group "
                + "AND number <= @n ORDER BY number DESC LIMIT 1) ORDER BY number",
            row => row.GetFieldValue<byte[]>(0), ("@group", group), ("@n", number)))
        {
            var moves = KeptMembers.Parser.ParseFrom(body);
            Put(moves.Into, isIn: true);
            Put(moves.OutOf, isIn: false);
        }

        Put(KeptTables.Rows(connection, "SELECT device FROM device_gone WHERE number <= @n", row => row.GetInt64(0), ("@n", number)), isIn: false);
        return members;

        void Put(IEnumerable<long> numbers, bool isIn)
        {
            foreach (var of in numbers)
            {
                members[(int)of] = isIn;
            }
        }
    }

    private IEnumerable<T> Documents<T>(DbConnection connection, string kind) => KeptTables.Rows(
        connection,
        "SELECT data FROM document_past AS d WHERE kind = @kind AND number = (SELECT max(number) FROM document_past AS x WHERE x.kind = @kind AND x.id = d.id "
            + "AND x.number <= @n) AND data IS NOT NULL ORDER BY id",
        row => KeptForms.Read<T>(row.GetString(0)), ("@kind", kind), ("@n", number)).ToList();

    private static long NumberOf(DbConnection connection, string device) =>
        connection.ExecuteScalar<long?>("SELECT number FROM device_number WHERE id = @device", new { device }) ?? 0;

    /// <summary>The books of all deployments: whoever looks at one here looks at many.</summary>
    private Dictionary<string, long> Books(DbConnection connection) => _books ??= KeptTables.Books(connection);

    private T Read<T>(Func<DbConnection, T> what) => store.Guarded(what);
}
