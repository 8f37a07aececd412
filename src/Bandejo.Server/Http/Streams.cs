using System.Buffers;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using CsvHelper;

namespace Bandejo.Server.Http;

/// <summary>
/// Long answers that go out while they are made, so that their length costs no memory. They are made of something that stands still, and nobody waits for
/// whoever reads them slowly.
/// </summary>
internal static class Streams
{
    private const int RowsAtOnce = 500;
    private const int BytesAtOnce = 64 * 1024;

    /// <summary>Rows as CSV (RFC 4180); what a spreadsheet would take for a formula is written so that it does not.</summary>
    public static IResult Csv(string[] header, IEnumerable<string[]> rows) => new Streamed("text/csv; charset=utf-8", async response =>
    {
        foreach (var some in rows.Prepend(header).Chunk(RowsAtOnce))
        {
            using var text = new StringWriter(CultureInfo.InvariantCulture);
            using (var csv = CsvWriter.Create(text, new CsvWriterOptions { Injection = CsvInjection.Escape }))
            {
                foreach (var row in some)
                {
                    csv.WriteRecord(row);
                }
            }

            await response.WriteAsync(text.ToString(), response.HttpContext.RequestAborted);
        }
    });

    /// <summary>Lines of text in UTF-8.</summary>
    public static IResult Lines(string type, IEnumerable<ReadOnlyMemory<byte>> lines) => new Streamed(type, async response =>
    {
        foreach (var some in lines.Chunk(RowsAtOnce))
        {
            foreach (var line in some)
            {
                response.BodyWriter.Write(line.Span);
                response.BodyWriter.Write("\n"u8);
            }

            await response.BodyWriter.FlushAsync(response.HttpContext.RequestAborted);
        }
    });

    /// <summary>Everything on one page, in the form of <see cref="Contract.Api.Page{T}"/>.</summary>
    public static IResult Page<T>(IEnumerable<T> items, JsonTypeInfo<T> form) => new Streamed("application/json; charset=utf-8", async response =>
    {
        await using var json = new Utf8JsonWriter(response.BodyWriter);
        var total = 0;
        json.WriteStartObject();
        json.WriteStartArray("items"u8);
        foreach (var item in items)
        {
            JsonSerializer.Serialize(json, item, form);
            total++;
            if (json.BytesPending > BytesAtOnce)
            {
                json.Flush();
                await response.BodyWriter.FlushAsync(response.HttpContext.RequestAborted);
            }
        }

        json.WriteEndArray();
        json.WriteNull("next"u8);
        json.WriteNumber("total"u8, total);
        json.WriteEndObject();
        json.Flush();
        await response.BodyWriter.FlushAsync(response.HttpContext.RequestAborted);
    });

    /// <summary>A moment as it stands in a file for people and spreadsheets: UTC, to the second.</summary>
    public static string Instant(DateTimeOffset at) => at.ToUniversalTime().ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture);

    private sealed class Streamed(string type, Func<HttpResponse, Task> write) : IResult
    {
        public Task ExecuteAsync(HttpContext httpContext)
        {
            httpContext.Response.ContentType = type;
            return write(httpContext.Response);
        }
    }
}
