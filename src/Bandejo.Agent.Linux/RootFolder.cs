using System.Globalization;
using System.Runtime.InteropServices;
using Bandejo.Core.Packages;
using Microsoft.Win32.SafeHandles;

namespace Bandejo.Agent;

/// <summary>
/// Files below the folder that is the machine, for an agent that is root among users who are not: each part of a path is opened by the handle of the one
/// before,
/// so that nobody can change the way while it is walked. Links are followed only where the system account or the agent's own made them, and never out of the
/// folder; what is read is an ordinary file, never a pipe or a device that would hold the agent up.
/// </summary>
/// <param name="root">The folder, absolute.</param>
internal sealed partial class RootFolder(string root)
{
    private const int MostLinks = 40;
    private const int MostDepth = 200;

    // open(2), openat(2), statx(2) on Linux; the same on all processors that .NET runs on.
    private const int PathOnly = 0x200000;
    private const int NoFollow = 0x20000;
    private const int CloseOnExec = 0x80000;
    private const int FolderOnly = 0x10000;
    private const int Create = 0x40;
    private const int MustBeNew = 0x80;
    private const int ForWriting = 0x1;
    private const int EmptyPath = 0x1000;
    private const int RemoveFolder = 0x200;
    private const int CurrentFolder = -100;
    private const int NotThere = 2;
    private const int NoFolder = 20;
    private const uint BasicStatus = 0x7ff;

    private readonly string _root = root.Length > 1 ? root.TrimEnd('/') : root;

    /// <summary>What kind of file something is.</summary>
    private enum Kind
    {
        Other = 0,
        Folder = 0x4000,
        Ordinary = 0x8000,
        Link = 0xA000,
    }

    /// <summary>Whether a file or folder is there.</summary>
    /// <exception cref="IOException">The way to it cannot be trusted.</exception>
    public bool Exists(string path)
    {
        using var found = Find(path);
        return found is not null;
    }

    /// <summary>Opens an ordinary file for reading; null where none is there.</summary>
    /// <exception cref="IOException">It is no ordinary file, or the way to it cannot be trusted.</exception>
    public FileStream? OpenRead(string path) => Open(path, isOwn: false);

    /// <summary>
    /// As <see cref="OpenRead"/>, but only a file that belongs to the system account or the agent's own, and has no second name: what is in it was not put
    /// there by another user, nor belongs to one.
    /// </summary>
    /// <exception cref="IOException">It is another's, no ordinary file, or the way to it cannot be trusted.</exception>
    public FileStream? OpenOwn(string path) => Open(path, isOwn: true);

    /// <summary>What stands at a path, a link as a link; null where nothing does. Nothing is opened to be read, so that no pipe can hold it up.</summary>
    /// <param name="accounts">The names of the owners.</param>
    /// <exception cref="IOException">The way to it cannot be trusted.</exception>
    public DiskEntry? Look(string path, Accounts accounts)
    {
        var (folder, name) = Split(path);
        using var parent = Walk(folder, makes: false);
        using var found = parent is null ? null : OpenPath(parent, name);
        if (found is null)
        {
            return null;
        }

        var status = Status(found);
        var owner = accounts.Owner(status.Owner, status.Group);
        var mode = Convert.ToString(status.Mode & 0xFFF, 8);
        return KindOf(status) switch
        {
            Kind.Ordinary => new DiskEntry("file", status.Size, mode, owner, null),
            Kind.Folder => new DiskEntry("folder", 0, mode, owner, null),
            Kind.Link => new DiskEntry("link", 0, "", owner, TargetOf(found)),
            _ => new DiskEntry("other", 0, mode, owner, null),
        };
    }

    /// <summary>The place of a program that may be run as the system account; null where none is there.</summary>
    /// <exception cref="IOException">Another user could put another in its place.</exception>
    public string? Program(string path)
    {
        using var found = Find(path);
        if (found is null)
        {
            return null;
        }

        var status = Status(found);
        if (KindOf(status) != Kind.Ordinary || !IsTrusted(status.Owner) || (status.Mode & 0x12) != 0)
        {
            throw new IOException(
                $"/{path.TrimStart('/')} is not run: "
                    + $"{(KindOf(status) == Kind.Ordinary ? "another user could put something else in its place" : "it is no program")}");
        }

        return Path.Combine(_root, path.TrimStart('/'));
    }

