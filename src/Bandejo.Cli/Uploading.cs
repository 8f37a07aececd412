using System.Security.Cryptography;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary>
/// Sends a file in pieces. A piece that was lost on the way is sent again from where the service stands; an upload that was begun earlier goes on.
/// </summary>
internal static class Uploading
{
    private const int Tries = 9;

    /// <summary>Sends all of the file and returns the upload's identity.</summary>
    /// <param name="digest">The file's digest where it is known; it is taken first where it is not.</param>
    public static async Task<string> Send(Client client, FileStream file, string? digest, Action<long> advance, CancellationToken cancellation) =>
        await Send(
            client, file, digest ?? Convert.ToHexStringLower(await SHA256.HashDataAsync(file, cancellation)), (_, _) => Task.CompletedTask, advance,
            cancellation);

    /// <summary>Sends all of the file while its digest is taken.</summary>
    /// <param name="name">As <see cref="NameOf"/> gives it.</param>
    public static async Task<(string Upload, string Sha256)> SendAndHash(
        Client client, FileStream file, string name, Action<long> advance, CancellationToken cancellation)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        long hashed = 0;
        var upload = await Send(client, file, name, Take, advance, cancellation);
        await Hashed(file.Length);
        return (upload, Convert.ToHexStringLower(hash.GetHashAndReset()));

        async Task Take(long offset, ReadOnlyMemory<byte> piece)
        {
            // After a lost connection, or on a second run, the service may stand further than what was taken here, or less far.
            await Hashed(offset);
            if (hashed < offset + piece.Length)
            {
                hash.AppendData(piece.Span[(int)(hashed - offset)..]);
                hashed = offset + piece.Length;
            }
        }

        async Task Hashed(long upTo)
        {
            if (hashed >= upTo)
            {
                return;
            }

            using var again = new FileStream(file.Name, FileMode.Open, FileAccess.Read, FileShare.Read);
            again.Position = hashed;
            var buffer = new byte[256 * 1024];
            while (hashed < upTo)
            {
                var read = await again.ReadAtLeastAsync(
                    buffer.AsMemory(0, (int)Math.Min(buffer.Length, upTo - hashed)), 1, throwOnEndOfStream: true, cancellation);
                hash.AppendData(buffer, 0, read);
                hashed += read;
            }
        }
    }

    /// <summary>
    /// What a file is called while its digest is not known; the same as long as it does not change, so that sending it goes on where it stood.
    /// </summary>
    public static string NameOf(FileInfo file) =>
        Convert.ToHexStringLower(SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(string.Create(
            System.Globalization.CultureInfo.InvariantCulture, $"{Environment.MachineName}\n{file.FullName}\n{file.Length}\n{file.LastWriteTimeUtc.Ticks}"))));

    private static async Task<string> Send(
        Client client, FileStream file, string name, Func<long, ReadOnlyMemory<byte>, Task> take, Action<long> advance, CancellationToken cancellation)
    {
        long shown = 0;
        var upload = await Begin();
        Show(upload.Offset);
        for (var failures = 0; upload.Offset < upload.Size;)
        {
            var offset = upload.Offset;
            try
            {
                upload = failures > 0 ? await Begin() : upload;
                // Where a part of the last piece came through, the way is slow or shaky, but there is one.
                failures = upload.Offset > offset ? 0 : failures;
                offset = upload.Offset;
                if (offset == upload.Size)
                {
                    break;
                }

                upload = await client.Patch(
                    $"/api/v1/uploads/{upload.Id}", new Piece(file, offset, take, Show), offset, ContractJson.Default.UploadInfo, cancellation);
                failures = 0;
            }
            catch (NotReachableException) when (++failures < Tries)
            {
                Show(offset);
                await Task.Delay(TimeSpan.FromSeconds(Math.Min(failures, 5)), cancellation);
            }
        }

        Show(upload.Size);
        return upload.Id;

        Task<UploadInfo> Begin() =>
            client.Post(
                "/api/v1/uploads", new UploadRequest(name, file.Length), ContractJson.Default.UploadRequest, ContractJson.Default.UploadInfo, cancellation);

        void Show(long at)
        {
            advance(at - shown);
            shown = at;
        }
    }
}

/// <summary>A piece of a file as it is sent: each block is taken in while it is on its way.</summary>
/// <param name="take">Hears each block with its offset, in their order; never two at a time, and not after the piece was sent.</param>
/// <param name="show">Hears how far into the file sending has come.</param>
internal sealed class Piece(FileStream file, long offset, Func<long, ReadOnlyMemory<byte>, Task> take, Action<long> show) : HttpContent
{
    private const int Block = 512 * 1024;

    /// <summary>How many blocks may be sent before they were taken in, so that neither stands still for the other.</summary>
    private const int Ahead = 8;

    private readonly long _length = Math.Min(ApiLimits.MaxPiece, file.Length - offset);

    protected override bool TryComputeLength(out long length)
    {
        length = _length;
        return true;
    }

    protected override Task SerializeToStreamAsync(Stream stream, System.Net.TransportContext? context) =>
        SerializeToStreamAsync(stream, context, CancellationToken.None);

    protected override async Task SerializeToStreamAsync(Stream stream, System.Net.TransportContext? context, CancellationToken cancellationToken)
    {
        var blocks = Enumerable.Range(0, Ahead).Select(_ => new byte[Block]).ToArray();
        var taken = new Task[Ahead];
        var taking = Task.CompletedTask;
        file.Position = offset;
        try
        {
            var turn = 0;
            for (long done = 0; done < _length; turn = (turn + 1) % Ahead)
            {
                await (taken[turn] ?? Task.CompletedTask);
                var part = blocks[turn].AsMemory(0, (int)Math.Min(Block, _length - done));
                await file.ReadExactlyAsync(part, cancellationToken);
                taken[turn] = taking = Taken(taking, offset + done, part);
                await stream.WriteAsync(part, cancellationToken);
                done += part.Length;
                show(offset + done);
            }
        }
        finally
        {
            await taking;
        }

        Task Taken(Task before, long at, ReadOnlyMemory<byte> part) => Task.Run(async () =>
        {
            await before;
            await take(at, part);
        }, CancellationToken.None);
    }
}

/// <summary>Progress bars on a terminal; nothing elsewhere.</summary>
internal sealed class Progress
{
    private readonly ProgressContext? _context;

    private Progress(ProgressContext? context) => _context = context;

    public static async Task<T> Run<T>(Func<Progress, Task<T>> work)
    {
        if (Console.IsOutputRedirected || Console.IsErrorRedirected)
        {
            return await work(new Progress(null));
        }

        return await AnsiConsole.Progress().AutoClear(true)
            .Columns(new TaskDescriptionColumn(), new ProgressBarColumn(), new PercentageColumn(), new RemainingTimeColumn())
            .StartAsync(context => work(new Progress(context)));
    }

    /// <summary>A bar; call what is returned with the amount done since.</summary>
    public Action<long> Add(string name, long total)
    {
        var task = _context?.AddTask(name, maxValue: Math.Max(1, total));
        return amount => task?.Increment(amount);
    }
}
