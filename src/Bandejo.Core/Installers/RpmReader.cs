using System.Buffers.Binary;
using System.Globalization;
using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>
/// Reads RPM packages: a lead, the header of signatures, and the header with all that is declared (the RPM package format, version 4). What is packed behind it
/// is not unpacked.
/// </summary>
internal static class RpmReader
{
    private const int LeadLength = 96;
    private const int MostEntries = 20_000;
    private const int MostData = 64 << 20;
    private const int MostFiles = 500_000;

    private const int Name = 1000, Version = 1001, Release = 1002, Epoch = 1003, Summary = 1004, Size = 1009,
        Vendor = 1011, Packager = 1015, OperatingSystem = 1021, Architecture = 1022;
    private const int SignedSize = 1000;
    private const int FileSizes = 1028, Requires = 1049, FolderOf = 1116, FileNames = 1117, Folders = 1118;

    /// <summary>Scripts of the package, by their tags.</summary>
    private static readonly (int Tag, string When)[] Scripts = [
        (1023, "before it is installed"), (1024, "after it was installed"), (1025, "before it is removed"), (1026, "after it was removed")];

    public static bool Is(ReadOnlySpan<byte> head) => head.StartsWith((ReadOnlySpan<byte>)[0xED, 0xAB, 0xEE, 0xDB]);

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.Rpm, "RPM package");
        draft.Tell(Facts.System, "linux", Certainty.Certain, "its kind");
        var isSource = file.U8(7) == 1;
        var signatures = new Header(file, LeadLength);
        var header = new Header(file, (signatures.End + 7) / 8 * 8);
        const string Source = "header of the package";
        var name = header.Text(Name) ?? "";
        draft.Tell(Facts.Name, name, Certainty.Certain, Source);
        draft.Tell(Facts.Identity, name, Certainty.Certain, Source);
        var version = $"{header.Text(Version)}{(header.Text(Release) is { Length: > 0 } release ? $"-{release}" : "")}";
        draft.Tell(Facts.Version, version, Certainty.Certain, Source);
        draft.Tell(Facts.Publisher, header.Text(Vendor) is { Length: > 0 } vendor ? vendor : header.Text(Packager)?.Split('<')[0], Certainty.Certain, Source);
        draft.Tell(Facts.Summary, header.Text(Summary), Certainty.Certain, Source);
        draft.Tell(
            Facts.Architecture,
            header.Text(
                Architecture)
                switch
                {
                    "x86_64" or "amd64" => "x64", "i386" or "i486" or "i586" or "i686" => "x86", "aarch64" => "arm64", "noarch" => "any", var other => other,
                },
            Certainty.Certain, Source);
        draft.Tell(Facts.Restart, "no", Certainty.Likely, "its kind");
        if (header.Numbers(Size).FirstOrDefault() is > 0 and var bytes)
        {
            draft.Tell(Facts.InstalledSize, string.Create(CultureInfo.InvariantCulture, $"{bytes / 1024} KiB"), Certainty.Certain, Source);
        }

        if (header.Numbers(Epoch).FirstOrDefault() is > 0 and var epoch)
        {
            draft.Warn(string.Create(
                CultureInfo.InvariantCulture,
                $"It carries the epoch {epoch}, by which the system counts it as newer than any version without one; the version here is the one without "
                    + $"it, as the suggested proof asks for it."));
        }

        if (isSource)
        {
            draft.Warn("It is a package of sources, to be built; devices take the packages that are built from it.");
        }

        if (header.Text(OperatingSystem) is { Length: > 0 } system && system != "linux")
        {
            draft.Warn($"It is for the system '{system}'.");
        }

        Content(header, draft);
        foreach (
            var needed in header.Texts(Requires).Where(each => each.Length > 0 && each[0] != '/' && !each.Contains('(', StringComparison.Ordinal))
                .Distinct(StringComparer.Ordinal).Take(60))
        {
            draft.Nested.Add(new NestedInstaller(needed, 0, "an RPM package that it asks for"));
        }

        foreach (var (_, when) in Scripts.Where(each => header.Text(each.Tag) is { Length: > 0 }))
        {
            draft.Conditions.Add($"runs a script of its own {when}");
        }

        draft.Command(
            "install", Certainty.Certain, "RPM's own tool", "sh", "-c", "exec rpm --root \"$BANDEJO_ROOT\" --upgrade --replacepkgs \"$0\"", draft.File);
        if (name.Length > 0)
        {
            draft.Command("remove", Certainty.Certain, "RPM's own tool", "sh", "-c", "exec rpm --root \"$BANDEJO_ROOT\" --erase \"$0\"", name);
            draft.Proofs.Add(new SuggestedProof(
                "command", $"rpm --query --queryformat %{{version}}-%{{release}} {name}", Certainty.Certain, "the system lists it under that name"));
        }

        var said = signatures.Numbers(SignedSize).FirstOrDefault();
        if (said > file.Length - header.Start)
        {
            throw new BrokenFileException($"behind its signatures it says that it has {said:N0} bytes, and has {file.Length - header.Start:N0}");
        }

        if (draft.Nested.Count > 0)
        {
            draft.Ask(
                draft.Nested.Count == 1
                    ? "Whether the package it asks for is on every device"
                    : $"Whether the {draft.Nested.Count} packages it asks for are on every device",
                "rpm fetches nothing. Where dnf may be used, put [dnf, install, --assumeyes, ./FILE] into the 'install' step.");
        }
    }

    private static void Content(Header header, Draft draft)
    {
        var folders = header.Texts(Folders);
        var (names, places, sizes) = (header.Texts(FileNames), header.Numbers(FolderOf), header.Numbers(FileSizes));
        for (var i = 0; i < Math.Min(names.Count, MostFiles); i++)
        {
            var folder = i < places.Count && places[i] >= 0 && places[i] < folders.Count ? folders[(int)places[i]] : "";
            draft.Contains((folder + names[i]).TrimStart('/'), i < sizes.Count ? sizes[i] : 0);
        }

        if (names.Count > MostFiles)
        {
            draft.ContainsMore();
        }
    }

    /// <summary>A header: an index of entries and the data that they lead into.</summary>
    private sealed class Header
    {
        private const int Entry = 16;

        private readonly Dictionary<int, (int Type, int Offset, int Count)> _entries = [];
        private readonly byte[] _data;
        private readonly ReadingBudget _budget;

        /// <exception cref="BrokenFileException">There is none at that place, or it says what cannot be.</exception>
        public Header(Window file, long at)
        {
            (_budget, Start) = (file.Budget, at);
            if (!file.Has(at, [0x8E, 0xAD, 0xE8, 0x01]))
            {
                throw new BrokenFileException("it has no header where one should begin");
            }

            var (entries, length) = (BinaryPrimitives.ReadUInt32BigEndian(file.Bytes(at + 8, 4)), BinaryPrimitives.ReadUInt32BigEndian(file.Bytes(at + 12, 4)));
            if (entries > MostEntries || length > MostData)
            {
                throw new BrokenFileException(
                    $"its header says that it has {entries:N0} entries and {length:N0} bytes, where at most {MostEntries:N0} and {MostData:N0} make sense");
            }

            var index = file.Bytes(at + 16, entries * (long)Entry);
            _data = file.Bytes(at + 16 + (entries * (long)Entry), length);
            End = at + 16 + (entries * (long)Entry) + length;
            for (var i = 0; i < entries; i++)
            {
                _budget.Entry();
                var entry = index.AsSpan(i * Entry, Entry);
                var (offset, count) = (BinaryPrimitives.ReadUInt32BigEndian(entry[8..]), BinaryPrimitives.ReadUInt32BigEndian(entry[12..]));
                if (offset < length && count <= length)
                {
                    _entries.TryAdd(BinaryPrimitives.ReadInt32BigEndian(entry), (BinaryPrimitives.ReadInt32BigEndian(entry[4..]), (int)offset, (int)count));
                }
            }
        }

        public long Start { get; }

        public long End { get; }

        /// <summary>The first text of a tag; null where there is none.</summary>
        public string? Text(int tag) => Texts(tag, 1) is [var only, ..] ? only : null;

        /// <summary>The texts of a tag: one, several, or one in several languages.</summary>
        public List<string> Texts(int tag, int most = MostFiles)
        {
            var texts = new List<string>();
            if (!_entries.TryGetValue(tag, out var entry) || entry.Type is not (6 or 8 or 9))
            {
                return texts;
            }

            var at = entry.Offset;
            while (texts.Count < Math.Min(entry.Type == 6 ? 1 : entry.Count, most) && at < _data.Length)
            {
                _budget.Entry();
                var end = Array.IndexOf(_data, (byte)0, at);
                end = end < 0 ? _data.Length : end;
                texts.Add(Encoding.UTF8.GetString(_data, at, end - at));
                at = end + 1;
            }

            return texts;
        }

        /// <summary>The numbers of a tag, of 16 or 32 bits.</summary>
        public List<long> Numbers(int tag)
        {
            var numbers = new List<long>();
            if (_entries.TryGetValue(tag, out var entry) && entry.Type is 3 or 4)
            {
                var size = entry.Type == 3 ? 2 : 4;
                for (var i = 0; i < Math.Min(entry.Count, MostFiles) && entry.Offset + ((i + 1) * size) <= _data.Length; i++)
                {
                    var place = _data.AsSpan(entry.Offset + (i * size), size);
                    numbers.Add(size == 2 ? BinaryPrimitives.ReadUInt16BigEndian(place) : BinaryPrimitives.ReadUInt32BigEndian(place));
                }
            }

            return numbers;
        }
    }
}
