using System.Data;
using System.Data.Common;
using System.Globalization;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Store.Forms;

namespace Bandejo.Store;

/// <summary>Reads what stands in the tables.</summary>
internal static class KeptTables
{
    /// <summary>So many things are asked for by one statement.</summary>
    public const int ListedAtOnce = 500;

    /// <summary>What is read of an event.</summary>
    public const string EventColumns =
        "number, at, topic, what, actor, deployment, (SELECT id FROM device_number AS n WHERE n.number = event.device), text, reason";

    public static IEnumerable<(string Name, string Value)> Settings(DbConnection connection) =>
        Rows(connection, "SELECT name, value FROM setting ORDER BY name", row => (row.GetString(0), row.GetString(1)));

    public static IEnumerable<AccountRecord> Accounts(DbConnection connection) =>
        Documents<AccountRecord>(connection, "SELECT data FROM account ORDER BY name");

    public static IEnumerable<TokenRecord> Tokens(DbConnection connection) => Rows(
        connection, "SELECT id, account, hash, label, created, expires, roles, is_session FROM token ORDER BY id", row => new TokenRecord(
            row.GetString(0), row.GetString(1), row.GetString(2), row.GetString(3), Instant(row.GetInt64(4)), Instant(row.GetInt64(5)),
            Text(row, 6)?.Split(' '), row.GetInt64(7) != 0));

    public static IEnumerable<JoinCodeRecord> JoinCodes(DbConnection connection) => Rows(
        connection, "SELECT id, hash, device_group, uses_left, expires, made_by FROM join_code ORDER BY id", row => new JoinCodeRecord(
            row.GetString(0), row.GetString(1), Text(row, 2), (int)row.GetInt64(3), Instant(row.GetInt64(4)), row.GetString(5)));

    public static IEnumerable<OnceRecord> Onces(DbConnection connection) =>
        Documents<OnceRecord>(connection, "SELECT data FROM once ORDER BY account, key");

    public static IEnumerable<(int Number, string Text)> Words(DbConnection connection) =>
        Rows(connection, "SELECT number, text FROM word ORDER BY number", row => ((int)row.GetInt64(0), row.GetString(1)));

    public static IEnumerable<(string Device, string Word)> UserWords(DbConnection connection) =>
        Rows(connection, "SELECT device, word FROM user_word ORDER BY device, word", row => (row.GetString(0), row.GetString(1)));

    public static IEnumerable<GroupRecord> Groups(DbConnection connection) =>
        Documents<GroupRecord>(connection, "SELECT data FROM device_group ORDER BY slug");

    public static IEnumerable<(string Group, string Device)> Members(DbConnection connection)
    {
        var groups = new TextPool();
        return Rows(
            connection, "SELECT device_group, device FROM group_member ORDER BY device_group, device",
            row => (groups.Of(row.GetString(0)), row.GetString(1)));
    }

    public static IEnumerable<PackageRecord> Packages(DbConnection connection) =>
        Documents<PackageRecord>(connection, "SELECT data FROM package ORDER BY digest");

    public static IEnumerable<DeploymentRecord> Deployments(DbConnection connection) => Rows(
        connection, "SELECT plan_data, state_data FROM deployment ORDER BY id",
        row => KeptForms.ReadDeployment(row.GetString(0)) with { State = KeptForms.Read<Core.Deployments.DeploymentState>(row.GetString(1)) });

    public static IEnumerable<WavePlanRecord> WavePlans(DbConnection connection) =>
        Documents<WavePlanRecord>(connection, "SELECT data FROM wave_plan ORDER BY slug");

    public static IEnumerable<CalendarRecord> Calendars(DbConnection connection) =>
        Documents<CalendarRecord>(connection, "SELECT data FROM calendar ORDER BY slug");

    public static IEnumerable<HandlingRecord> Handlings(DbConnection connection) =>
        Documents<HandlingRecord>(connection, "SELECT data FROM handling ORDER BY slug");

    public static IEnumerable<DeviceTrialRecord> DeviceTrials(DbConnection connection) =>
        Documents<DeviceTrialRecord>(connection, "SELECT data FROM device_trial ORDER BY device");

    public static IEnumerable<AttemptRecord> Attempts(DbConnection connection) => Documents<AttemptRecord>(connection, "SELECT data FROM attempt ORDER BY id");

    public static IEnumerable<AttemptRecord> OpenAttempts(DbConnection connection) =>
        Documents<AttemptRecord>(connection, "SELECT data FROM attempt WHERE outcome IS NULL ORDER BY id");

    public static IEnumerable<EventRecord> Events(DbConnection connection) =>
        Rows(connection, $"SELECT {EventColumns} FROM event ORDER BY number", Event);

