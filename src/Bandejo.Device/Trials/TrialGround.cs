using Bandejo.Core.Packages;

namespace Bandejo.Device.Trials;

/// <summary>Something on the disk that is other than when the ground was clean.</summary>
/// <param name="Path">Absolute, with <c>/</c> between parts; a folder, which is told only where it is empty or gone, ends with one.</param>
/// <param name="Size">Bytes; 0 for what is no file.</param>
public sealed record ChangedFile(string Path, long Size, ChangeKind Kind = ChangeKind.New);

/// <summary>The clean machine that a trial runs on.</summary>
public interface ITrialGround
{
    /// <summary>What it is, for people; begins a sentence.</summary>
    string Name { get; }

    /// <summary>All that is new, other than before, or gone, in the order of the paths. What was written again as it was is none of it.</summary>
    IReadOnlyList<ChangedFile> Changes();

    /// <summary>The text of one of <see cref="Leftovers.Read"/> when the ground was clean; null where it was not there.</summary>
    string? Before(string path);

    /// <summary>The same as it is now.</summary>
    string? Now(string path);

    /// <summary>What each process on it is doing, a line each: where it waits, what for.</summary>
    IReadOnlyList<string> Waiting();
}
