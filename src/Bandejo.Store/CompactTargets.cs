using System.Globalization;
using System.Text;
using System.Text.Json;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store;

/// <summary>Brings targets, and what waits for its table, over from the JSON in which they were kept before migration 8.</summary>
internal static class CompactTargets
{
    public static void BringOver(SqliteConnection connection, SqliteTransaction transaction)
    {
        foreach (var (deployment, device, data) in connection.Query<(string, string, string)>(
            "SELECT deployment, device, data FROM target_before", transaction: transaction, buffered: false))
        {
            connection.Execute(
                "INSERT INTO target VALUES (@deployment, @device, @form)", new { deployment, device, form = CompactForm.Of(Value<Target>(data)) }, transaction);
        }

        foreach (var (number, data) in connection.Query<(long, byte[])>(
            "SELECT number, data FROM recent_before ORDER BY number", transaction: transaction, buffered: false))
        {
            var form = new RecentForm();
            foreach (var line in Encoding.UTF8.GetString(data).Split('\n', StringSplitOptions.RemoveEmptyEntries))
            {
                RecentChanges.Write(form, Change(line));
            }

            connection.Execute("INSERT INTO recent VALUES (@number, @form)", new { number, form = form.Written.ToArray() }, transaction);
        }
    }

    /// <summary>A line of what waited: a letter for its kind, then JSON, or words.</summary>
    private static Change Change(string line) => (line[0], line[1..].Split(' ', line[0] == 't' ? 2 : 3)) switch
    {
        ('t', [var deployment, var target]) => new PutTarget(deployment, Value<Target>(target)),
        ('a', _) => new PutAttempt(Value<AttemptRecord>(line[1..])),
        ('e', _) => new AddEvent(Value<EventRecord>(line[1..])),
        ('h', [var device, var at, var sequence]) =>
            new PutHeard(device, DateTimeOffset.FromUnixTimeMilliseconds(long.Parse(at, CultureInfo.InvariantCulture)), long.Parse(
                sequence, CultureInfo.InvariantCulture)),
        _ => throw new JsonException($"A kept change reads '{(line.Length > 40 ? line[..40] + "…" : line)}', which is in no form of a change."),
    };

    private static T Value<T>(string text) => JsonSerializer.Deserialize<T>(text, SqliteStore.JsonForm) ?? throw new JsonException("A kept change is empty.");
}
