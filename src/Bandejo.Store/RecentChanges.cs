using System.Globalization;
using System.Text;
using System.Text.Json;
using Bandejo.Core.Deployments;

namespace Bandejo.Store;

/// <summary>
/// The changes that come by the thousand, in the form in which they are written before they go into their tables: a line of UTF-8 each, that begins with a
/// letter for its kind (<c>t</c> target, <c>a</c> attempt, <c>e</c> event, <c>h</c> heard).
/// </summary>
internal static class RecentChanges
{
    /// <summary>Whether a change may wait for its table.</summary>
    public static bool Takes(StoreChange change) => change is PutTarget or PutAttempt or AddEvent or PutHeard;

    /// <summary>Writes the changes of that kind; others are left out.</summary>
    public static byte[] Write(IEnumerable<StoreChange> changes)
    {
        using var form = new MemoryStream();
        foreach (var change in changes)
        {
            switch (change)
            {
                case PutTarget(var deployment, var target):
                    Line('t', $"{deployment} ", target);
                    break;
                case PutAttempt(var attempt):
                    Line('a', "", attempt);
                    break;
                case AddEvent(var added):
                    Line('e', "", added);
                    break;
                case PutHeard(var device, var at, var sequence):
                    form.Write(Encoding.UTF8.GetBytes(string.Create(CultureInfo.InvariantCulture, $"h{device} {at.ToUnixTimeMilliseconds()} {sequence}\n")));
                    break;
            }
        }

        return form.ToArray();

        void Line<T>(char kind, string before, T value)
        {
            form.WriteByte((byte)kind);
            form.Write(Encoding.UTF8.GetBytes(before));
            form.Write(JsonSerializer.SerializeToUtf8Bytes(value, SqliteStore.JsonForm));
            form.WriteByte((byte)'\n');
        }
    }

    /// <summary>Reads what was written.</summary>
    /// <exception cref="JsonException">A line is not in the form.</exception>
    public static IReadOnlyList<StoreChange> Read(byte[] form) => [.. Encoding.UTF8.GetString(form).Split('\n', StringSplitOptions.RemoveEmptyEntries).Select(Read)];

    private static StoreChange Read(string line) => (line[0], line[1..].Split(' ', line[0] == 't' ? 2 : 3)) switch
    {
        ('t', [var deployment, var target]) => new PutTarget(deployment, Value<Target>(target)),
        ('a', _) => new PutAttempt(Value<StoredAttempt>(line[1..])),
        ('e', _) => new AddEvent(Value<StoredEvent>(line[1..])),
        ('h', [var device, var at, var sequence]) => new PutHeard(device, DateTimeOffset.FromUnixTimeMilliseconds(Number(at)), Number(sequence)),
        _ => throw new JsonException($"A kept change reads '{(line.Length > 40 ? line[..40] + "…" : line)}', which is in no form of a change."),
    };

    private static long Number(string text) => long.TryParse(text, CultureInfo.InvariantCulture, out var number) ? number : throw new JsonException($"A kept number reads '{text}'.");

    private static T Value<T>(string text) => JsonSerializer.Deserialize<T>(text, SqliteStore.JsonForm) ?? throw new JsonException("A kept change is empty.");
}
