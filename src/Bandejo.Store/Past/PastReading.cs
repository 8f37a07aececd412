using System.Data.Common;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Store.Forms;
using Dapper;

namespace Bandejo.Store.Past;

/// <summary>Reads how everything was after one record of the log.</summary>
internal sealed class PastReading(DatabaseStore store, DateTimeOffset at, long number) : IPast
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
    private volatile Numbered? _number;

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
        var states = Enumerable.Range(0, StateCount).Select(_ => new Bitmap()).ToArray();
        var (from, to) = TargetPages.Places(Book(connection, deployment));
        var (place, page) = (-1L, new int[TargetForm.Places]);
        foreach (var (next, body) in KeptTables.Rows(
            connection, Pages, row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)), ("@n", number), ("@from", from), ("@to", to)))
        {
            if (next != place)
            {
                Take();
                place = next;
                Array.Fill(page, -1);
            }

            TargetForm.ReadStates(body, page);
        }

        Take();
        return [.. among.Select(devices => Array.ConvertAll(states, devices.CountWith))];

        void Take()
        {
            for (var at = 0; place >= 0 && at < page.Length; at++)
            {
                if (page[at] >= 0)
                {
                    states[page[at]][(int)TargetPages.FirstDevice(place) + at] = true;
                }
            }
        }
    });

    public IEnumerable<(int Number, Target Target)> Targets(string deployment) => Read<List<(int, Target)>>(connection =>
    {
        var targets = new List<(int, Target)>();
        foreach (var (first, page) in PagesOf(connection, deployment))
        {
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

    public IEnumerable<(int Number, Target Target)> Targets(string deployment, IReadOnlyCollection<int> of) => Read<List<(int, Target)>>(connection =>
    {
        var (book, targets) = (Book(connection, deployment), new List<(int, Target)>());
        foreach (var wanted in of.GroupBy(number => TargetPages.PlaceOf(book, number).Page))
        {
            foreach (var (first, page) in PagesOf(connection, wanted.Key, wanted.Key + 1))
            {
                targets.AddRange(wanted.Where(number => page[number - first] is not null).Select(number => (number, page[number - first]!)));
            }
        }

        return targets;
    });

    public Target? Target(string deployment, string device) => Read(connection =>
        Told(connection, Book(connection, deployment), Number(connection, device), device, isFromBase: true, number).LastOrDefault().Target);

    public PastDevice? Device(string id) => Read(connection => NumberOf(connection, id) is var of and > 0 ? Device(connection, of, id, []) : null);

    public string? IdOf(string name) => Read(connection => connection.ExecuteScalar<string?>(
        """
        SELECT id FROM device_gone AS gone JOIN device_number AS known ON known.number = gone.device WHERE name = @name AND gone.number > @number
        ORDER BY gone.number LIMIT 1
        """,
        new { name, number }));

    public IReadOnlyList<PastDevice> Devices(IEnumerable<int> numbers) => Read<IReadOnlyList<PastDevice>>(connection =>
    {
        var words = new Dictionary<uint, string>();
        return [.. numbers.Select(of => (of, connection.ExecuteScalar<string?>("SELECT id FROM device_number WHERE number = @of", new { of })))
            .Where(pair => pair.Item2 is not null).Select(pair => Device(connection, pair.of, pair.Item2!, words)).OfType<PastDevice>()];
    });

    public IReadOnlyDictionary<int, string> Identities() => Read(IdentitiesOf);

    public IReadOnlyList<GroupRecord> Groups() => Read<IReadOnlyList<GroupRecord>>(connection => [.. Documents<GroupRecord>(connection, PastKinds.Group)]);

    public Bitmap Members(string group) => Read(connection => Members(connection, group));

    public IReadOnlyList<string> GroupsOf(string device) => Read<IReadOnlyList<string>>(connection =>
    {
        var of = NumberOf(connection, device);
        return [.. Documents<GroupRecord>(connection, PastKinds.Group).Select(group => group.Slug).Where(slug => Members(connection, slug)[(int)of])];
    });

    /// <summary>What became of a target, the earliest first: each time that it moved, or something else was said of why it stands where it stands.</summary>
    public static IEnumerable<TargetStep> Steps(DbConnection connection, string deployment, string device)
    {
        Target? last = null;
        foreach (var (at, now) in Told(
            connection, BookOf(connection, deployment), NumberOf(connection, device), device, isFromBase: false, long.MaxValue))
        {
            if (!IsSame(last, now))
            {
                yield return new TargetStep(at, last?.State, now);
            }

            last = now;
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

    /// <summary>How a target stood after each record that said something of its page, up to one.</summary>
    /// <param name="isFromBase">Only from the last row on that says all of it.</param>
    private static IEnumerable<(DateTimeOffset At, Target? Target)> Told(
        DbConnection connection, long book, long of, string device, bool isFromBase, long until)
    {
        var (place, at) = TargetPages.PlaceOf(book, of);
        Target? now = null;
        foreach (var (moment, isAll, body) in KeptTables.Rows(
            connection,
            "SELECT at, base, number, body FROM target_past WHERE place = @place AND number <= @n AND number >= " + (isFromBase
                ? "(SELECT base FROM target_past WHERE place = @place AND number <= @n ORDER BY number DESC LIMIT 1)" : "0") + " ORDER BY number",
            row => (new DateTimeOffset(row.GetInt64(0), TimeSpan.Zero), row.GetInt64(1) == row.GetInt64(2), row.GetFieldValue<byte[]>(3)), ("@place", place),
            ("@n", until)))
        {
            now = isAll ? null : now;
            TargetForm.Read(body, here => here == at ? device : null, (_, target) => now = target, gone => now = gone == at ? null : now);
            yield return (moment, now);
        }
    }

    private static bool IsSame(Target? before, Target? after) => before is null || after is null
        ? ReferenceEquals(before, after)
        : before.State == after.State && before.Reason.Equals(after.Reason) && before.Wave == after.Wave && before.Since == after.Since;

    private IEnumerable<(int First, Target?[] Targets)> PagesOf(DbConnection connection, string deployment)
    {
        var (from, to) = TargetPages.Places(Book(connection, deployment));
        return PagesOf(connection, from, to);
    }

    private IEnumerable<(int First, Target?[] Targets)> PagesOf(DbConnection connection, long from, long to)
    {
        var (place, targets) = (-1L, new Target?[TargetForm.Places]);
        foreach (var (next, body) in KeptTables.Rows(
            connection, Pages, row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)), ("@n", number), ("@from", from), ("@to", to)))
        {
            if (next != place)
            {
                if (place >= 0)
                {
                    yield return ((int)TargetPages.FirstDevice(place), targets);
                }

                place = next;
                Array.Clear(targets);
            }

            TargetForm.Read(body, _ => "", (at, target) => targets[at] = target, gone => targets[gone] = null);
        }

        if (place >= 0)
        {
            yield return ((int)TargetPages.FirstDevice(place), targets);
        }
    }

    private PastDevice? Device(DbConnection connection, long of, string id, Dictionary<uint, string> words)
    {
        if (connection.ExecuteScalar<long?>("SELECT number FROM device_gone WHERE device = @of", new { of }) <= number)
        {
            return null;
        }

        var (name, joined, isComplete, isThere) = ("", 0L, false, false);
        var (facts, programs) = (new SortedDictionary<string, PastFact>(StringComparer.Ordinal), new HashSet<PastProgram>());
        foreach (var body in KeptTables.Rows(
            connection,
            "SELECT body FROM device_past WHERE device = @of AND number <= @n AND number >= (SELECT base FROM device_past WHERE device = @of AND number <= @n "
                + "ORDER BY number DESC LIMIT 1) ORDER BY number",
            row => row.GetFieldValue<byte[]>(0), ("@of", of), ("@n", number)).ToList())
        {
            var said = SaidDevice.Parser.ParseFrom(body);
            (isThere, isComplete, joined) = (true, said.IsInventoryComplete, said.Joined == 0 ? joined : said.Joined);
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

        return isThere
            ? new PastDevice(
                (int)of, id, name, DateTimeOffset.FromUnixTimeMilliseconds(joined), [.. facts.Values], [.. programs.OrderBy(
                    program => program.Name, StringComparer.OrdinalIgnoreCase)], isComplete)
            : null;

        PastProgram Program(SaidProgram program) => new(Word(program.Name), Word(program.Version), Word(program.Source));

        string Word(uint of) => words.TryGetValue(of, out var word)
            ? word
            : words[of] = connection.ExecuteScalar<string?>("SELECT text FROM said_word WHERE number = @of", new { of = (long)of }) ?? "";
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

    private static Dictionary<int, string> IdentitiesOf(DbConnection connection) => KeptTables.Numbers(connection).ToDictionary(
        row => (int)row.Number, row => row.Id);

    private static long BookOf(DbConnection connection, string deployment) =>
        connection.ExecuteScalar<long?>("SELECT number FROM target_book WHERE deployment = @deployment", new { deployment }) ?? 0;

    private static long NumberOf(DbConnection connection, string device) =>
        connection.ExecuteScalar<long?>("SELECT number FROM device_number WHERE id = @device", new { device }) ?? 0;

    /// <summary>The book of a deployment. All are asked for at once: whoever looks at one deployment here looks at many.</summary>
    private long Book(DbConnection connection, string deployment)
    {
        return (_books ??= KeptTables.Books(connection)).GetValueOrDefault(deployment);
    }

    /// <summary>The number of a device, which is asked for again and again.</summary>
    private long Number(DbConnection connection, string device)
    {
        if (_number is not { } known || known.Device != device)
        {
            _number = known = new Numbered(device, NumberOf(connection, device));
        }

        return known.Number;
    }

    private T Read<T>(Func<DbConnection, T> what) => store.Guarded(what);

    private sealed record Numbered(string Device, long Number);
}
