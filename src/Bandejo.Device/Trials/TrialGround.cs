namespace Bandejo.Device.Trials;

/// <summary>A file that is there and was not when the ground was clean.</summary>
/// <param name="Path">Absolute, with <c>/</c> between parts.</param>
/// <param name="Size">Bytes; 0 for what is no file.</param>
public sealed record ChangedFile(string Path, long Size);

/// <summary>The clean machine that a trial runs on.</summary>
public interface ITrialGround
{
    /// <summary>All that was made or changed since it was clean, in the order of the paths.</summary>
    IReadOnlyList<ChangedFile> Changes();

    /// <summary>What each process on it is doing, a line each: where it waits, what for.</summary>
    IReadOnlyList<string> Waiting();
}
