using System.Data.Common;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;
using Bandejo.Store.Past;

namespace Bandejo.Store;

/// <summary>
/// Writes changes into the log and into their tables through one connection. Of several changes to one row in one commit only the last is written there.
/// </summary>
internal sealed class StoreWriter
{
    private readonly DbConnection _connection;
    private readonly Statements _statements;
    private readonly TargetPages _pages;
    private readonly PastWriter? _past;
    private readonly Log _log;

    // Of the devices that were asked for; what a transaction gave that failed goes with this writer.
    private readonly Dictionary<string, long> _numbers = new(StringComparer.Ordinal);

    /// <param name="connection">Belongs to whoever made it.</param>
    /// <param name="statements">Of that connection; they belong to whoever made them too.</param>
    /// <param name="epoch">Of whoever writes.</param>
    /// <param name="keepsPast">Whether what was is kept too; not where its tables are not there yet.</param>
    public StoreWriter(DbConnection connection, Statements statements, long epoch, bool keepsPast = true)
    {
        (_connection, _statements) = (connection, statements);
        (_pages, _log) = (new TargetPages(_statements, Number, keepsPast), new Log(_statements, epoch));
        _past = keepsPast ? new PastWriter(_statements, Number) : null;
    }

    /// <summary>Writes changes into their tables and as one record into the log, in one transaction.</summary>
    public void Commit(IReadOnlyList<LoggedPart> parts) => InTransaction(() =>
    {
        Write(_log.Next(parts[^1].At), [.. parts.SelectMany(part => part.Changes)]);
        _log.Append(parts);
    });

    /// <summary>Writes targets of a deployment that has not begun, in one transaction.</summary>
    /// <param name="book">The book that they go into; null for a new one.</param>
    /// <returns>The book's number.</returns>
    public long PutAhead(DateTimeOffset at, long? book, IReadOnlyList<Target> targets)
    {
        InTransaction(() =>
        {
            var number = book ??= _pages.NewBook();
            WroteAhead[] changes = targets.Count == 0
                ? [new WroteAhead(number, [])]
                : [.. targets.Chunk(TargetForm.Places).Select(some => new WroteAhead(number, some))];
            Write(_log.Next(at), changes);
            _log.Append([new LoggedPart(at, changes)]);
        });
        return book!.Value;
    }

    /// <summary>Writes what a record of the log holds into the tables, in the transaction that is under way.</summary>
    public void Write(LogRow row) => Write(new LogMoment(row.Number, row.At), [.. Log.Read(row).SelectMany(part => part.Changes)]);

    /// <summary>Writes changes in the transaction that is under way into their tables, but not into the log.</summary>
    /// <param name="moment">Of the record that they are of.</param>
    public void Write(LogMoment moment, IReadOnlyList<Change> changes)
    {
        var last = Last(changes);
        for (var i = 0; i < changes.Count; i++)
        {
            // A row is written once: where it changes first, for an attempt belongs to whoever told of it first, and with what its last change says.
            if (last is null || KeyOf(changes[i]) is not { } key)
            {
                Apply(moment, changes[i]);
            }
            else if (last.Remove(key, out var lastOfRow))
            {
                Apply(moment, changes[lastOfRow]);
            }
        }

        _pages.Flush(moment);
        _past?.Flush(moment);
    }

    private void InTransaction(Action write)
    {
        using var transaction = _connection.BeginTransaction();
        write();
        _statements.Flush();
        transaction.Commit();
    }

    /// <summary>The number of a device here; given to it where it has none.</summary>
    private long Number(string device)
    {
        if (!_numbers.TryGetValue(device, out var number))
        {
            number = _statements.First("SELECT number FROM device_number WHERE id = $1", row => row.Number(0), device);
            _numbers[device] = number = number != 0 ? number : _statements.First(
                "INSERT INTO device_number (number, id) SELECT coalesce(max(number), 0) + 1, $1 FROM device_number RETURNING number", row => row.Number(0),
                device);
        }

        return number;
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
        PutDevice(var device) => (typeof(PutDevice), device.Id, ""),
        PutHeard heard => (typeof(PutHeard), heard.Device, ""),
        // Of another device it is another row, one that the table refuses.
        PutAttempt(var attempt) => (typeof(PutAttempt), attempt.Id, attempt.Device),
        PutDeployment(var deployment) => (typeof(PutDeployment), deployment.Id, ""),
        _ => null,
    };

