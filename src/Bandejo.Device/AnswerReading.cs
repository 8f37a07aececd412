using System.Buffers;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>Reads what the service answers, never more of it than it may be.</summary>
internal static class AnswerReading
{
    private const int Block = 64 * 1024;

    private const int LongestWords = 500;

    /// <summary>Makes a message of the bytes of an answer.</summary>
    /// <exception cref="JsonException">It is not that message.</exception>
    public delegate T Reader<out T>(ReadOnlySpan<byte> content);

    /// <summary>All of an answer.</summary>
    /// <exception cref="LinkException">It is larger than <paramref name="most"/> bytes.</exception>
    public static async Task<byte[]> Whole(HttpContent content, int most, CancellationToken cancellation)
    {
        await using var source = await content.ReadAsStreamAsync(cancellation);
        using var target = new MemoryStream();
        return await Copy(source, target, most, cancellation)
            ? target.ToArray()
            : throw new LinkException($"The service's answer is larger than {most / 1024} KiB; it was refused.", 0);
    }

    /// <summary>Copies a stream; false, and nothing more is read, once it has more than so many bytes.</summary>
    public static async Task<bool> Copy(Stream source, Stream target, long most, CancellationToken cancellation, FetchPace? pace = null)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(Block);
        try
        {
            while (await source.ReadAsync(buffer, cancellation) is var read and > 0)
            {
                most -= read;
                if (most < 0)
                {
                    return false;
                }

                await target.WriteAsync(buffer.AsMemory(0, read), cancellation);
                if (pace is not null)
                {
                    await pace.Take(read, cancellation);
                }
            }

            return true;
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    /// <summary>The answer to a check-in. An order in it that cannot be read is left out, so that it keeps no other from being carried out.</summary>
    public static CheckInAnswer CheckIn(ReadOnlySpan<byte> content)
    {
        var (rest, orders) = Apart(content);
        return MessageForm.Read<CheckInAnswer>(rest) with { Orders = orders };
    }

    /// <summary>Whether a text can stand in a header as a token (RFC 6750, section 2.1).</summary>
    public static bool IsToken(string text) => text.Length is > 0 and <= 8192 && text.All(sign => char.IsAsciiLetterOrDigit(sign) || "-._~+/=".Contains(sign));

    /// <summary>Words of the service for people, on one line and without anything that a terminal would act upon.</summary>
    public static string Words(string text) =>
        new([.. text.Take(LongestWords).Select(
            sign => char.IsControl(sign) || char.GetUnicodeCategory(sign) == System.Globalization.UnicodeCategory.Format ? ' ' : sign)]);

    /// <summary>An answer without its orders, and those of its orders that can be read; null where it has none.</summary>
    private static (byte[] Others, IReadOnlyList<Order>? Orders) Apart(ReadOnlySpan<byte> content)
    {
        var reader = new Utf8JsonReader(content, new JsonReaderOptions { MaxDepth = MessageForm.MaxDepth });
        if (!reader.Read() || reader.TokenType != JsonTokenType.StartObject)
        {
            throw new JsonException("It is no JSON object.");
        }

        var buffer = new ArrayBufferWriter<byte>();
        using var rest = new Utf8JsonWriter(buffer);
        rest.WriteStartObject();
        List<Order>? orders = null;
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var isOrders = reader.ValueTextEquals("orders"u8);
            var name = isOrders ? null : reader.GetString();
            reader.Read();
            if (isOrders && reader.TokenType == JsonTokenType.StartArray)
            {
                orders = [];
                while (reader.Read() && reader.TokenType != JsonTokenType.EndArray)
                {
                    var one = Value(content, ref reader);
                    if (orders.Count <= OrderForm.MostOrders)
                    {
                        // One that cannot be read stands as none, of which OrderForm tells.
                        orders.Add(Read(one)!);
                    }
                }
            }
            else if (name is not null)
            {
                rest.WritePropertyName(name);
                rest.WriteRawValue(Value(content, ref reader));
            }
            else
            {
                reader.Skip();
            }
        }

        rest.WriteEndObject();
        rest.Flush();
        return (buffer.WrittenSpan.ToArray(), orders);
    }

    private static Order? Read(ReadOnlySpan<byte> content)
    {
        try
        {
            return MessageForm.Read<Order>(content);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static ReadOnlySpan<byte> Value(ReadOnlySpan<byte> content, ref Utf8JsonReader reader)
    {
        var start = (int)reader.TokenStartIndex;
        reader.Skip();
        return content[start..(int)reader.BytesConsumed];
    }
}
