using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Server.Packages;
using Bandejo.Store;

namespace Bandejo.Server.Bench;

/// <summary>
/// What was begun and is no package yet: uploads, and drafts with their files. There is room for so much of it for each person, and for so much in all.
/// </summary>
internal sealed class Unfinished(FileStore files, BenchFolder bench, PackageOptions options)
{
    private readonly Lock _lock = new();
    private readonly Dictionary<string, (string By, long Size)> _uploads = new(StringComparer.Ordinal);

    /// <summary>Why an upload may not be begun; null where it may, and then it counts from now on.</summary>
    /// <param name="id">The upload.</param>
    /// <param name="by">Whose it is.</param>
    /// <param name="size">What it will have when it is whole, in bytes.</param>
    public Failure? Upload(string id, string by, long size)
    {
        lock (_lock)
        {
            foreach (var gone in _uploads.Keys.Where(each => each != id && files.UploadOffset(each) is null).ToList())
            {
                _uploads.Remove(gone);
            }

            _uploads.Remove(id);
            if (Against(by, size) is { } against)
            {
                return against;
            }

            _uploads[id] = (by, size);
            return null;
        }
    }

    /// <summary>Why a draft may not get another file; null where it may.</summary>
    /// <param name="by">Whose draft it is.</param>
    /// <param name="size">The file's, in bytes.</param>
    public Failure? Draft(string by, long size)
    {
        lock (_lock)
        {
            return Against(by, size);
        }
    }

    private Failure? Against(string by, long size)
    {
        var drafts = bench.All().Select(id => bench.Read(id)).OfType<string>().Select(text => System.Text.Json.JsonSerializer.Deserialize<KeptDraft>(text)!)
            .Select(draft => (draft.By, Size: draft.Files.Sum(file => file.Size))).ToList();
        var own = _uploads.Values.Where(each => each.By == by).Sum(each => each.Size) + drafts.Where(draft => draft.By == by).Sum(draft => draft.Size);
        var all = files.UnfinishedBytes() + drafts.Sum(draft => draft.Size);
        return own > options.UnfinishedOfOne - size
            ? new Failure(
                ErrorKind.TooMuch,
                $"You have {Units.FormatSize(own)} of drafts and uploads that are no package yet, and there is room for "
                    + $"{Units.FormatSize(options.UnfinishedOfOne)} of one person; finish some, or clear them away.")
            : all > options.UnfinishedOfAll - size
                ? new Failure(
                    ErrorKind.TooMuch,
                    $"There are {Units.FormatSize(all)} of drafts and uploads that are no package yet, and there is room for "
                        + $"{Units.FormatSize(options.UnfinishedOfAll)}; somebody must finish some, or clear them away.")
            : null;
    }
}

/// <summary>Clears away what nobody has gone on with for long, while the service runs.</summary>
internal sealed partial class Tidying(FileStore files, BenchFolder bench, Drafts drafts, ILogger<Tidying> log) : BackgroundService
{
    /// <summary>How long an upload waits for its next piece.</summary>
    public static readonly TimeSpan UploadPatience = TimeSpan.FromDays(7);

    /// <summary>How long a draft waits for somebody.</summary>
    public static readonly TimeSpan DraftPatience = TimeSpan.FromDays(60);

    private static readonly TimeSpan Pace = TimeSpan.FromSeconds(15);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        // The times of files are the machine's, whatever clock the service goes by.
        using var timer = new PeriodicTimer(Pace);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                try
                {
                    var now = TimeProvider.System.GetUtcNow().UtcDateTime;
                    files.ForgetUploads(now - UploadPatience);
                    foreach (var id in bench.All().Where(id => bench.WrittenAt(id) < now - DraftPatience))
                    {
                        await drafts.Clear(id, null);
                    }
                }
                catch (Exception error) when (error is IOException or UnauthorizedAccessException or StoreException)
                {
                    TidyFailed(log, error);
                }
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
            // The service ends.
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "What nobody goes on with cannot be cleared away yet")]
    private static partial void TidyFailed(ILogger logger, Exception error);
}