    /// <summary>Writes a file anew, with the folders that lead to it; whoever looks sees the old or the new, never half.</summary>
    /// <param name="write">Writes the content.</param>
    /// <exception cref="IOException">It cannot be written there, or the way to it cannot be trusted.</exception>
    public void Write(string path, UnixFileMode mode, Action<Stream> write)
    {
        var (folder, name) = Split(path);
        using var parent = Walk(folder, makes: true) ?? throw new IOException($"The folder of /{path} cannot be made");
        var part = $".{name}.bandejo-new";
        _ = UnlinkAt(parent, part, 0);
        var handle = OpenAt(parent, part, ForWriting | Create | MustBeNew | NoFollow | CloseOnExec, (int)mode);
        if (handle < 0)
        {
            throw Failed($"/{path} cannot be written");
        }

        using (var stream = new FileStream(new SafeFileHandle(handle, ownsHandle: true), FileAccess.Write))
        {
            File.SetUnixFileMode(stream.SafeFileHandle, mode);
            write(stream);
            stream.Flush(flushToDisk: true);
        }

        if (RenameAt(parent, part, parent, name) != 0)
        {
            var failed = Failed($"/{path} cannot be put in place");
            _ = UnlinkAt(parent, part, 0);
            throw failed;
        }
    }

    /// <summary>Deletes a file, a link, or a folder with all that is in it; whether anything was there. What a link leads to stays.</summary>
    /// <exception cref="IOException">It cannot be deleted, or the way to it cannot be trusted.</exception>
    public bool Delete(string path)
    {
        var (folder, name) = Split(path);
        using var parent = Walk(folder, makes: false);
        return parent is not null && Delete(parent, name, path, 0);
    }

    private static bool Delete(SafeFileHandle parent, string name, string path, int depth)
    {
        using var found = OpenPath(parent, name);
        if (found is null)
        {
            return false;
        }

        if (KindOf(Status(found)) == Kind.Folder)
        {
            if (depth > MostDepth)
            {
                throw new IOException($"/{path} is deeper than {MostDepth} folders; it is left for a person to look at");
            }

            if (Status(found) is var own && Status(parent) is var outer && (own.DeviceMajor, own.DeviceMinor) != (outer.DeviceMajor, outer.DeviceMinor))
            {
                throw new IOException($"Another disk is mounted below /{path}; it is left alone");
            }

            foreach (var entry in Directory.EnumerateFileSystemEntries(Self(found)).Select(Path.GetFileName).ToList())
            {
                Delete(found, entry!, path, depth + 1);
            }
        }

        return UnlinkAt(parent, name, KindOf(Status(found)) == Kind.Folder ? RemoveFolder : 0) == 0 || Marshal.GetLastPInvokeError() == NotThere
            ? true
            : throw Failed($"/{path} cannot be deleted");
    }

