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

    /// <summary>What stands at a path below the root, a link as a link; null where nothing does.</summary>
    /// <param name="accounts">The names of the owners.</param>
    DiskEntry? Find(string path, Accounts accounts) => null;

    /// <summary>The text of a file as it is now; null where it is not there.</summary>
    string? Now(string path);

    /// <summary>Makes two people who have nothing on the machine yet, to try what is installed as them; what they leave is no change.</summary>
    /// <returns>Them, or why there are none, to go on with a sentence.</returns>
    (IReadOnlyList<MachinePerson> People, string WhyNone) MakePeople() => ([], "no people can be made on this machine");

    /// <summary>What lies in a person's own folder, below it.</summary>
    IReadOnlyList<string> WrittenBy(MachinePerson person) => [];

    /// <summary>Takes the people away again, with all that they have.</summary>
    void RemovePeople()
    {
        // Where none are made.
    }

    /// <summary>What each process on it is doing, a line each: where it waits, what for.</summary>
    IReadOnlyList<string> Waiting();
}
