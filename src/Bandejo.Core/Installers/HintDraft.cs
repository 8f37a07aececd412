using System.Globalization;
using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>Bytes by which files of one sort are known.</summary>
/// <param name="Look">Where they stand, as a hint says it.</param>
/// <param name="InWords">What they are, for people; may be empty where they are no text.</param>
public sealed record HintMark(string System, string Look, IReadOnlyList<byte> Bytes, string InWords);

/// <summary>Makes a hint of files of which a person knows how they are silent.</summary>
public static class HintDraft
{
    private const int Longest = 24;
    private const int Shortest = 8;
    private const int MostComment = 300;

    /// <summary>Beginnings that files of all sorts have: archives, databases, images, and nothing at all.</summary>
    private static readonly byte[][] Common = [
        [0x50, 0x4B], [0x37, 0x7A, 0xBC, 0xAF], [.. "MSCF"u8], [.. "Rar!"u8], [0xD0, 0xCF, 0x11, 0xE0], [0x1F, 0x8B], [.. "BZh"u8], [0xFD, 0x37, 0x7A, 0x58],
        [0x28, 0xB5, 0x2F, 0xFD], [0, 0, 0, 0], [0x89, 0x50, 0x4E, 0x47]];

    /// <summary>
    /// What all files have in common where their sort of setup leaves its mark: what is appended to a program begins with it, or a script's own words stand at
    /// its beginning.
    /// </summary>
    /// <returns>A failure of kind <see cref="ErrorKind.Invalid"/> where there is nothing that only they would have.</returns>
    public static Outcome<HintMark> MarkOf(IReadOnlyList<(string Name, Stream Content)> files, ReadingBudget budget)
    {
        var found = new List<(string System, string Look, byte[] Bytes)>();
        foreach (var (name, content) in files)
        {
            try
            {
                if (Beginning(new Window(content, budget)) is not { } beginning)
                {
                    return Wrong($"Nothing is appended to {name}, and it is no script: there is no place where its sort of setup would leave a mark");
                }

                found.Add(beginning);
            }
            catch (Exception error) when (error is BrokenFileException or SpentException)
            {
                return Wrong($"{name} cannot be read: {error.Message}");
            }
        }

        var (system, look, first) = found[0];
        var length = found.Min(each => each.System == system ? each.Bytes.AsSpan().CommonPrefixLength(first) : 0);
        var bytes = first[..Math.Min(length, look == "head" ? MostComment : Longest)];
        if (bytes.Length < Shortest || Common.Any(mark => bytes.AsSpan().StartsWith(mark)) || bytes.Distinct().Count() < 4)
        {
            return Wrong(files.Count > 1 ? "The files have no mark in common" : "What is appended to it begins as files of all sorts do, and marks nothing");
        }

        return new HintMark(system, look, bytes, bytes.All(each => each is >= 32 and < 127) ? Encoding.ASCII.GetString(bytes) : "");

        static Failure Wrong(string why) => new(ErrorKind.Invalid, $"{why}. Write a hint by hand, with bytes that only such setups have.");
    }

    /// <summary>The hint as a file of hints has it.</summary>
    /// <param name="name">What sort of setup it is, in plain words.</param>
    /// <param name="install">The words behind its name that install without asking.</param>
    public static string Write(HintMark mark, string name, IReadOnlyList<string> install, string from)
    {
        var yaml = new StringBuilder();
        yaml.Append(CultureInfo.InvariantCulture, $"\n# Taken from {Line(from)}{(mark.InWords.Length == 0 ? "" : $"; the bytes are: {Line(mark.InWords)}")}\n");
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"- name: {ManifestDraft.Quoted(name)}\n  system: {mark.System}\n  look: {mark.Look}\n  bytes: "
                + $"'{string.Join(' ', mark.Bytes.Select(each => each.ToString("X2", CultureInfo.InvariantCulture)))}'\n");
        yaml.Append(CultureInfo.InvariantCulture, $"  install: [{string.Join(", ", install.Select(ManifestDraft.Quoted))}]\n");
        return yaml.ToString();
    }

    private static string Line(string text) => string.Concat(text.Select(sign => char.IsControl(sign) ? ' ' : sign));

    private static (string System, string Look, byte[] Bytes)? Beginning(Window file)
    {
        var head = file.Some(0, 4096);
        if (head is [(byte)'M', (byte)'Z', ..])
        {
            var program = new PortableExecutable(file);
            return program.OverlayEnd - program.OverlayAt < Shortest ? null : ("windows", "overlay", file.Some(program.OverlayAt, Longest));
        }

        // The second line of a script says mostly what has made it.
        return !ScriptReader.Is(head) || head.AsSpan().IndexOf((byte)'\n') is not (>= 0 and var end)
            || head.AsSpan(end + 1).IndexOf((byte)'\n') is not (>= 0 and var length)
            ? null
            : ("linux", "head", head[(end + 1)..(end + 1 + length)]);
    }
}
