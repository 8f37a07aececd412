using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>What was decided in one go.</summary>
/// <param name="At">When.</param>
public readonly record struct LoggedPart(DateTimeOffset At, IReadOnlyList<Change> Changes);

/// <summary>Where a log ends.</summary>
/// <param name="Number">Of its last record; 0 where it has none.</param>
/// <param name="Digest">Of that one, in hexadecimal: it says what all of them are.</param>
public sealed record LogEnd(long Number, string Digest);

/// <summary>A record of the log as it is kept.</summary>
/// <param name="Number">Rises by one; 1 is the first.</param>
/// <param name="Epoch">Who wrote it: each service that begins to write has the next.</param>
/// <param name="At">When the last of it was decided.</param>
/// <param name="Digest">Of this record and, through that of the one before it, of all before it.</param>
/// <param name="Body">What happened, packed.</param>
internal sealed record LogRow(long Number, long Epoch, DateTimeOffset At, byte[] Digest, byte[] Body);

/// <summary>Targets were written ahead of the beginning of their deployment.</summary>
internal sealed record WroteAhead(long Book, IReadOnlyList<Target> Targets) : Change;

/// <summary>What was written ahead is gone: its deployment did not begin.</summary>
internal sealed record DroppedAhead(long Book) : Change;

/// <summary>The number that a device has in the tables, where the log begins with it.</summary>
internal sealed record GaveNumber(string Device, long Number) : Change;
