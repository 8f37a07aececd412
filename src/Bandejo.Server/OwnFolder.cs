namespace Bandejo.Server;

/// <summary>Folders and files that are for the service's own account alone, also as copies.</summary>
internal static partial class OwnFolder
{
    private const UnixFileMode OwnFile = UnixFileMode.UserRead | UnixFileMode.UserWrite;

    /// <summary>From now on no file that the service makes is for others, whoever makes it: the database, its journal, content and logs too.</summary>
    /// <param name="data">The data folder. What earlier versions left open in it is closed.</param>
    public static void CloseToOthers(string data)
    {
        if (OperatingSystem.IsWindows())
        {
            return;
        }

        _ = Mask(0x3F);
        Make(data);
        foreach (var file in Directory.EnumerateFiles(data))
        {
            File.SetUnixFileMode(file, OwnFile);
        }
    }

    /// <summary>Makes a folder where it is not there, and closes it to others.</summary>
    public static string Make(string folder)
    {
        Directory.CreateDirectory(folder);
        if (!OperatingSystem.IsWindows())
        {
            File.SetUnixFileMode(folder, OwnFile | UnixFileMode.UserExecute);
        }

        return folder;
    }

    /// <summary>Writes a file whole, durable, and closed to others.</summary>
    public static void Write(string file, string text)
    {
        var options = new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows())
        {
            options.UnixCreateMode = OwnFile;
        }

        using (var stream = new FileStream(file + ".part", options))
        {
            stream.Write(System.Text.Encoding.UTF8.GetBytes(text));
            stream.Flush(flushToDisk: true);
        }

        File.Move(file + ".part", file, overwrite: true);
    }

    // umask(2)
    [System.Runtime.InteropServices.LibraryImport("libc", EntryPoint = "umask")]
    private static partial uint Mask(uint mask);
}
