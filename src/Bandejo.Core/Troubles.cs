using System.Globalization;
using System.Net.Http;
using System.Net.Sockets;
using System.Security.Authentication;
using System.Text.Json;
using System.Text.RegularExpressions;
using System.Xml;

namespace Bandejo.Core;

/// <summary>
/// What went wrong with a file, the network or a text, in our words. Libraries speak of their types and parts to whoever writes programs; what people read is
/// said here, in one place.
/// </summary>
public static partial class Troubles
{
    private const int NoSpace = 28;
    private const int ReadOnly = 30;
    private const int NameTooLong = 36;

    /// <summary>The reason as it stands behind a colon: without a full stop, small at its beginning.</summary>
    public static string InWords(Exception error) => error switch
    {
        FileNotFoundException { FileName: { Length: > 0 } file } => $"there is no file {file}",
        DirectoryNotFoundException => $"there is no folder for {Path(error)}",
        UnauthorizedAccessException => $"{Path(error)} may not be used so by whoever runs this, or is a folder",
        HttpRequestException { StatusCode: { } status } => $"it answered with status {(int)status}",
        HttpIOException { HttpRequestError: HttpRequestError.ResponseEnded } => "the connection was cut before it answered",
        HttpRequestException { InnerException: { } inner } => InWords(inner),
        AuthenticationException => error.Message.TrimEnd('.'),
        SocketException socket => Socket(socket),
        JsonException json => $"{Json(json)}{(json.LineNumber is { } line ? Place(line + 1, (json.BytePositionInLine ?? 0) + 1) : "")}",
        XmlException { Message: var told } when told.Contains("DTD", StringComparison.Ordinal) => "it defines or fetches something, which is not followed",
        XmlException xml => $"it is not XML{(xml.LineNumber > 0 ? Place(xml.LineNumber, xml.LinePosition) : "")}",
        InvalidDataException { Source: "System.IO.Compression" } or EndOfStreamException => "it is cut short or damaged",
        IOException { HResult: NoSpace } => "the disk is full",
        IOException { HResult: ReadOnly } => "it can only be read there",
        IOException { HResult: NameTooLong } => "its name is too long",
        _ => error.Message.TrimEnd('.'),
    };

    /// <summary>The same as a sentence of its own.</summary>
    public static string AsSentence(Exception error) => InWords(error) is { Length: > 0 } words ? $"{char.ToUpperInvariant(words[0])}{words[1..]}." : "";

    private static string Json(JsonException error)
    {
        // Of a text that is JSON, but not what belongs there, only these two forms are told.
        var lacks = Lacks().Match(error.Message);
        return lacks.Success ? $"it lacks {lacks.Groups[1].Value.Replace("'", "", StringComparison.Ordinal)}"
            : error.Message.StartsWith("The JSON value could not", StringComparison.Ordinal) ? "what stands there is of another kind than belongs there"
            : "it is not JSON";
    }

    private static string Place(long line, long column) => string.Create(CultureInfo.InvariantCulture, $" (line {line}, column {column})");

    private static string Socket(SocketException error) => error.SocketErrorCode switch
    {
        SocketError.ConnectionRefused => "nothing listens",
        SocketError.HostNotFound or SocketError.NoData => "there is no machine of that name",
        SocketError.TryAgain => "names cannot be looked up now",
        SocketError.ConnectionReset or SocketError.Shutdown => "the connection was cut",
        SocketError.TimedOut => "nobody answers there",
        SocketError.NetworkUnreachable or SocketError.HostUnreachable => "no way leads there",
        _ => error.Message.TrimEnd('.'),
    };

    private static string Path(Exception error) => Quoted().Match(error.Message) is { Success: true } path ? path.Groups[1].Value : "it";

    [GeneratedRegex("'([^']+)'")]
    private static partial Regex Quoted();

    [GeneratedRegex("missing required properties including: (.+?)\\.?$")]
    private static partial Regex Lacks();
}
