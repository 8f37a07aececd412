using System.Globalization;
using System.Text.Json;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Store.Databases;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Bandejo.Store.Earlier;

/// <summary>
/// Brings targets, and what waited for its table, over from the forms in which they were kept before migration 14: text before migration 8, bytes after it.
/// </summary>
internal static class EarlierTargets
{
    private const int AtOnce = 4096;

    public static void BringOver(SqliteConnection connection, SqliteTransaction transaction)
    {
        var texts = new TextPool();
        using var statements = new SqliteStatements(connection);
        var writer = new StoreWriter(connection, statements, epoch: 0, keepsPast: false);
        var targets = connection.Query<(string Deployment, object Data)>(
            "SELECT deployment, data FROM target_before ORDER BY deployment, device", transaction: transaction, buffered: false);
        foreach (var some in targets.Select(row => new PutTarget(row.Deployment, Target(row.Data, texts))).Chunk(AtOnce))
        {
            writer.Write(default, some);
        }

        var waiting = connection.Query<(long, object)>("SELECT number, data FROM recent ORDER BY number", transaction: transaction, buffered: false);
        foreach (var (_, data) in waiting)
        {
            writer.Write(
                default,
                [.. data is string lines ? lines.Split('\n', StringSplitOptions.RemoveEmptyEntries).Select(Change) : Changes((byte[])data, texts)]);
        }
    }

    private static Target Target(object data, TextPool texts)
    {
        if (data is string text)
        {
            return Value<Target>(text);
        }

        var reader = new EarlierReader((byte[])data);
        return EarlierForm.ReadTarget(ref reader, texts);
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

    /// <summary>What waited, one change after the other, each beginning with a letter for its kind.</summary>
    private static List<Change> Changes(byte[] form, TextPool texts)
    {
        var reader = new EarlierReader(form);
        var changes = new List<Change>();
        while (!reader.IsAtEnd)
        {
            var kind = reader.Byte();
            changes.Add(kind switch
            {
                (byte)'t' => new PutTarget(reader.Text(texts), EarlierForm.ReadTarget(ref reader, texts)),
                (byte)'a' => new PutAttempt(EarlierForm.ReadAttempt(ref reader, texts)),
                (byte)'e' => new AddEvent(EarlierForm.ReadEvent(ref reader, texts)),
                (byte)'h' => new PutHeard(reader.Text(texts), DateTimeOffset.FromUnixTimeMilliseconds(reader.LongFixed()), reader.LongFixed()),
                _ => throw new FormatException($"A kept change begins with {kind}, which is no kind of change."),
            });
        }

        return changes;
    }

    private static T Value<T>(string text) => KeptForms.Read<T>(text);
}
