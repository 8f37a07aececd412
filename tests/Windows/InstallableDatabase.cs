using System.Text;

/// <summary>
/// Writes a Windows Installer database that installs: Quay Notes, two files in a cabinet, in a version of one's choice. All versions have one upgrade code, so
/// that a newer one takes an older away.
/// </summary>
internal static class InstallableDatabase
{
    private const string UpgradeCode = "{4F1C8D52-93B7-4D0A-8E25-7B1F60C3A911}";

    /// <summary>Writes it.</summary>
    /// <param name="version">Three numbers.</param>
    /// <param name="product">The product code, in braces.</param>
    public static void Make(string file, string version, string product)
    {
        File.Delete(file);
        (string Key, string Name, byte[] Content)[] files =
        [
            ("program", "quay-notes.txt", Encoding.UTF8.GetBytes($"Quay Notes {version}\r\n")),
            ("manual", "manual.txt", Encoding.UTF8.GetBytes("Write it down.\r\n")),
        ];
        using var database = new Database(file, 3);
        database.Run("CREATE TABLE `Property` (`Property` CHAR(72) NOT NULL, `Value` LONGCHAR NOT NULL LOCALIZABLE PRIMARY KEY `Property`)");
        foreach (var (key, value) in new[]
        {
            ("ProductName", "Quay Notes"), ("ProductVersion", version), ("Manufacturer", "Bellwether Works"), ("ProductLanguage", "1033"),
            ("ProductCode", product), ("UpgradeCode", UpgradeCode), ("ALLUSERS", "1"), ("SecureCustomProperties", "OLDER;NOTES_MODE"), ("NOTES_MODE", "desk"),
        })
        {
            database.Run("INSERT INTO `Property` (`Property`, `Value`) VALUES (?, ?)", key, value);
        }

        database.Run(
            "CREATE TABLE `Directory` (`Directory` CHAR(72) NOT NULL, `Directory_Parent` CHAR(72), `DefaultDir` CHAR(255) NOT NULL LOCALIZABLE PRIMARY KEY "
                + "`Directory`)");
        database.Run("INSERT INTO `Directory` (`Directory`, `DefaultDir`) VALUES ('TARGETDIR', 'SourceDir')");
        database.Run("INSERT INTO `Directory` (`Directory`, `Directory_Parent`, `DefaultDir`) VALUES ('ProgramFiles64Folder', 'TARGETDIR', '.')");
        database.Run("INSERT INTO `Directory` (`Directory`, `Directory_Parent`, `DefaultDir`) VALUES ('NOTES', 'ProgramFiles64Folder', 'QUAYNO~1|Quay Notes')");
        database.Run(
            "CREATE TABLE `Component` (`Component` CHAR(72) NOT NULL, `ComponentId` CHAR(38), `Directory_` CHAR(72) NOT NULL, `Attributes` SHORT NOT NULL, "
                + "`Condition` CHAR(255), `KeyPath` CHAR(72) PRIMARY KEY `Component`)");
        database.Run(
            "INSERT INTO `Component` (`Component`, `ComponentId`, `Directory_`, `Attributes`, `KeyPath`) VALUES ('main', "
                + "'{0D7E1B64-2A51-4C0F-9B7E-5A3C8F21D407}', 'NOTES', 256, 'program')");
        database.Run(
            "CREATE TABLE `Feature` (`Feature` CHAR(38) NOT NULL, `Feature_Parent` CHAR(38), `Title` CHAR(64) LOCALIZABLE, `Description` CHAR(255) "
                + "LOCALIZABLE, `Display` SHORT, `Level` SHORT NOT NULL, `Directory_` CHAR(72), `Attributes` SHORT NOT NULL PRIMARY KEY `Feature`)");
        database.Run("INSERT INTO `Feature` (`Feature`, `Title`, `Display`, `Level`, `Attributes`) VALUES ('Notes', 'Quay Notes', 1, 1, 0)");
        database.Run("CREATE TABLE `FeatureComponents` (`Feature_` CHAR(38) NOT NULL, `Component_` CHAR(72) NOT NULL PRIMARY KEY `Feature_`, `Component_`)");
        database.Run("INSERT INTO `FeatureComponents` (`Feature_`, `Component_`) VALUES ('Notes', 'main')");
        database.Run(
            "CREATE TABLE `File` (`File` CHAR(72) NOT NULL, `Component_` CHAR(72) NOT NULL, `FileName` CHAR(255) NOT NULL LOCALIZABLE, `FileSize` LONG NOT "
                + "NULL, `Version` CHAR(72), `Language` CHAR(20), `Attributes` SHORT, `Sequence` SHORT NOT NULL PRIMARY KEY `File`)");
        for (var i = 0; i < files.Length; i++)
        {
            database.Run(
                $"INSERT INTO `File` (`File`, `Component_`, `FileName`, `FileSize`, `Attributes`, `Sequence`) VALUES ('{files[i].Key}', 'main', "
                    + $"'FILE{i}.TXT|{files[i].Name}', {files[i].Content.Length}, 16384, {i + 1})");
        }

        database.Run(
            "CREATE TABLE `Media` (`DiskId` SHORT NOT NULL, `LastSequence` SHORT NOT NULL, `DiskPrompt` CHAR(64) LOCALIZABLE, `Cabinet` CHAR(255), "
                + "`VolumeLabel` CHAR(32), `Source` CHAR(72) PRIMARY KEY `DiskId`)");
        database.Run($"INSERT INTO `Media` (`DiskId`, `LastSequence`, `Cabinet`) VALUES (1, {files.Length}, '#files.cab')");
        database.Run(
            "CREATE TABLE `Upgrade` (`UpgradeCode` CHAR(38) NOT NULL, `VersionMin` CHAR(20), `VersionMax` CHAR(20), `Language` CHAR(255), `Attributes` LONG "
                + "NOT NULL, `Remove` CHAR(255), `ActionProperty` CHAR(72) NOT NULL "
                + "PRIMARY KEY `UpgradeCode`, `VersionMin`, `VersionMax`, `Language`, `Attributes`)");
        database.Run($"INSERT INTO `Upgrade` (`UpgradeCode`, `VersionMax`, `Attributes`, `ActionProperty`) VALUES ('{UpgradeCode}', '{version}', 1, 'OLDER')");
        database.Run(
            "CREATE TABLE `Registry` (`Registry` CHAR(72) NOT NULL, `Root` SHORT NOT NULL, `Key` CHAR(255) NOT NULL LOCALIZABLE, `Name` CHAR(255) LOCALIZABLE, "
                + "`Value` CHAR(0) LOCALIZABLE, `Component_` CHAR(72) NOT NULL PRIMARY KEY `Registry`)");
        database.Run(
            "INSERT INTO `Registry` (`Registry`, `Root`, `Key`, `Name`, `Value`, `Component_`) VALUES ('mode', 2, 'SOFTWARE\\Bellwether\\Quay Notes', 'Mode', "
                + "'[NOTES_MODE]', 'main')");
        database.Run("CREATE TABLE `InstallExecuteSequence` (`Action` CHAR(72) NOT NULL, `Condition` CHAR(255), `Sequence` SHORT PRIMARY KEY `Action`)");
        foreach (var (action, sequence) in new[]
        {
            ("FindRelatedProducts", 25), ("LaunchConditions", 100), ("ValidateProductID", 700), ("CostInitialize", 800), ("FileCost", 900),
            ("CostFinalize", 1000), ("InstallValidate", 1400), ("InstallInitialize", 1500), ("RemoveExistingProducts", 1510), ("ProcessComponents", 1600),
            ("UnpublishFeatures", 1800), ("RemoveRegistryValues", 2600), ("RemoveFiles", 3500), ("InstallFiles", 4000), ("WriteRegistryValues", 5000),
            ("RegisterUser", 6000), ("RegisterProduct", 6100), ("PublishFeatures", 6300), ("PublishProduct", 6400), ("InstallFinalize", 6600),
        })
        {
            database.Run($"INSERT INTO `InstallExecuteSequence` (`Action`, `Sequence`) VALUES ('{action}', {sequence})");
        }

        var cabinet = Path.GetTempFileName();
        File.WriteAllBytes(cabinet, Cabinet.Of([.. files.Select(each => (each.Key, each.Content))]));
        database.Attach("INSERT INTO `_Streams` (`Name`, `Data`) VALUES ('files.cab', ?)", cabinet);
        database.Summary("Installation database", "Quay Notes", "Bellwether Works", "x64;1033", Guid.NewGuid());
        database.Commit();
        File.Delete(cabinet);
    }
}