    private FileStream? Open(string path, bool isOwn)
    {
        using var found = Find(path);
        if (found is null)
        {
            return null;
        }

        var status = Status(found);
        if (KindOf(status) != Kind.Ordinary)
        {
            throw new IOException($"/{path.TrimStart('/')} is no ordinary file");
        }

        if (isOwn && (!IsTrusted(status.Owner) || status.Links > 1))
        {
            throw new IOException(
                $"/{path.TrimStart('/')} {(status.Links > 1 ? "has a second name somewhere" : $"belongs to another user ({status.Owner})")}; it is not read");
        }

        // The handle leads to just the file that was looked at, whatever has come to its path since.
        return new FileStream(Self(found), FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
    }

    private SafeFileHandle? Find(string path) => Walk(path.TrimStart('/'), makes: false);

    /// <summary>Walks a path part by part; null where a part is not there.</summary>
    /// <param name="makes">Whether folders that are not there are made.</param>
    private SafeFileHandle? Walk(string path, bool makes)
    {
        if (path.Split('/').Contains(".."))
        {
            throw new IOException($"'{path}' climbs out of its folder");
        }

        var folders = new Stack<SafeFileHandle>();
        try
        {
            folders.Push(Handle(OpenAt(CurrentFolder, _root, PathOnly | FolderOnly | CloseOnExec, 0)) ?? throw Failed(
                $"The machine's root {_root} cannot be opened"));
            var parts = new LinkedList<string>(path.Split('/', StringSplitOptions.RemoveEmptyEntries));
            var links = 0;
            while (parts.First is { Value: var part })
            {
                parts.RemoveFirst();
                if (part is "." or "..")
                {
                    // Only links bring these; they may go up as far as the root and no further.
                    if (part == ".." && folders.Count > 1)
                    {
                        folders.Pop().Dispose();
                    }

                    continue;
                }

                var next = OpenPath(folders.Peek(), part);
                if (next is null && makes && MakeAt(folders.Peek(), part, 0x1ED) == 0)
                {
                    next = OpenPath(folders.Peek(), part);
                }

                if (next is null)
                {
                    return null;
                }

                folders.Push(next);
                var status = Status(next);
                if (KindOf(status) == Kind.Link)
                {
                    if (!IsTrusted(status.Owner) || ++links > MostLinks)
                    {
                        throw new IOException(
                            links > MostLinks
                                ? $"/{path} leads over too many links"
                                : $"/{path} leads over a link that another user ({status.Owner}) has made; it is not followed");
                    }

                    var target = TargetOf(next);
                    folders.Pop().Dispose();
                    if (target.StartsWith('/'))
                    {
                        while (folders.Count > 1)
                        {
                            folders.Pop().Dispose();
                        }

                        // What an installer linked by the machine's own path is meant below the machine.
                        target = _root.Length > 1 && (target + "/").StartsWith(_root + "/", StringComparison.Ordinal) ? target[_root.Length..] : target;
                    }

                    foreach (var each in target.Split('/', StringSplitOptions.RemoveEmptyEntries).Reverse())
                    {
                        parts.AddFirst(each);
                    }
                }
                else if (KindOf(status) != Kind.Folder && parts.Count > 0)
                {
                    return null;
                }
            }

            return folders.Pop();
        }
        finally
        {
            foreach (var folder in folders)
            {
                folder.Dispose();
            }
        }
    }

    private static (string Folder, string Name) Split(string path)
    {
        path = path.Trim('/');
        var at = path.LastIndexOf('/');
        var name = path[(at + 1)..];
        return name is "" or "." or ".." ? throw new IOException($"'{path}' names no file") : (at < 0 ? "" : path[..at], name);
    }

    private static SafeFileHandle? OpenPath(SafeFileHandle folder, string name) =>
        Handle(OpenAt(folder, name, PathOnly | NoFollow | CloseOnExec, 0)) is { } found ? found
        : Marshal.GetLastPInvokeError() is NotThere or NoFolder ? null : throw Failed($"'{name}' cannot be looked at");

    private static SafeFileHandle? Handle(int number) => number < 0 ? null : new SafeFileHandle(number, ownsHandle: true);

    private static string Self(SafeFileHandle handle) => string.Create(CultureInfo.InvariantCulture, $"/proc/self/fd/{handle.DangerousGetHandle()}");

    private static string TargetOf(SafeFileHandle link)
    {
        var buffer = new byte[4096];
        var length = ReadLinkAt(link, "", buffer, buffer.Length);
        return length <= 0 ? throw Failed("A link cannot be read") : System.Text.Encoding.UTF8.GetString(buffer, 0, (int)length);
    }

    private static FileStatus Status(SafeFileHandle handle) =>
        StatusAt(handle, "", EmptyPath, BasicStatus, out var status) == 0 ? status : throw Failed("A file cannot be looked at");

    private static Kind KindOf(FileStatus status) => (Kind)(status.Mode & 0xF000) is var kind && Enum.IsDefined(kind) ? kind : Kind.Other;

    private static bool IsTrusted(uint owner) => owner == 0 || owner == UserNow();

    private static IOException Failed(string what) => new($"{what}: {Marshal.GetPInvokeErrorMessage(Marshal.GetLastPInvokeError())}");

    /// <summary>What statx(2) fills in, as far as it is looked at.</summary>
    [StructLayout(LayoutKind.Explicit, Size = 256)]
    private struct FileStatus
    {
        [FieldOffset(16)]
        public uint Links;

        [FieldOffset(20)]
        public uint Owner;

        [FieldOffset(24)]
        public uint Group;

        [FieldOffset(28)]
        public ushort Mode;

        [FieldOffset(40)]
        public long Size;

        [FieldOffset(136)]
        public uint DeviceMajor;

        [FieldOffset(140)]
        public uint DeviceMinor;
    }

    [LibraryImport("libc", EntryPoint = "openat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int OpenAt(int folder, string path, int flags, int mode);

    [LibraryImport("libc", EntryPoint = "openat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int OpenAt(SafeFileHandle folder, string path, int flags, int mode);

    [LibraryImport("libc", EntryPoint = "mkdirat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int MakeAt(SafeFileHandle folder, string path, uint mode);

    [LibraryImport("libc", EntryPoint = "unlinkat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int UnlinkAt(SafeFileHandle folder, string path, int flags);

    [LibraryImport("libc", EntryPoint = "renameat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int RenameAt(SafeFileHandle folder, string path, SafeFileHandle newFolder, string newPath);

    [LibraryImport("libc", EntryPoint = "readlinkat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial nint ReadLinkAt(SafeFileHandle link, string path, [Out] byte[] buffer, nint size);

    [LibraryImport("libc", EntryPoint = "statx", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int StatusAt(SafeFileHandle handle, string path, int flags, uint mask, out FileStatus status);

    [LibraryImport("libc", EntryPoint = "geteuid")]
    private static partial uint UserNow();
}
