using System.Text.Json;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>Writes changes through one connection whose statements stay prepared. Of several changes to one row in one commit only the last is written.</summary>
internal sealed class SqliteWriter(SqliteConnection connection) : IDisposable
{
    private readonly Dictionary<string, SqliteCommand> _commands = new(StringComparer.Ordinal);

    public void Commit(IReadOnlyList<StoreChange> changes)
    {
        var last = Last(changes);
        using var transaction = connection.BeginTransaction();
        for (var i = 0; i < changes.Count; i++)
        {
            if (last is null || KeyOf(changes[i]) is not { } key || last[key] == i)
            {
                Apply(transaction, changes[i]);
            }
        }

        transaction.Commit();
    }

    public void Dispose()
    {
        foreach (var command in _commands.Values)
        {
            command.Dispose();
        }

        connection.Dispose();
    }

    /// <summary>Where each row is changed last; null where something is deleted, and the order of all matters.</summary>
    private static Dictionary<(Type, string, string), int>? Last(IReadOnlyList<StoreChange> changes)
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

    private static (Type, string, string)? KeyOf(StoreChange change) => change switch
    {
        PutTarget(var deployment, var target) => (typeof(PutTarget), deployment, target.Device),
        PutDevice(var device) => (typeof(PutDevice), device.Id, ""),
        PutHeard heard => (typeof(PutHeard), heard.Device, ""),
        PutAttempt(var attempt) => (typeof(PutAttempt), attempt.Id, ""),
        PutDeployment(var deployment) => (typeof(PutDeployment), deployment.Id, ""),
        _ => null,
    };

    private static long Instant(DateTimeOffset at) => at.ToUnixTimeMilliseconds();

    private static string Json<T>(T value) => JsonSerializer.Serialize(value, SqliteStore.JsonForm);

    private void Apply(SqliteTransaction transaction, StoreChange change)
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
                Run("INSERT INTO token VALUES ($1, $2, $3, $4, $5, $6)", token.Id, token.Account, token.Hash, token.Label, Instant(token.Created), Instant(token.Expires));
                break;
            case DeleteToken(var id):
                Run("DELETE FROM token WHERE id = $1", id);
                break;
            case PutJoinCode(var code):
                Run("INSERT INTO join_code VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT DO UPDATE SET uses_left = excluded.uses_left", code.Id, code.Hash, code.Group, (long)code.UsesLeft, Instant(code.Expires), code.MadeBy);
                break;
            case DeleteJoinCode(var id):
                Run("DELETE FROM join_code WHERE id = $1", id);
                break;
            case PutDevice(var device):
                Run("INSERT INTO device VALUES ($1, $2, $3, $4) ON CONFLICT (id) DO UPDATE SET name = excluded.name, key_id = excluded.key_id, data = excluded.data", device.Id, device.Name, device.Key.KeyId, Json(device));
                break;
            case PutHeard(var device, var at, var sequence):
                Run("INSERT INTO device_heard VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET at = excluded.at, sequence = excluded.sequence", device, Instant(at), sequence);
                break;
            case DeleteDevice(var id):
                Run("DELETE FROM device WHERE id = $1", id);
                Run("DELETE FROM device_heard WHERE device = $1", id);
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
            case PutPackage(var package):
                Run("INSERT INTO package VALUES ($1, $2, $3, $4) ON CONFLICT (digest) DO UPDATE SET data = excluded.data", package.Digest, package.App, package.Version, Json(package));
                break;
            case PutDeployment(var deployment):
                Run("INSERT INTO deployment VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET state_data = excluded.state_data", deployment.Id, Json(deployment), Json(deployment.State));
                break;
            case PutTarget(var deployment, var target):
                Run("INSERT INTO target VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET data = excluded.data", deployment, target.Device, Json(target));
                break;
            case PutAttempt(var attempt):
                Run(
                    "INSERT INTO attempt VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT DO UPDATE SET outcome = excluded.outcome, data = excluded.data",
                    attempt.Id, attempt.Deployment, attempt.Device, Instant(attempt.StartedAt), attempt.Outcome, Json(attempt));
                break;
            case AddEvent(var added):
                Run("INSERT INTO event VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)", added.Number, Instant(added.At), added.Topic, added.What, added.By, added.Deployment, added.Device, added.Text, added.Reason);
                break;
            default:
                throw new InvalidOperationException($"The store cannot keep {change.GetType().Name}.");
        }

        void Run(string sql, params ReadOnlySpan<object?> values)
        {
            if (!_commands.TryGetValue(sql, out var command))
            {
                _commands[sql] = command = connection.CreateCommand();
                command.CommandText = sql;
                for (var i = 0; i < values.Length; i++)
                {
                    command.Parameters.Add(new SqliteParameter { ParameterName = string.Create(System.Globalization.CultureInfo.InvariantCulture, $"${i + 1}") });
                }
            }

            command.Transaction = transaction;
            for (var i = 0; i < values.Length; i++)
            {
                command.Parameters[i].Value = values[i] ?? DBNull.Value;
            }

            command.ExecuteNonQuery();
        }
    }
}
