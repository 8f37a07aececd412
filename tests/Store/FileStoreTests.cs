using System.Security.Cryptography;
using System.Text;
using Bandejo.Core;
using Bandejo.Store;
using Xunit;

namespace Bandejo.Store.Tests;

public sealed class FileStoreTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-files").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Content_is_found_by_its_digest_and_kept_once()
    {
        var store = new FileStore(_folder);
        var digest = store.Keep("foldline"u8.ToArray());
        Assert.Equal(Convert.ToHexStringLower(SHA256.HashData("foldline"u8)), digest);
        Assert.Equal("foldline", File.ReadAllText(store.Find(digest)!));
        Assert.True(store.Keep(digest, _ => throw new InvalidOperationException("It is there already and must not be written again.")).Ok);
        Assert.Null(store.Find(new string('0', 64)));
    }

    [Fact]
    public void What_could_not_be_written_whole_does_not_appear()
    {
        var store = new FileStore(_folder);
        var digest = new string('a', 64);
        var outcome = store.Keep(digest, stream =>
        {
            stream.Write("half"u8);
            return new Failure(ErrorKind.Invalid, "cut short");
        });
        Assert.Equal("cut short", outcome.Failure!.Message);
        Assert.Throws<IOException>(() => store.Keep(digest, stream =>
        {
            stream.Write("half"u8);
            throw new IOException("disk full");
        }));
        Assert.Null(store.Find(digest));
        Assert.Empty(Directory.GetFiles(_folder, "*.part", SearchOption.AllDirectories));
    }

    [Fact]
    public async Task An_upload_goes_on_only_where_it_stands()
    {
        var store = new FileStore(_folder);
        store.BeginUpload("u1");
        Assert.Equal(4, (await store.Append("u1", 0, 10, Body("abcd"), default)).Value);
        Assert.Contains("stands at 4", (await store.Append("u1", 0, 10, Body("abcd"), default)).Failure!.Message);
        Assert.Equal(ErrorKind.TooMuch, (await store.Append("u1", 4, 10, Body("efghijkl"), default)).Failure!.Kind);
        Assert.Equal(ErrorKind.TooMuch, (await store.Append("u1", 4, 3, Body("e"), default)).Failure!.Kind);
        store.BeginUpload("u1");
        Assert.Equal(4, store.UploadOffset("u1"));
        Assert.Equal(ErrorKind.NotFound, (await store.Append("u2", 0, 10, Body("a"), default)).Failure!.Kind);
    }

    [Fact]
    public async Task Pieces_of_any_size_lie_one_after_the_other_with_their_digest()
    {
        var store = new FileStore(_folder);
        store.BeginUpload("u3");
        var content = new byte[(5 << 20) + 123];
        new Random(3).NextBytes(content);
        var at = 0;
        foreach (var end in new[] { 1 << 20, (1 << 20) + 7, (3 << 20) + 4096, 4 << 20, content.Length })
        {
            Assert.Equal(end, (await store.Append("u3", at, content.Length, new MemoryStream(content, at, end - at), default)).Value);
            at = end;
        }

        await using var kept = store.OpenUpload("u3");
        var read = new byte[kept.Length];
        await kept.ReadExactlyAsync(read);
        Assert.Equal(content, read);
        Assert.Equal(Convert.ToHexStringLower(SHA256.HashData(content)), store.DigestOfUpload("u3"));
    }

    [Theory]
    [InlineData("../x")]
    [InlineData("a/b")]
    [InlineData("")]
    public void A_name_that_could_climb_is_never_used(string name) => Assert.Throws<ArgumentException>(() => new FileStore(_folder).UploadOffset(name));

    private static MemoryStream Body(string text) => new(Encoding.ASCII.GetBytes(text));
}
