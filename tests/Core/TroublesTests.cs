using System.IO.Compression;
using System.Net.Sockets;
using System.Text.Json;
using System.Xml.Linq;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>What goes wrong is told in our words, whichever library it went wrong in.</summary>
public sealed class TroublesTests
{
    public static TheoryData<string, string> Cases => new()
    {
        { "no file", "there is no file /nowhere-at-all" },
        { "no folder", "there is no folder for /nowhere-at-all/file" },
        { "a folder", "/ may not be used so by whoever runs this, or is a folder" },
        { "no JSON", "it is not JSON (line 1, column 2)" },
        { "other JSON", "what stands there is of another kind than belongs there (line 1, column 6)" },
        { "JSON that lacks something", "it lacks Key, Value (line 1, column 3)" },
        { "no ZIP", "it is cut short or damaged" },
        { "no XML", "it is not XML (line 1, column 1)" },
        { "nobody listens", "nothing listens" },
        { "ours", "The sentence is ours" },
    };

    [Theory]
    [MemberData(nameof(Cases))]
    public void It_is_told_in_our_words(string what, string says) => Assert.Equal(says, Troubles.InWords(Happens(what)));

    [Fact]
    public void As_a_sentence_it_begins_large_and_ends() => Assert.Equal("There is no file /nowhere-at-all.", Troubles.AsSentence(Happens("no file")));

    private static Exception Happens(string what) => Assert.ThrowsAny<Exception>(() => what switch
    {
        "no file" => File.ReadAllText("/nowhere-at-all"),
        "no folder" => File.ReadAllText("/nowhere-at-all/file"),
        "a folder" => File.ReadAllText("/"),
        "no JSON" => JsonSerializer.Deserialize<JsonElement>("{nonsense").ToString(),
        "other JSON" => JsonSerializer.Deserialize<int>("\"abc\"").ToString(System.Globalization.CultureInfo.InvariantCulture),
        "JSON that lacks something" => JsonSerializer.Deserialize<Needs>("{}")!.Key,
        "no ZIP" => new ZipArchive(new MemoryStream([1, 2, 3])).ToString(),
        "no XML" => XElement.Parse("<a>").ToString(),
        "nobody listens" => throw new HttpRequestException("x", new SocketException((int)SocketError.ConnectionRefused)),
        _ => throw new InvalidOperationException("The sentence is ours."),
    });

    private sealed record Needs
    {
        public required string Key { get; init; }

        public required string Value { get; init; }
    }
}
