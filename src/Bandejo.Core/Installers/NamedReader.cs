namespace Bandejo.Core.Installers;

/// <summary>
/// Names files that are no installers by what they are, so that nobody wonders: disk images, archives that are not listed here, scripts without a first line.
/// </summary>
internal static class NamedReader
{
    private static readonly (int At, byte[] Mark, string What, string Try)[] Marks =
    [
        (
            0, [.. "MSWIM\0\0\0"u8], "image of a Windows system (WIM)",
            "It is laid upon a disk before Windows runs; it is nothing that a running device installs."),
        (0, [.. "vhdxfile"u8], "disk of a virtual machine (VHDX)", "Mount it and inspect what is on it."),
        (0, [(byte)'Q', (byte)'F', (byte)'I', 0xFB], "disk of a virtual machine (QCOW2)", "Mount it and inspect what is on it."),
        (0, [.. "hsqs"u8], "image of a file system (SquashFS)", "List it with unsquashfs -l; what is inside is inspected after unpacking."),
        (0, [.. "Rar!\x1A\x07"u8], "RAR archive", "Unpack it and inspect the folder: setups inside are found there."),
    ];

    /// <summary>Says what a file is where a mark or its name tells; false where neither does.</summary>
    public static bool Read(Window file, Draft draft)
    {
        foreach (var (at, mark, what, advice) in Marks)
        {
            if (file.Has(at, mark))
            {
                Tell(draft, InstallerKind.Image, what, advice);
                return true;
            }
        }

        // A macOS disk image is known by its end: 512 bytes that begin with 'koly'.
        if (file.Has(file.Length - 512, "koly"u8))
        {
            draft.Tell(Facts.System, "macos", Certainty.Certain, "its kind");
            Tell(
                draft, InstallerKind.Image, "macOS disk image",
                "Attach it (hdiutil attach -nobrowse FILE) and inspect what is on it: a .pkg is installed, an .app is copied.");
            return true;
        }

        var head = file.Some(0, 4096);
        if (head.AsSpan().IndexOf((byte)0) >= 0)
        {
            return false;
        }

        switch (Path.GetExtension(draft.File).ToLowerInvariant())
        {
            case ".ps1":
                Script(draft, "PowerShell script", "windows", "powershell", "-NoProfile", "-NonInteractive", "-ExecutionPolicy", "Bypass", "-File", draft.File);
                return true;
            case ".bat" or ".cmd":
                Script(draft, "batch file", "windows", "cmd", "/c", draft.File);
                return true;
            case ".sh":
                Script(draft, "shell script", "linux", "sh", draft.File);
                return true;
            default:
                return false;
        }
    }

    private static void Script(Draft draft, string what, string system, params string[] run)
    {
        draft.Kind = (InstallerKind.ShellArchive, what);
        draft.Tell(Facts.System, system, Certainty.Likely, "its kind");
        draft.Command("install", Certainty.Guess, "how such a script is run", run);
        draft.Ask(
            "What it does", "It is a script; read it. What it fetches from elsewhere must be packaged with it, and nobody can answer what it asks.", "install");
    }

    private static void Tell(Draft draft, InstallerKind kind, string what, string advice)
    {
        draft.Kind = (kind, what);
        var (name, version) = InstallerNames.Guess(draft.File);
        draft.Tell(Facts.Name, name, Certainty.Guess, "name of the file");
        draft.Tell(Facts.Version, version, Certainty.Guess, "name of the file");
        draft.Ask("How it is installed", advice, "install");
    }
}