    private static long Instant(DateTimeOffset at) => at.ToUnixTimeMilliseconds();

    private static Utf8Text Json<T>(T value) => new(KeptForms.Write(value));

    private void Apply(LogMoment moment, Change change)
    {
        _past?.Take(moment, change);
        switch (change)
        {
            case PutSetting(var name, var value):
                _statements.Run("INSERT INTO setting VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET value = excluded.value", name, value);
                break;
            case PutAccount(var account):
                _statements.Run("INSERT INTO account VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET data = excluded.data", account.Account, Json(account));
                break;
            case PutToken(var token):
                _statements.Run(
                    "INSERT INTO token VALUES ($1, $2, $3, $4, $5, $6, $7, $8)", token.Id, token.Account, token.Hash, token.Label, Instant(token.Created),
                    Instant(token.Expires), token.Roles is { } roles ? string.Join(' ', roles) : null, token.IsSession ? 1L : 0L);
                break;
            case DeleteToken(var id, _):
                _statements.Run("DELETE FROM token WHERE id = $1", id);
                break;
            case PutJoinCode(var code):
                _statements.Run(
                    "INSERT INTO join_code VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT (id) DO UPDATE SET uses_left = excluded.uses_left", code.Id, code.Hash,
                    code.Group, (long)code.UsesLeft, Instant(code.Expires), code.MadeBy);
                break;
            case DeleteJoinCode(var id, _):
                _statements.Run("DELETE FROM join_code WHERE id = $1", id);
                break;
            case PutOnce(var once):
                _statements.Run(
                    "INSERT INTO once VALUES ($1, $2, $3) ON CONFLICT (account, key) DO UPDATE SET data = excluded.data", once.Account, once.Key, Json(once));
                break;
            case DeleteOnce(var account, var key):
                _statements.Run("DELETE FROM once WHERE account = $1 AND key = $2", account, key);
                break;
            case AddWord(var number, var text):
                _statements.Run("INSERT INTO word VALUES ($1, $2)", (long)number, text);
                break;
            case DeleteWord(var number):
                _statements.Run("DELETE FROM word WHERE number = $1", (long)number);
                break;
            case PutUserWord(var device, var word):
                _statements.Run("INSERT INTO user_word VALUES ($1, $2) ON CONFLICT (device, word) DO NOTHING", device, word);
                break;
            case PutDevice(var device):
                _ = Number(device.Id);
                _statements.Run(
                    """
                    INSERT INTO device VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) ON CONFLICT (id) DO UPDATE SET
                    name = excluded.name, last_heard = excluded.last_heard, sequence = excluded.sequence, facts_digest = excluded.facts_digest,
                        is_sorted = excluded.is_sorted, user_words = excluded.user_words, sheet = excluded.sheet
                    """,
                    device.Id, device.Name, device.Key.KeyId, device.Key.X, device.Key.Y, device.JoinCode, Instant(device.Joined),
                    device.LastHeard is { } heard ? Instant(heard) : null, device.Sequence, device.FactsDigest,
                    device.IsSorted ? 1L : 0L, device.Heard is { } words ? string.Join(' ', words) : null, device.Sheet.Form.ToArray());
                break;
            case PutHeard(var device, var at, var sequence):
                _statements.Run(
                    "INSERT INTO device_heard VALUES ($1, $2, $3) ON CONFLICT (device) DO UPDATE SET at = excluded.at, sequence = excluded.sequence",
                    Number(device), Instant(at), sequence);
                break;
            case DeleteDevice(var id):
                _statements.Run("DELETE FROM user_word WHERE device = $1", id);
                _statements.Run("DELETE FROM device WHERE id = $1", id);
                _statements.Run("DELETE FROM device_heard WHERE device = $1", Number(id));
                _statements.Run("DELETE FROM device_trial WHERE device = $1", id);
                _statements.Run("DELETE FROM group_member WHERE device = $1", id);
                _pages.RemoveDevice(id);
                _numbers.Remove(id);
                break;
            case PutGroup(var group):
                _statements.Run("INSERT INTO device_group VALUES ($1, $2) ON CONFLICT (slug) DO UPDATE SET data = excluded.data", group.Slug, Json(group));
                break;
            case DeleteGroup(var slug):
                _statements.Run("DELETE FROM device_group WHERE slug = $1", slug);
                _statements.Run("DELETE FROM group_member WHERE device_group = $1", slug);
                break;
            case PutMember(var group, var device):
                _statements.Run("INSERT INTO group_member VALUES ($1, $2) ON CONFLICT (device_group, device) DO NOTHING", group, device);
                break;
            case ForgetPast forget:
                PastForgetting.Apply(_statements, forget);
                break;
            case PutMoves:
                // Kept for what was alone: who is in a rule group now follows from its rule.
                break;
            case DeleteMember(var group, var device):
                _statements.Run("DELETE FROM group_member WHERE device_group = $1 AND device = $2", group, device);
                break;
            case PutWavePlan(var plan):
                _statements.Run("INSERT INTO wave_plan VALUES ($1, $2) ON CONFLICT (slug) DO UPDATE SET data = excluded.data", plan.Slug, Json(plan));
                break;
            case DeleteWavePlan(var slug):
                _statements.Run("DELETE FROM wave_plan WHERE slug = $1", slug);
                break;
            case PutCalendar(var calendar):
                _statements.Run("INSERT INTO calendar VALUES ($1, $2) ON CONFLICT (slug) DO UPDATE SET data = excluded.data", calendar.Slug, Json(calendar));
                break;
            case DeleteCalendar(var slug):
                _statements.Run("DELETE FROM calendar WHERE slug = $1", slug);
                break;
            case PutHandling(var handling):
                _statements.Run("INSERT INTO handling VALUES ($1, $2) ON CONFLICT (slug) DO UPDATE SET data = excluded.data", handling.Slug, Json(handling));
                break;
            case DeleteHandling(var slug):
                _statements.Run("DELETE FROM handling WHERE slug = $1", slug);
                break;
            case PutDeviceTrial(var trial):
                _statements.Run("INSERT INTO device_trial VALUES ($1, $2) ON CONFLICT (device) DO UPDATE SET data = excluded.data", trial.Device, Json(trial));
                break;
            case PutPackage(var package):
                _statements.Run(
                    "INSERT INTO package VALUES ($1, $2, $3, $4) ON CONFLICT (digest) DO UPDATE SET data = excluded.data", package.Digest, package.App,
                    package.Version, Json(package));
                break;
            case PutDeployment(var deployment):
                _statements.Run(
                    "INSERT INTO deployment VALUES ($1, $2, $3) ON CONFLICT (id) DO UPDATE SET state_data = excluded.state_data", deployment.Id,
                    Json(deployment), Json(deployment.State));
                break;
            case WroteAhead(var book, var targets):
                _pages.PutAhead(book, targets);
                break;
            case DroppedAhead(var book):
                _pages.Drop(book);
                break;
            case PutTargetsAhead(var deployment, var book):
                _pages.Give(book, deployment);
                break;
            case PutTarget(var deployment, var target):
                _pages.Put(deployment, target);
                break;
            case PutAttempt(var attempt):
                _statements.Run(
                    "INSERT INTO attempt VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT (id) DO UPDATE SET outcome = excluded.outcome, data = excluded.data WHERE "
                        + "attempt.device = excluded.device",
                    attempt.Id, attempt.Deployment, Number(attempt.Device), Instant(attempt.StartedAt), attempt.Outcome, Json(attempt));
                break;
            case GaveNumber(var device, var number):
                _statements.Run("INSERT INTO device_number VALUES ($1, $2)", number, device);
                break;
            case AddEvent(var added):
                _statements.Add(
                    "event", added.Number, Instant(added.At), added.Topic, added.What, added.By,
                    added.Deployment, added.Device is { } about ? Number(about) : null, added.Text, added.Reason);
                break;
            default:
                throw new InvalidOperationException($"The store cannot keep {change.GetType().Name}.");
        }
    }
}
