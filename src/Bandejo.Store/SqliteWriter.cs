using System.Text.Json;
using Bandejo.Core.World;
using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Bandejo.Store;

/// <summary>
/// Writes changes through one connection whose statements stay prepared. Of several changes to one row in one commit only the last is written.
/// </summary>
internal sealed class SqliteWriter(SqliteConnection connection) : IDisposable
{
    private readonly Dictionary<string, sqlite3_stmt> _statements = new(StringComparer.Ordinal);

    public SqliteConnection Connection => connection;

    /// <summary>Writes changes into their tables, in one transaction.</summary>
    /// <param name="added">A row that is added to <c>recent</c> besides.</param>
    /// <param name="tabled">The rows of <c>recent</c> up to this number are taken away: the changes are those that they hold.</param>
    public void Commit(IReadOnlyList<Change> changes, (long Number, ReadOnlyMemory<byte> Data)? added = null, long? tabled = null)
    {
        var last = Last(changes);
        using var transaction = connection.BeginTransaction();
        for (var i = 0; i < changes.Count; i++)
        {
            // A row is written once: where it changes first, for an attempt belongs to whoever told of it first, and with what its last change says.
            if (last is null || KeyOf(changes[i]) is not { } key)
            {
                Apply(changes[i]);
            }
            else if (last.Remove(key, out var lastOfRow))
            {
                Apply(changes[lastOfRow]);
            }
        }

        if (added is var (number, data))
        {
            Run("INSERT INTO recent VALUES ($1, $2)", number, data);
        }

        if (tabled is { } upTo)
        {
            Run("DELETE FROM recent WHERE number <= $1", upTo);
        }

        transaction.Commit();
    }

    public void Dispose()
    {
        foreach (var statement in _statements.Values)
        {
            statement.Dispose();
        }

        connection.Dispose();
    }

    /// <summary>Where each row is changed last; null where something is deleted, and the order of all matters.</summary>
    private static Dictionary<(Type, string, string), int>? Last(IReadOnlyList<Change> changes)
    {
        var last = new Dictionary<(Type, string, string), int>(changes.Count);
        for (var i = 0; i < changes.Count; i++)
        {
            if (changes[i] is DeleteDevice or DeleteGroup)
            {
                return null;
            }

            if (KeyOf(changes[i]) is { } key)
            {
                last[key] = i;
            }
        }

        return last;
    }

    private static (Type, string, string)? KeyOf(Change change) => change switch
    {
        PutTarget(var deployment, var target) => (typeof(PutTarget), deployment, target.Device),
        PutDevice(var device) => (typeof(PutDevice), device.Id, ""),
        PutHeard heard => (typeof(PutHeard), heard.Device, ""),
        // Of another device it is another row, one that the table refuses.
        PutAttempt(var attempt) => (typeof(PutAttempt), attempt.Id, attempt.Device),
        PutDeployment(var deployment) => (typeof(PutDeployment), deployment.Id, ""),
        _ => null,
    };

    private static long Instant(DateTimeOffset at) => at.ToUnixTimeMilliseconds();

    private static Utf8Text Json<T>(T value) => new(JsonSerializer.SerializeToUtf8Bytes(value, SqliteStore.JsonForm));