    /// <summary>When the last event was; the beginning of 1970 where there was none.</summary>
    public static DateTimeOffset LastEventAt(DbConnection connection) =>
        Rows(connection, "SELECT at FROM event ORDER BY number DESC LIMIT 1", row => Instant(row.GetInt64(0))).SingleOrDefault(DateTimeOffset.UnixEpoch);

    public static EventRecord Event(IDataRecord row) => new(
        row.GetInt64(0), Instant(row.GetInt64(1)), row.GetString(2), row.GetString(3), Text(row, 4), Text(row, 5), Text(row, 6), row.GetString(7),
        Text(row, 8));

    /// <summary>All devices that were ever there, by the numbers that they have in the tables.</summary>
    public static IEnumerable<(long Number, string Id)> Numbers(DbConnection connection) =>
        Rows(connection, "SELECT number, id FROM device_number ORDER BY number", row => (row.GetInt64(0), row.GetString(1)));

    /// <summary>When each device was last heard, where nothing else of it changed then.</summary>
    public static IEnumerable<(string Device, DateTimeOffset At, long Sequence)> Heard(DbConnection connection) => Rows(
        connection, "SELECT id, at, sequence FROM device_heard JOIN device_number ON number = device ORDER BY device",
        row => (row.GetString(0), Instant(row.GetInt64(1)), row.GetInt64(2)));

    /// <summary>The devices in the order of their numbers, as they were kept the last time that anything but hearing of them changed.</summary>
    public static IEnumerable<DeviceRecord> Devices(DbConnection connection)
    {
        var codes = new TextPool();
        return Rows(
            connection,
            "SELECT id, name, key_id, key_x, key_y, join_code, joined, last_heard, sequence, facts_digest, is_sorted, user_words, sheet FROM device_number "
                + "JOIN device USING (id) ORDER BY number",
            row => new DeviceRecord(
                row.GetString(0), row.GetString(1), new KeyRecord(row.GetString(2), row.GetString(3), row.GetString(4)), codes.Of(row.GetString(5)),
                Instant(row.GetInt64(6)), row.IsDBNull(7) ? null : Instant(row.GetInt64(7)), row.GetInt64(8), row.GetString(9),
                FactSheet.Kept(row.GetFieldValue<byte[]>(12)), row.GetInt64(10) != 0,
                Text(row, 11)?.Split(' ', StringSplitOptions.RemoveEmptyEntries)));
    }

    /// <summary>The devices in the order of their numbers, with when they were last heard.</summary>
    public static IEnumerable<DeviceRecord> DevicesAsHeard(DbConnection connection)
    {
        var heard = Heard(connection).ToDictionary(row => row.Device, StringComparer.Ordinal);
        return Devices(connection).Select(
            device => heard.TryGetValue(device.Id, out var later) && later.Sequence >= device.Sequence
                ? device with { LastHeard = later.At, Sequence = later.Sequence }
                : device);
    }

    /// <summary>Who was last told to be in a group, by places of devices among those that are there.</summary>
    public static Func<string, Bitmap> RuleMembers(DbConnection connection)
    {
        var groups = new Dictionary<string, Bitmap>(StringComparer.Ordinal);
        var devices = Places(connection);
        foreach (var (group, body) in Rows(
            connection,
            "SELECT device_group, body FROM member_past AS m WHERE number >= (SELECT base FROM member_past AS last WHERE last.device_group = m.device_group "
                + "ORDER BY number DESC LIMIT 1) ORDER BY device_group, number",
            row => (row.GetString(0), row.GetFieldValue<byte[]>(1))))
        {
            var members = groups.TryGetValue(group, out var known) ? known : groups[group] = new Bitmap(devices.Count);
            var moves = KeptMembers.Parser.ParseFrom(body);
            Put(members, moves.Into, isIn: true);
            Put(members, moves.OutOf, isIn: false);
        }

        return group => groups.GetValueOrDefault(group) ?? new Bitmap();

        void Put(Bitmap members, IEnumerable<long> numbers, bool isIn)
        {
            foreach (var number in numbers.Where(number => number < devices.Count && devices[(int)number].Id is not null))
            {
                members[devices[(int)number].Place] = isIn;
            }
        }
    }

    /// <summary>The targets, those of a deployment one after the other.</summary>
    /// <param name="of">Of which deployments; null for all.</param>
    public static IEnumerable<KeptTarget> Targets(DbConnection connection, Func<string, bool>? of = null)
    {
        var devices = Places(connection);
        var books = Books(connection).Select(pair => (Number: pair.Value, Deployment: pair.Key)).ToList();
        var page = new List<KeptTarget>(TargetForm.Places);
        foreach (var (book, deployment) in books.Where(each => of?.Invoke(each.Deployment) ?? true).OrderBy(each => each.Deployment, StringComparer.Ordinal))
        {
            var (from, to) = TargetPages.Places(book);
            foreach (var (at, body) in Rows(
                connection, "SELECT place, body FROM target_page WHERE place >= @from AND place < @to ORDER BY place",
                row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)), ("@from", from), ("@to", to)))
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

