using System.Buffers.Binary;
using System.Formats.Tar;
using System.IO.Compression;
using System.Text;

namespace Bandejo.Core.Tests.Installers;

/// <summary>Small installer files of every kind that is read, made on the spot; all software in them is made up.</summary>
internal static class Samples
{
    /// <summary>A manifest that says a little of everything.</summary>
    public const string Manifest = """
        app: foldline
        name: Foldline
        version: 7.2.0
        publisher: Bellwether Works
        replaces: [old-foldline]
        settings:
          - { name: site, type: text, default: HQ }
        variants:
          - name: linux
            fits: architecture is "x64"
            requires: memory >= 2 GiB
            files: [install.sh, payload/**]
            close: [foldline]
            install:
              run: [sh, install.sh, --quiet]
              limit: 10m
              exit-codes: { 75: busy, 9: restart-needed }
            remove: { run: [sh, remove.sh], at-limit: ask }
            present:
              - version-in: /opt/foldline/VERSION
              - setting: etc/foldline.conf
                key: updates
                is: off
            put-back: no
        """;

    /// <summary>A database that another implementation wrote (tests/Windows).</summary>
    public static byte[] Database => Kept("foldline.msi");

    /// <summary>A file of tests/Core/Cases/installers.</summary>
    public static byte[] Kept(string name) => File.ReadAllBytes(Path.Combine(AppContext.BaseDirectory, "Cases", "installers", name));

    /// <summary>The name of the section by which a chain of installers is recognised.</summary>
    public static string ChainSection => Marked("2E7769786275726E");

    /// <summary>Every kind, by the name of its file.</summary>
    public static IReadOnlyDictionary<string, byte[]> All { get; } = new Dictionary<string, byte[]>
    {
        ["foldline.msi"] = Database,
        ["kiosk.mst"] = Transform(),
        ["foldline-setup.exe"] = Program("Foldline", "7.2.0", overlay: [
            .. Enumerable.Repeat((byte)7, 600), .. Convert.FromHexString("EFBEADDE4E756C6C736F6674496E7374"), .. Enumerable.Repeat((byte)1, 4000)]),
        ["quillmark.msix"] = AppPackage(),
        ["quillmark.msixbundle"] = Bundle(),
        ["inkwell-print_4.2.0_amd64.deb"] = Debian("gzip"),
        ["circdesk-3.9.1.zip"] = Zip(("circdesk/circdesk", "x"), ("circdesk/setup/marlin-runtime-setup.exe", "MZ"), ("circdesk/readme.txt", "read me")),
        ["circdesk-3.9.1.tar.gz"] = Packed(Tar(("circdesk/circdesk", "x"), ("circdesk/readme.txt", "read me"))),
        ["circdesk-3.9.2.tar.xz"] = Kept("circdesk-3.9.2.tar.xz"),
        ["circdesk-3.9.2.tar.bz2"] = Kept("circdesk-3.9.2.tar.bz2"),
        ["circdesk-3.9.2.tar.zst"] = Kept("circdesk-3.9.2.tar.zst"),
        ["circdesk.tar"] = Tar(("circdesk/circdesk", "x")),
        ["Nightjar-2.0.0-x86_64.AppImage"] = Image(),
        ["plateglass-11.3.0.run"] = Script(),
        ["carrel-link.pkg"] = MacPackage(),
        ["inkwell-print-4.3.0-1.x86_64.rpm"] = RpmSamples.Rpm(),
        ["tools-3.1_x64.7z"] = Kept("tools-3.1_x64.7z"),
        ["plain.7z"] = Kept("plain.7z"),
        ["inkwell-disc-2.0.iso"] = Unpacked(Kept("inkwell-disc-2.0.iso.gz")),
        ["outer.zip"] = ZipOf(("inner.zip", Zip(("a.deb", "x"))), ("tools.7z", Kept("tools-3.1_x64.7z"))),
        ["drivers-2.1.cab"] = RpmSamples.Cabinet(("setup/driver-setup.exe", 70_000), ("read me.txt", 12)),
    };

    private static byte[] Unpacked(byte[] packed)
    {
        using var stream = new GZipStream(new MemoryStream(packed), CompressionMode.Decompress);
        using var content = new MemoryStream();
        stream.CopyTo(content);
        return content.ToArray();
    }

