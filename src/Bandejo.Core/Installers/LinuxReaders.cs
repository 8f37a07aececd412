using System.Text;
using System.Text.RegularExpressions;

namespace Bandejo.Core.Installers;

/// <summary>Reads AppImages: a Linux program (ELF) with the image of a file system behind it.</summary>
internal static class ImageReader
{
    public static bool Is(ReadOnlySpan<byte> head) =>
        head.StartsWith("\x7F"u8) && head is [0x7F, (byte)'E', (byte)'L', (byte)'F', _, _, _, _, (byte)'A', (byte)'I', 1 or 2, ..];

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.AppImage, "AppImage");
        draft.Tell(Facts.System, "linux", Certainty.Certain, "its kind");
        var (isWide, type) = (file.U8(4) == 2, file.U8(10));
        draft.Tell(
            Facts.Architecture, file.U16(18) switch { 62 => "x64", 3 => "x86", 183 => "arm64", 40 => "arm", _ => null }, Certainty.Certain,
            "header of the program itself");
        var (name, version) = InstallerNames.Guess(draft.File);
        draft.Tell(Facts.Name, name, Certainty.Guess, "name of the file");
        draft.Tell(Facts.Version, version, Certainty.Guess, "name of the file");

        // The image begins where the program's table of sections ends.
        var table = isWide ? (long)file.U64(40) : file.U32(32);
        var end = table + ((long)file.U16(isWide ? 58 : 46) * file.U16(isWide ? 60 : 48));
        if (type == 2 && !file.Has(end, "hsqs"u8))
        {
            draft.Warn("The image behind the program is not where it should begin; the file may be damaged or was packed in an unusual way.");
        }
        else if (type == 2)
        {
            draft.Tell(Facts.InstalledSize, $"{file.Length / 1024} KiB", Certainty.Certain, "it is used as it is");
            draft.Tell(Facts.Restart, "no", Certainty.Certain, "its kind");
        }

        var place = FactName(name ?? draft.File);
        draft.Command(
            "install", Certainty.Likely, "custom: one file in a folder of its own", "sh", "-c", "exec install -D --mode=755 \"$0\" \"$BANDEJO_ROOT$1\"",
            draft.File, $"/opt/{place}/{place}.AppImage");
        draft.Command(
            "remove", Certainty.Likely, "custom: one file in a folder of its own", "sh", "-c", "exec rm --recursive --force \"$BANDEJO_ROOT$0\"",
            $"/opt/{place}");
        draft.Proofs.Add(new SuggestedProof("file", $"opt/{place}/{place}.AppImage", Certainty.Likely, "where the suggested 'install' puts it"));
        draft.Ask("Its exact name, version and icon", "They stand in the image: run it with --appimage-extract '*.desktop' in a trial.");
        draft.Ask("Whether devices can mount it", "It needs FUSE at run time; without that, start it with --appimage-extract-and-run.");
    }

    private static string FactName(string name) => Rules.FactCatalog.Slug(name) is { Length: > 0 } slug ? slug : "app";
}

/// <summary>Reads shell scripts with an archive behind them.</summary>
internal static partial class ScriptReader
{
    private const int Searched = 1 << 20;

    private static readonly (byte[] Mark, string What)[] Archives =
    [
        ([0x1F, 0x8B, 0x08], "gzip"), ([0xFD, 0x37, 0x7A, 0x58, 0x5A, 0x00], "xz"), ([.. "BZh9"u8], "bzip2"), ([0x28, 0xB5, 0x2F, 0xFD], "zstd"),
        ([0x50, 0x4B, 0x03, 0x04], "ZIP"), ([0x5D, 0x00, 0x00, 0x80, 0x00], "lzma"),
    ];

    public static bool Is(ReadOnlySpan<byte> head) => head.StartsWith("#!"u8) && head[..Math.Min(head.Length, 128)].IndexOf("sh"u8) > 0;

    public static void Read(Window file, Draft draft, HintCatalog hints)
    {
        var head = file.Some(0, Searched);
        var found = Archives.Select(each => (each.What, At: head.AsSpan().IndexOf(each.Mark))).Where(each => each.At > 0).OrderBy(each => each.At)
            .FirstOrDefault();
        draft.Tell(Facts.System, "linux", Certainty.Likely, "a shell script");
        if (found.What is null)
        {
            draft.Kind = (InstallerKind.ShellArchive, "shell script");
            draft.Ask(
                "What it does", "It is a script without an archive behind it; read it. What it fetches from elsewhere must be packaged with it.", "install");
            return;
        }

        draft.Kind = (InstallerKind.ShellArchive, $"shell script with an archive behind it ({found.What})");
        var script = Encoding.Latin1.GetString(head, 0, found.At);
        var (name, version) = InstallerNames.Guess(draft.File);
        if (Label().Match(script) is { Success: true } label)
        {
            draft.Tell(Facts.Name, label.Groups[1].Value, Certainty.Likely, "label in the script");
        }

        draft.Tell(Facts.Name, name, Certainty.Guess, "name of the file");
        draft.Tell(Facts.Version, version, Certainty.Guess, "name of the file");
        if (hints.Find("linux", head.AsSpan(0, found.At), [], []) is { } hint)
        {
            draft.Tell(Facts.Setup, hint.Name, hint.Certainty, hint.Source);
            draft.Command("install", hint.Install.Count == 0 ? Certainty.Guess : hint.Certainty, hint.Source, ["sh", draft.File, .. hint.Install]);
            if (hint.Try.Length > 0)
            {
                draft.Ask("What else to know of this kind of setup", hint.Try);
            }
        }
        else
        {
            draft.Command("install", Certainty.Guess, "a shell script is run by sh", "sh", draft.File);
            draft.Ask("Which options make it silent", "Read the beginning of the script, or run it with --help in a trial.", "install");
        }

        draft.Ask("How it is removed", "Most such scripts leave a remove program beside what they installed; a trial shows it among the files.", "remove");
        if (found.What is "gzip" or "xz" or "bzip2" or "zstd")
        {
            try
            {
                using var archive = Unpacking.Open(file.Part(found.At, file.Length - found.At).Open(), found.What, file.Budget);
                TarReader.List(archive, draft, 64L << 20, file.Budget);
            }
            catch (BrokenFileException)
            {
                draft.Ask("What is inside", "The archive behind the script is none that can be listed without running it; many list themselves with --list.");
            }
        }
    }

    [GeneratedRegex("""^label="([^"\n]{1,100})"$""", RegexOptions.Multiline)]
    private static partial Regex Label();
}
