using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>
/// Lists cabinets: their header and the entries of their files (Microsoft's published cabinet format, CFHEADER and CFFILE). Nothing is unpacked.
/// </summary>
internal static class CabinetReader
{
    private const int LongestName = 257;

    public static bool Is(ReadOnlySpan<byte> head) => head.StartsWith("MSCF\0\0\0\0"u8);

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.Cabinet, "cabinet");
        draft.Tell(Facts.System, "windows", Certainty.Likely, "its kind");
        var (name, version) = InstallerNames.Guess(draft.File);
        draft.Tell(Facts.Name, name, Certainty.Guess, "name of the file");
        draft.Tell(Facts.Version, version, Certainty.Guess, "name of the file");
        var (at, files) = ((long)file.U32(16), file.U16(28));
        if ((file.U16(30) & 3) != 0)
        {
            draft.Warn("It is one of several that belong together; what begins or ends in another is not whole here.");
        }

        for (var i = 0; i < files; i++)
        {
            file.Budget.Entry();
            var size = file.U32(at);
            var isUtf8 = (file.U16(at + 14) & 0x80) != 0;
            var text = file.Some(at + 16, LongestName);
            var end = Array.IndexOf(text, (byte)0);
            if (end < 0)
            {
                throw new BrokenFileException("the name of a file in it has no end");
            }

            draft.Contains((isUtf8 ? Encoding.UTF8 : Encoding.Latin1).GetString(text, 0, end), size);
            at += 16 + end + 1;
        }

        draft.Ask(
            "How it is installed",
            "A cabinet says nothing of it. One with an update of Windows is taken by: dism /online /add-package /packagepath:FILE /quiet /norestart; others "
                + "are unpacked with expand, and what is inside is inspected.",
            "install");
    }
}