    /// <summary>The numbers of the books in which the targets of deployments stand, by the deployments' identities.</summary>
    public static Dictionary<string, long> Books(DbConnection connection) => Rows(
        connection, "SELECT deployment, number FROM target_book WHERE deployment IS NOT NULL", row => (row.GetString(0), row.GetInt64(1)))
        .ToDictionary(each => each.Item1, each => each.Item2, StringComparer.Ordinal);

    /// <summary>The targets that must be in memory.</summary>
    public static IEnumerable<KeptTarget> TargetsInMemory(DbConnection connection)
    {
        var shelved = Deployments(connection).Where(each => each.State.Shelved is not null).Select(each => each.Id).ToHashSet(StringComparer.Ordinal);
        return Targets(connection, each => !shelved.Contains(each));
    }

    /// <summary>The targets of a device in some deployments.</summary>
    public static IReadOnlyList<(string Deployment, Target Target)> TargetsOf(DbConnection connection, string device, IEnumerable<string> deployments)
    {
        var number = Rows(connection, "SELECT number FROM device_number WHERE id = @id", row => row.GetInt64(0), ("@id", device)).SingleOrDefault(-1);
        var (wanted, targets) = (deployments.ToHashSet(StringComparer.Ordinal), new List<(string Deployment, Target Target)>());
        var books = Books(connection).Where(each => wanted.Contains(each.Key)).ToDictionary(each => each.Value, each => each.Key);
        if (number < 0 || books.Count == 0)
        {
            return targets;
        }

        var (_, at) = TargetPages.PlaceOf(0, number);
        foreach (var (place, body) in books.Keys.Chunk(ListedAtOnce).SelectMany(some => Rows(
            connection,
            $"WITH p(place) AS (VALUES {Listed(some.Select(book => TargetPages.PlaceOf(book, number).Page))}) "
                + "SELECT t.place, t.body FROM p JOIN target_page AS t ON t.place = p.place",
            row => (row.GetInt64(0), row.GetFieldValue<byte[]>(1)))))
        {
            TargetForm.Read(body, of => of == at ? device : null, (_, target) => targets.Add((books[TargetPages.BookOf(place)], target)));
        }

        targets.Sort((one, other) => string.CompareOrdinal(one.Deployment, other.Deployment));
        return targets;
    }

    /// <summary>Numbers as the rows of <c>VALUES</c>, so that one statement asks for all of them in every kind of database.</summary>
    /// <param name="numbers">At least one, at most <see cref="ListedAtOnce"/>.</param>
    public static string Listed(IEnumerable<long> numbers) => string.Join(',', numbers.Select(number => $"({Whole(number)})"));

    /// <summary>Pairs of numbers in the same way.</summary>
    /// <inheritdoc cref="Listed(IEnumerable{long})"/>
    public static string Listed(IEnumerable<(long, long)> numbers) => string.Join(
        ',', numbers.Select(pair => $"({Whole(pair.Item1)},{Whole(pair.Item2)})"));

    private static string Whole(long number) => string.Create(CultureInfo.InvariantCulture, $"CAST({number} AS BIGINT)");

    /// <summary>The devices by their numbers, each with its place among those that are there; of one that went nothing counts.</summary>
    private static List<(string? Id, int Place)> Places(DbConnection connection)
    {
        var devices = new List<(string? Id, int Place)>();
        var place = 0;
        foreach (var (number, id) in Rows(
            connection, "SELECT number, id FROM device_number JOIN device USING (id) ORDER BY number", row => (row.GetInt64(0), row.GetString(1))))
        {
            devices.AddRange(Enumerable.Repeat<(string?, int)>((null, -1), (int)number - devices.Count));
            devices.Add((id, place++));
        }

        return devices;
    }

    /// <summary>Reads rows while they are taken.</summary>
    public static IEnumerable<T> Rows<T>(DbConnection connection, string sql, Func<DbDataReader, T> form, params (string Name, object Value)[] given)
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        foreach (var (name, value) in given)
        {
            var parameter = command.CreateParameter();
            (parameter.ParameterName, parameter.Value) = (name, value);
            command.Parameters.Add(parameter);
        }

        using var reader = command.ExecuteReader();
        while (reader.Read())
        {
            yield return form(reader);
        }
    }

    private static string? Text(IDataRecord row, int column) => row.IsDBNull(column) ? null : row.GetString(column);

    private static DateTimeOffset Instant(long milliseconds) => DateTimeOffset.FromUnixTimeMilliseconds(milliseconds);

    private static IEnumerable<T> Documents<T>(DbConnection connection, string sql) => Rows(connection, sql, row => KeptForms.Read<T>(row.GetString(0)));
}