    /// <summary>A mark as the catalogue of hints has it: bytes, and no name.</summary>
    private static string Marked(string bytes) => Encoding.ASCII.GetString(Convert.FromHexString(bytes));

    public static byte[] Zip(params (string Path, string Text)[] files) => ZipOf([.. files.Select(file => (file.Path, Encoding.UTF8.GetBytes(file.Text)))]);

    public static byte[] ZipOf(params (string Path, byte[] Content)[] files)
    {
        using var stream = new MemoryStream();
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (path, content) in files)
            {
                using var entry = archive.CreateEntry(path).Open();
                entry.Write(content);
            }
        }

        return stream.ToArray();
    }

    public static byte[] Tar(params (string Path, string Text)[] files)
    {
        using var stream = new MemoryStream();
        using (var writer = new TarWriter(stream, TarEntryFormat.Pax, leaveOpen: true))
        {
            foreach (var (path, text) in files)
            {
                writer.WriteEntry(text.StartsWith("-> ", StringComparison.Ordinal)
                    ? new PaxTarEntry(TarEntryType.SymbolicLink, path) { LinkName = text[3..] }
                    : new PaxTarEntry(TarEntryType.RegularFile, path) { DataStream = new MemoryStream(Encoding.UTF8.GetBytes(text)) });
            }
        }

        return stream.ToArray();
    }

    public static byte[] Packed(byte[] content)
    {
        using var stream = new MemoryStream();
        using (var gzip = new GZipStream(stream, CompressionLevel.Optimal, leaveOpen: true))
        {
            gzip.Write(content);
        }

        return stream.ToArray();
    }

    public static byte[] Debian(string how)
    {
        var control = Tar(
            (
                "./control",
                "Package: inkwell-print\nVersion: 4.2.0-1\nArchitecture: amd64\nMaintainer: Bellwether Works <post@bellwether.example>\nInstalled-Size: "
                    + "2048\nDepends: libc6 (>= 2.34), marlin-runtime (>= 2.4)\nDescription: Printing for branches\n and reading rooms\n"),
            ("./md5sums", "d41d8cd98f00b204e9800998ecf8427e  usr/bin/inkwell\nd41d8cd98f00b204e9800998ecf8427e  usr/share/doc/inkwell/readme\n"));
        using var stream = new MemoryStream();
        stream.Write("!<arch>\n"u8);
        foreach (
            var (
                name,
                content)
                in new[]
                {
                    ("debian-binary", "2.0\n"u8.ToArray()), (how == "gzip" ? "control.tar.gz" : "control.tar", how == "gzip" ? Packed(control) : control),
                    ("data.tar", Tar(("./usr/bin/inkwell", "x"))),
                })
        {
            stream.Write(Encoding.ASCII.GetBytes($"{name,-16}{0,-12}{0,-6}{0,-6}{"100644",-8}{content.Length,-10}`\n"));
            stream.Write(content);
            if (content.Length % 2 == 1)
            {
                stream.WriteByte((byte)'\n');
            }
        }

        return stream.ToArray();
    }

    public static byte[] AppPackage() => Zip(
        ("AppxManifest.xml", """
            <Package xmlns="http://schemas.microsoft.com/appx/manifest/foundation/windows10"><Identity Name="TarnHeath.Quillmark" Publisher="CN=Tarn &amp; Heath Software, O=Tarn" Version="9.5.0.0" ProcessorArchitecture="x64" />
            <Properties><DisplayName>Quillmark</DisplayName><PublisherDisplayName>Tarn &amp; Heath Software</PublisherDisplayName><Logo>Assets\logo.png</Logo></Properties>
            <Resources><Resource Language="en-gb" /><Resource Language="de-de" /></Resources>
            <Dependencies><TargetDeviceFamily Name="Windows.Desktop" MinVersion="10.0.19041.0" MaxVersionTested="10.0.22621.0" /><PackageDependency Name="Marlin.Runtime" MinVersion="2.4.0.0" Publisher="CN=Tarn" /></Dependencies></Package>
            """),
        ("Assets/logo.png", "no picture"), ("Quillmark.exe", "MZ"), ("AppxSignature.p7x", "signature"));

    public static byte[] Bundle() => Zip(("AppxMetadata/AppxBundleManifest.xml", """
        <Bundle><Identity Name="TarnHeath.Quillmark" Publisher="CN=Tarn &amp; Heath Software" Version="9.5.0.0" /><Packages>
        <Package Type="application" Version="9.5.0.0" Architecture="x64" FileName="quillmark-x64.msix" /><Package Type="application" Version="9.5.0.0" Architecture="arm64" FileName="quillmark-arm64.msix" />
        <Package Type="resource" Version="9.5.0.0" FileName="quillmark-de.msix" /></Packages></Bundle>
        """), ("quillmark-x64.msix", "PK"), ("quillmark-arm64.msix", "PK"));

    public static byte[] Image()
    {
        var file = new byte[4096];
        "\u007FELF"u8.CopyTo(file);
        (file[4], file[5], file[6], file[8], file[9], file[10], file[18]) = (2, 1, 1, (byte)'A', (byte)'I', 2, 62);
        BinaryPrimitives.WriteUInt64LittleEndian(file.AsSpan(40), 1024);
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(58), 64);
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(60), 8);
        "hsqs"u8.CopyTo(file.AsSpan(1024 + (64 * 8)));
        return file;
    }

    public static byte[] Script() =>
        [.. Encoding.ASCII.GetBytes("#!/bin/sh\n# made with " + Marked("6D616B6573656C66") + "\nlabel=\"Plateglass Studio\"\nexit 0\n"), .. Packed(Tar(
            ("setup.sh", "#!/bin/sh\n"), ("plateglass/plateglass", "x")))];

    public static byte[] MacPackage(string? contents = null)
    {
        var distribution = "<installer-gui-script><title>Carrel Link</title><options hostArchitectures=\"x86_64,arm64\" /><product id=\"org.orrin.carrel-link\" version=\"2.1.0\" /><allowed-os-versions><os-version min=\"12.0\" /></allowed-os-versions><choice id=\"main\" title=\"Carrel Link\" /></installer-gui-script>"u8.ToArray();
        contents ??= $"<xar><toc><file "
            + $"id=\"1\"><name>Distribution</name><type>file</type><data><offset>0</offset><length>{distribution.Length}</length><size>{distribution.Length}</size><encoding style=\"application/octet-stream\" /></data></file><file id=\"2\"><name>carrel.pkg</name><type>directory</type><file id=\"3\"><name>Payload</name><type>file</type><data><offset>0</offset><length>3</length><size>3000</size></data></file></file></toc></xar>";
        using var packed = new MemoryStream();
        using (var zlib = new ZLibStream(packed, CompressionLevel.Optimal, leaveOpen: true))
        {
            zlib.Write(Encoding.UTF8.GetBytes(contents));
        }

        var head = new byte[28];
        "xar!"u8.CopyTo(head);
        BinaryPrimitives.WriteUInt16BigEndian(head.AsSpan(4), 28);
        BinaryPrimitives.WriteUInt16BigEndian(head.AsSpan(6), 1);
        BinaryPrimitives.WriteUInt64BigEndian(head.AsSpan(8), (ulong)packed.Length);
        BinaryPrimitives.WriteUInt64BigEndian(head.AsSpan(16), (ulong)Encoding.UTF8.GetByteCount(contents));
        return [.. head, .. packed.ToArray(), .. distribution];
    }

    /// <summary>A Windows program of one section, which holds its version data and more as resources; what is appended follows.</summary>
    /// <param name="more">Further resources: type, number, language and content.</param>
    public static byte[] Program(
        string name, string version, byte[]? overlay = null, string section = ".rsrc", ushort machine = 0x8664,
        params (uint Type, uint Id, uint Language, byte[] Data)[] more)
    {
        const int At = 512, Virtual = 0x1000;
        var data = VersionBlock(
            "VS_VERSION_INFO", [0xBD, 0x04, 0xEF, 0xFE, .. new byte[48]], isText: false,
            VersionBlock("StringFileInfo", [], isText: true, VersionBlock("040904B0", [], isText: true,
            VersionText("ProductName", name), VersionText("ProductVersion", version), VersionText("CompanyName", "Tarn & Heath Software"),
            VersionText("FileDescription", name + " Setup"))));
        var resources = Resources(Virtual, [(16, 1, 1033, data), .. more]);
        var size = (resources.Length + 511) / 512 * 512;
        var file = new byte[At + size];
        "MZ"u8.CopyTo(file);
        file[60] = 64;
        "PE\0\0"u8.CopyTo(file.AsSpan(64));
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(68), machine);
        file[70] = 1;
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(84), 240);
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(88), 0x20B);
        BinaryPrimitives.WriteUInt16LittleEndian(file.AsSpan(88 + 68), 2);
        BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(88 + 108), 16);
        BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(88 + 112 + 16), Virtual);
        BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(88 + 112 + 20), (uint)resources.Length);
        var header = 88 + 240;
        Encoding.ASCII.GetBytes(section).CopyTo(file, header);
        foreach (var (place, value) in new[] { (8, resources.Length), (12, Virtual), (16, size), (20, At) })
        {
            BinaryPrimitives.WriteInt32LittleEndian(file.AsSpan(header + place), value);
        }

        resources.CopyTo(file, At);
        return [.. file, .. overlay ?? []];
    }

    /// <summary>A directory of resources, a folder for each type, number and language; each leaf stands for itself.</summary>
    private static byte[] Resources(uint address, (uint Type, uint Id, uint Language, byte[] Data)[] leaves)
    {
        var form = new List<byte>();
        var root = Folder(leaves.Select(leaf => leaf.Type).Distinct().Count());
        var type = 0;
        foreach (var byType in leaves.GroupBy(leaf => leaf.Type))
        {
            var ids = Folder(byType.Count());
            Entry(root, type++, byType.Key, 0x80000000 | (uint)ids);
            var id = 0;
            foreach (var leaf in byType)
            {
                var language = Folder(1);
                Entry(ids, id++, leaf.Id, 0x80000000 | (uint)language);
                var at = form.Count;
                Entry(language, 0, leaf.Language, (uint)at);
                form.AddRange(new byte[16]);
                Write(at, address + (uint)form.Count);
                Write(at + 4, (uint)leaf.Data.Length);
                form.AddRange(leaf.Data);
                form.AddRange(new byte[(4 - (form.Count % 4)) % 4]);
            }
        }

        return [.. form];

        int Folder(int entries)
        {
            var at = form.Count;
            form.AddRange(new byte[16 + (entries * 8)]);
            form[at + 14] = (byte)entries;
            return at;
        }

        void Entry(int folder, int number, uint id, uint to)
        {
            Write(folder + 16 + (number * 8), id);
            Write(folder + 20 + (number * 8), to);
        }

        void Write(int at, uint value)
        {
            for (var i = 0; i < 4; i++)
            {
                form[at + i] = (byte)(value >> (8 * i));
            }
        }
    }

    /// <summary>A transform for the database: one property changed, one added, one removed.</summary>
    public static byte[] Transform()
    {
        string[] pool = ["FOLDLINE_MODE", "kiosk", "FOLDLINE_SHELF", "yes", "FOLDLINE_GONE"];
        var strings = new List<byte> { 0xE4, 0x04, 0, 0 };
        foreach (var text in pool)
        {
            strings.AddRange([(byte)text.Length, 0, 1, 0]);
        }

        // Changed: the key, then the second column. Added: two columns. Removed: the key alone.
        byte[] changes = [2, 0, 1, 0, 2, 0, 1, 2, 3, 0, 4, 0, 0, 0, 5, 0];
        return Compound(("!_StringPool", [.. strings]), ("!_StringData", Encoding.ASCII.GetBytes(string.Concat(pool))), ("!Property", changes));
    }

    /// <summary>A compound file of streams, none of which is small.</summary>
    public static byte[] Compound(params (string Name, byte[] Content)[] streams)
    {
        const int Sector = 512;
        var sectors = new List<byte[]>();
        var next = new List<uint>();
        var starts = new List<uint>();
        foreach (var (_, content) in streams)
        {
            starts.Add(Append(content));
        }

        var directory = new byte[((streams.Length + 4) / 4 * 4) * 128];
        Entry(0, "Root Entry", 5, 0xFFFFFFFE, 0, streams.Length > 0 ? 1 : 0xFFFFFFFF, 0xFFFFFFFF);
        for (var i = 0; i < streams.Length; i++)
        {
            Entry(i + 1, Packed(streams[i].Name), 2, starts[i], streams[i].Content.Length, 0xFFFFFFFF, i + 1 < streams.Length ? (uint)i + 2 : 0xFFFFFFFF);
        }

        var directoryAt = Append(directory);
        var fatAt = (uint)sectors.Count;
        var fat = new byte[Sector];
        next.Add(0xFFFFFFFD);
        for (var i = 0; i < Sector / 4; i++)
        {
            BinaryPrimitives.WriteUInt32LittleEndian(fat.AsSpan(i * 4), i < next.Count ? next[i] : 0xFFFFFFFF);
        }

        sectors.Add(fat);
        var header = new byte[Sector];
        Convert.FromHexString("D0CF11E0A1B11AE1").CopyTo(header, 0);
        (header[24], header[26], header[28], header[30], header[32]) = (0x3E, 3, 0xFE, 9, 6);
        header[29] = 0xFF;
        BinaryPrimitives.WriteUInt32LittleEndian(header.AsSpan(44), 1);
        BinaryPrimitives.WriteUInt32LittleEndian(header.AsSpan(48), directoryAt);
        BinaryPrimitives.WriteUInt32LittleEndian(header.AsSpan(60), 0xFFFFFFFE);
        BinaryPrimitives.WriteUInt32LittleEndian(header.AsSpan(68), 0xFFFFFFFE);
        header.AsSpan(76).Fill(0xFF);
        BinaryPrimitives.WriteUInt32LittleEndian(header.AsSpan(76), fatAt);
        return [.. header, .. sectors.SelectMany(sector => sector)];

        uint Append(byte[] content)
        {
            var start = (uint)sectors.Count;
            for (var at = 0; at < Math.Max(1, content.Length); at += Sector)
            {
                var sector = new byte[Sector];
                content.AsSpan(at, Math.Min(Sector, content.Length - at)).CopyTo(sector);
                sectors.Add(sector);
                next.Add(at + Sector < content.Length ? (uint)sectors.Count : 0xFFFFFFFE);
            }

            return start;
        }

        void Entry(int number, string name, byte kind, uint start, int size, uint child, uint right)
        {
            var entry = directory.AsSpan(number * 128, 128);
            Encoding.Unicode.GetBytes(name).CopyTo(entry);
            BinaryPrimitives.WriteUInt16LittleEndian(entry[64..], (ushort)((name.Length + 1) * 2));
            entry[66] = kind;
            BinaryPrimitives.WriteUInt32LittleEndian(entry[68..], 0xFFFFFFFF);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[72..], right);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[76..], child);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[116..], start);
            BinaryPrimitives.WriteInt32LittleEndian(entry[120..], size);
        }
    }

    /// <summary>The name of a stream of a database, two characters packed to one.</summary>
    private static string Packed(string name)
    {
        const string Alphabet = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz._";
        var packed = new StringBuilder(name.StartsWith('!') ? "\u4840" : "");
        var rest = name.TrimStart('!');
        for (var i = 0; i < rest.Length; i += 2)
        {
            packed.Append(
                i + 1 < rest.Length
                    ? (char)(0x3800 + Alphabet.IndexOf(rest[i], StringComparison.Ordinal) + (Alphabet.IndexOf(rest[i + 1], StringComparison.Ordinal) << 6))
                    : (char)(0x4800 + Alphabet.IndexOf(rest[i], StringComparison.Ordinal)));
        }

        return packed.ToString();
    }

    private static byte[] VersionText(string key, string text) => VersionBlock(key, Encoding.Unicode.GetBytes(text + "\0"), isText: true);

    private static byte[] VersionBlock(string key, byte[] value, bool isText, params byte[][] children)
    {
        var block = new List<byte> { 0, 0, (byte)(isText ? value.Length / 2 : value.Length), 0, (byte)(isText ? 1 : 0), 0 };
        block.AddRange(Encoding.Unicode.GetBytes(key + "\0"));
        Align();
        block.AddRange(value);
        foreach (var child in children)
        {
            Align();
            block.AddRange(child);
        }

        (block[0], block[1]) = ((byte)block.Count, (byte)(block.Count >> 8));
        return [.. block];

        void Align()
        {
            while (block.Count % 4 != 0)
            {
                block.Add(0);
            }
        }
    }
}