/// <summary>A cabinet with nothing compressed ("Microsoft Cabinet Format": CFHEADER, one CFFOLDER, CFFILE for each file, CFDATA).</summary>
internal static class Cabinet
{
    private const int HeaderLength = 36;
    private const int FolderLength = 8;
    private const int DataHeaderLength = 8;

    /// <summary>Writes one; all content together is at most 32 KiB.</summary>
    public static byte[] Of(IReadOnlyList<(string Name, byte[] Content)> files)
    {
        var names = files.Sum(file => 16 + Encoding.ASCII.GetByteCount(file.Name) + 1);
        var content = files.Sum(file => file.Content.Length);
        var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write("MSCF"u8);
        writer.Write(0);
        writer.Write(HeaderLength + FolderLength + names + DataHeaderLength + content);
        writer.Write(0);
        writer.Write(HeaderLength + FolderLength);
        writer.Write(0);
        writer.Write((byte)3);
        writer.Write((byte)1);
        writer.Write((short)1);
        writer.Write((short)files.Count);
        writer.Write((short)0);
        writer.Write((short)0);
        writer.Write((short)0);
        writer.Write(HeaderLength + FolderLength + names);
        writer.Write((short)1);
        writer.Write((short)0);
        var at = 0;
        foreach (var (name, bytes) in files)
        {
            writer.Write(bytes.Length);
            writer.Write(at);
            writer.Write((short)0);
            writer.Write((ushort)(((2026 - 1980) << 9) | (3 << 5) | 2));
            writer.Write((ushort)0);
            writer.Write((ushort)0x20);
            writer.Write(Encoding.ASCII.GetBytes(name));
            writer.Write((byte)0);
            at += bytes.Length;
        }

        // A checksum of nothing is not compared.
        writer.Write(0);
        writer.Write((ushort)content);
        writer.Write((ushort)content);
        foreach (var (_, bytes) in files)
        {
            writer.Write(bytes);
        }

        return stream.ToArray();
    }
}