    private void Apply(Change change)
    {
        switch (change)
        {
            case PutSetting(var name, var value):
                Run("INSERT INTO setting VALUES ($1, $2) ON CONFLICT DO UPDATE SET value = excluded.value", name, value);
                break;
            case PutAccount(var account):
                Run("INSERT INTO account VALUES ($1, $2) ON CONFLICT DO UPDATE SET data = excluded.data", account.Account, Json(account));
                break;
            case PutToken(var token):
                Run(
                    "INSERT INTO token VALUES ($1, $2, $3, $4, $5, $6, $7, $8)", token.Id, token.Account, token.Hash, token.Label, Instant(token.Created),
                    Instant(token.Expires), token.Roles is { } roles ? string.Join(' ', roles) : null, token.IsSession ? 1L : 0L);
                break;
            case DeleteToken(var id, _):
                Run("DELETE FROM token WHERE id = $1", id);
                break;
            case PutJoinCode(var code):
                Run(
                    "INSERT INTO join_code VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT DO UPDATE SET uses_left = excluded.uses_left", code.Id, code.Hash,
                    code.Group, (long)code.UsesLeft, Instant(code.Expires), code.MadeBy);
                break;
            case DeleteJoinCode(var id, _):
                Run("DELETE FROM join_code WHERE id = $1", id);
                break;
            case AddWord(var number, var text):
                Run("INSERT INTO word VALUES ($1, $2)", (long)number, text);
                break;
            case DeleteWord(var number):
                Run("DELETE FROM word WHERE number = $1", (long)number);
                break;
            case PutUserWord(var device, var word):
                Run("INSERT INTO user_word VALUES ($1, $2) ON CONFLICT DO NOTHING", device, word);
                break;
            case PutDevice(var device):
                Run(
                    """
                    INSERT INTO device VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) ON CONFLICT (id) DO UPDATE SET
                    name = excluded.name, last_heard = excluded.last_heard, sequence = excluded.sequence, facts_digest = excluded.facts_digest, is_sorted = excluded.is_sorted, user_words = excluded.user_words, sheet = excluded.sheet
                    """,
                    device.Id, device.Name, device.Key.KeyId, device.Key.X, device.Key.Y, device.JoinCode, Instant(device.Joined),
                    device.LastHeard is { } heard ? Instant(heard) : null, device.Sequence, device.FactsDigest,
                    device.IsSorted ? 1L : 0L, device.Heard is { } words ? string.Join(' ', words) : null, device.Sheet.Form.ToArray());
                break;
            case PutHeard(var device, var at, var sequence):
                Run(
                    "INSERT INTO device_heard VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET at = excluded.at, sequence = excluded.sequence", device,
                    Instant(at), sequence);
                break;
            case DeleteDevice(var id):
                Run("DELETE FROM user_word WHERE device = $1", id);
                Run("DELETE FROM device WHERE id = $1", id);
                Run("DELETE FROM device_heard WHERE device = $1", id);
                Run("DELETE FROM device_trial WHERE device = $1", id);
                Run("DELETE FROM group_member WHERE device = $1", id);
                Run("DELETE FROM target WHERE device = $1", id);
                break;
            case PutGroup(var group):
                Run("INSERT INTO device_group VALUES ($1, $2) ON CONFLICT DO UPDATE SET data = excluded.data", group.Slug, Json(group));
                break;
            case DeleteGroup(var slug):
                Run("DELETE FROM device_group WHERE slug = $1", slug);
                Run("DELETE FROM group_member WHERE device_group = $1", slug);
                break;
            case PutMember(var group, var device):
                Run("INSERT INTO group_member VALUES ($1, $2) ON CONFLICT DO NOTHING", group, device);
                break;
            case DeleteMember(var group, var device):
                Run("DELETE FROM group_member WHERE device_group = $1 AND device = $2", group, device);
                break;
            case PutWavePlan(var plan):
                Run("INSERT INTO wave_plan VALUES ($1, $2) ON CONFLICT DO UPDATE SET data = excluded.data", plan.Slug, Json(plan));
                break;
            case DeleteWavePlan(var slug):
                Run("DELETE FROM wave_plan WHERE slug = $1", slug);
                break;
            case PutHandling(var handling):
                Run("INSERT INTO handling VALUES ($1, $2) ON CONFLICT DO UPDATE SET data = excluded.data", handling.Slug, Json(handling));
                break;
            case DeleteHandling(var slug):
                Run("DELETE FROM handling WHERE slug = $1", slug);
                break;
            case PutDeviceTrial(var trial):
                Run("INSERT INTO device_trial VALUES ($1, $2) ON CONFLICT DO UPDATE SET data = excluded.data", trial.Device, Json(trial));
                break;
            case PutPackage(var package):
                Run(
                    "INSERT INTO package VALUES ($1, $2, $3, $4) ON CONFLICT (digest) DO UPDATE SET data = excluded.data", package.Digest, package.App,
                    package.Version, Json(package));
                break;
            case PutDeployment(var deployment):
                Run(
                    "INSERT INTO deployment VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET state_data = excluded.state_data", deployment.Id, Json(deployment),
                    Json(deployment.State));
                break;
            case PutTarget(var deployment, var target):
                Run("INSERT INTO target VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET data = excluded.data", deployment, target.Device, CompactForm.Of(target));
                break;
            case PutAttempt(var attempt):
                Run(
                    "INSERT INTO attempt VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT DO UPDATE SET outcome = excluded.outcome, data = excluded.data WHERE "
                        + "device = excluded.device",
                    attempt.Id, attempt.Deployment, attempt.Device, Instant(attempt.StartedAt), attempt.Outcome, Json(attempt));
                break;
            case AddEvent(var added):
                Run(
                    "INSERT INTO event VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)", added.Number, Instant(added.At), added.Topic, added.What, added.By,
                    added.Deployment, added.Device, added.Text, added.Reason);
                break;
            default:
                throw new InvalidOperationException($"The store cannot keep {change.GetType().Name}.");
        }
    }

    /// <summary>
    /// Carries out a statement through SQLite's own interface: thousands a second make the way through commands and readers the larger part of the work.
    /// </summary>
    private void Run(string sql, params ReadOnlySpan<object?> values)
    {
        if (!_statements.TryGetValue(sql, out var statement))
        {
            Check(raw.sqlite3_prepare_v2(connection.Handle, sql, out statement));
            _statements[sql] = statement;
        }

        for (var i = 0; i < values.Length; i++)
        {
            Check(values[i] switch
            {
                null => raw.sqlite3_bind_null(statement, i + 1),
                long number => raw.sqlite3_bind_int64(statement, i + 1, number),
                string text => raw.sqlite3_bind_text(statement, i + 1, text),
                Utf8Text text => raw.sqlite3_bind_text(statement, i + 1, text.Bytes),
                byte[] bytes => raw.sqlite3_bind_blob(statement, i + 1, bytes),
                ReadOnlyMemory<byte> bytes => raw.sqlite3_bind_blob(statement, i + 1, bytes.Span),
                var other => throw new InvalidOperationException($"A statement cannot hold {other.GetType().Name}."),
            });
        }

        var result = raw.sqlite3_step(statement);
        raw.sqlite3_reset(statement);
        Check(result == raw.SQLITE_DONE ? raw.SQLITE_OK : result);

        void Check(int result)
        {
            if (result != raw.SQLITE_OK)
            {
                throw new SqliteException($"SQLite Error {result}: '{raw.sqlite3_errmsg(connection.Handle).utf8_to_string()}'.", result);
            }
        }
    }

    /// <summary>Text that is in UTF-8 already.</summary>
    private sealed record Utf8Text(byte[] Bytes);
}
