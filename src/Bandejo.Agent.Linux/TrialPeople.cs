using System.Runtime.InteropServices;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>Two people without rights who have nothing on a machine yet, for as long as what was installed is tried as them.</summary>
/// <param name="above">The folder that takes their own; null for a new one, which goes with them.</param>
internal sealed partial class TrialPeople(string? above)
{
    /// <summary>Numbers that no system gives by itself (adduser.conf(5): people have 1000 to 29999, systems give none of these).</summary>
    private const uint FirstNumber = 30001;

    private static readonly EnumerationOptions Everything = new()
    {
        RecurseSubdirectories = true, AttributesToSkip = FileAttributes.None, IgnoreInaccessible = true,
    };

    private static readonly string[] Names = ["first-person", "second-person"];

    private string? _made;

    private readonly List<MachinePerson> _people = [];

    /// <summary>Makes them, with an empty folder each.</summary>
    /// <returns>None, where this account cannot act as others.</returns>
    public IReadOnlyList<MachinePerson> Make()
    {
        if (!CanBeOthers())
        {
            return [];
        }

        if (above is null)
        {
            // Others may go through it, and find nothing there but what they know the name of.
            _made = Directory.CreateTempSubdirectory("bandejo-people-").FullName;
            File.SetUnixFileMode(_made, Agent.Home.OwnFolder | UnixFileMode.GroupExecute | UnixFileMode.OtherExecute);
        }

        foreach (var name in Names)
        {
            var person = new MachinePerson(name, FirstNumber + (uint)_people.Count, Path.Combine(above ?? _made!, name));
            _people.Add(person);
            Directory.CreateDirectory(person.Home, Agent.Home.OwnFolder);
            if (ChangeOwner(person.Home, person.Number, person.Number) != 0)
            {
                throw new IOException($"{person.Home} could not be given to {person.Name}.");
            }
        }

        return [.. _people];
    }

    public static IReadOnlyList<string> WrittenBy(MachinePerson person) =>
        [
            .. new DirectoryInfo(person.Home).EnumerateFileSystemInfos("*", Everything).Where(entry => entry is not DirectoryInfo { LinkTarget: null })
                .Select(entry => entry.FullName[(person.Home.Length + 1)..]).Order(StringComparer.Ordinal)];

    /// <summary>Whether a line of a list of accounts or groups is one of theirs.</summary>
    public static bool IsLine(string line) => Names.Any(name => line.StartsWith($"{name}:x:", StringComparison.Ordinal));

    public void Remove()
    {
        foreach (var person in _people.Where(person => Directory.Exists(person.Home)))
        {
            Directory.Delete(person.Home, recursive: true);
        }

        _people.Clear();
        if (_made is not null)
        {
            Directory.Delete(_made, recursive: true);
            _made = null;
        }
    }

    /// <summary>
    /// Whether this account is the system's and their numbers are any here (user_namespaces(7): a line has first inside, first outside, how many).
    /// </summary>
    private static bool CanBeOthers() =>
        Environment.IsPrivilegedProcess
            && File.ReadLines("/proc/self/uid_map").Select(line => line.Split(' ', StringSplitOptions.RemoveEmptyEntries))
                .Any(range => uint.Parse(range[0]) <= FirstNumber && ulong.Parse(range[0]) + ulong.Parse(range[2]) > FirstNumber + 1);

    [LibraryImport("libc", EntryPoint = "chown", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int ChangeOwner(string path, uint owner, uint group);
}
