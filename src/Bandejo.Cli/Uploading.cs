using System.Security.Cryptography;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary>Sends a file in pieces. A piece that was lost on the way is sent again from where the service stands; an upload that was begun earlier goes on.</summary>
internal static class Uploading
{
    private const int Tries = 5;

    /// <summary>Sends all of the file and returns the upload's identity.</summary>
    public static async Task<string> Send(Client client, FileStream file, Action<long> advance, CancellationToken cancellation)
    {
        var digest = Convert.ToHexStringLower(await SHA256.HashDataAsync(file, cancellation));
        var upload = await Begin();
        advance(upload.Offset);
        var piece = new byte[ApiLimits.MaxPiece];
        for (var failures = 0; upload.Offset < upload.Size;)
        {
            file.Position = upload.Offset;
            var length = await file.ReadAtLeastAsync(piece, piece.Length, throwOnEndOfStream: false, cancellation);
            try
            {
                var before = upload.Offset;
                upload = await client.Patch($"/api/v1/uploads/{upload.Id}", new MemoryStream(piece, 0, length), upload.Offset, ContractJson.Default.UploadInfo, cancellation);
                advance(upload.Offset - before);
                failures = 0;
            }
            catch (NotReachableException) when (++failures < Tries)
            {
                await Task.Delay(TimeSpan.FromSeconds(failures), cancellation);
                upload = await Begin();
            }
        }

        return upload.Id;

        Task<UploadInfo> Begin() => client.Post("/api/v1/uploads", new UploadRequest(digest, file.Length), ContractJson.Default.UploadRequest, ContractJson.Default.UploadInfo, cancellation);
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

        return await AnsiConsole.Progress().AutoClear(true).Columns(new TaskDescriptionColumn(), new ProgressBarColumn(), new PercentageColumn(), new RemainingTimeColumn())
            .StartAsync(context => work(new Progress(context)));
    }

    /// <summary>A bar; call what is returned with the amount done since.</summary>
    public Action<long> Add(string name, long total)
    {
        var task = _context?.AddTask(name, maxValue: Math.Max(1, total));
        return amount => task?.Increment(amount);
    }
}
