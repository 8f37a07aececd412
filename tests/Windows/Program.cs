using System.Runtime.InteropServices;

// Writes a Windows Installer database through the operating system's own interface (msi.dll, under Wine where there is no Windows), so that our reader is
// tested against a file that another implementation wrote: tests/Core/Cases/installers/foldline.msi. How to make it anew: tests/Windows/make.sh.
// With a version and a product code besides, it writes one that can be installed (InstallableDatabase.cs).
// With 'setup' it is a setup program itself (SetupProgram.cs).
var file = args[0];
if (file == "setup")
{
    return await SetupProgram.Run(args);
}

if (args.Length == 3)
{
    InstallableDatabase.Make(file, args[1], args[2]);
    return 0;
}

File.Delete(file);
Make(file, "7.2.0", "Foldline");
return 0;

static void Make(string file, string version, string name)
{
    using var database = new Database(file, 3);
    database.Run("CREATE TABLE `Property` (`Property` CHAR(72) NOT NULL, `Value` LONGCHAR NOT NULL LOCALIZABLE PRIMARY KEY `Property`)");
    foreach (var (key, value) in new[]
    {
        ("ProductName", name), ("ProductVersion", version), ("Manufacturer", "Bellwether Works"), ("ProductLanguage", "1031"),
        ("ProductCode", "{5D0A6F2E-0B1D-4C60-9E0B-0F8B6C1F7A20}"),
        ("UpgradeCode", "{9B0C2E11-6A34-4E0F-8B53-1C2D3E4F5A60}"), ("ALLUSERS", "1"), ("FOLDLINE_MODE", "desk"), ("FOLDLINE_GONE", "soon"),
        ("LICENCEKEY", "secret-of-the-maker"), ("MsiHiddenProperties", "LICENCEKEY"),
        ("SecureCustomProperties", "FOLDLINE_MODE;FOLDLINE_SERVER"),
    })
    {
        database.Run("INSERT INTO `Property` (`Property`, `Value`) VALUES (?, ?)", key, value);
    }

    database.Run(
        "CREATE TABLE `Feature` (`Feature` CHAR(38) NOT NULL, `Feature_Parent` CHAR(38), `Title` CHAR(64) LOCALIZABLE, `Description` CHAR(255) "
            + "LOCALIZABLE, `Display` SHORT, `Level` SHORT NOT NULL, `Directory_` CHAR(72), `Attributes` SHORT NOT NULL PRIMARY KEY `Feature`)");
    database.Run("INSERT INTO `Feature` (`Feature`, `Title`, `Display`, `Level`, `Attributes`) VALUES ('Viewer', 'Übersicht', 1, 1, 0)");
    database.Run("INSERT INTO `Feature` (`Feature`, `Title`, `Display`, `Level`, `Attributes`) VALUES ('Samples', 'Samples', 2, 100, 0)");
    database.Run(
        "CREATE TABLE `File` (`File` CHAR(72) NOT NULL, `Component_` CHAR(72) NOT NULL, `FileName` CHAR(255) NOT NULL LOCALIZABLE, `FileSize` LONG NOT "
            + "NULL, `Version` CHAR(72), `Language` CHAR(20), `Attributes` SHORT, `Sequence` SHORT NOT NULL PRIMARY KEY `File`)");
    for (var number = 1; number <= 300; number++)
    {
        database.Run(
            $"INSERT INTO `File` (`File`, `Component_`, `FileName`, `FileSize`, `Version`, `Sequence`) VALUES ('f{number}', 'main', "
                + $"'FOLDLI~{number % 9}.DLL|foldline-{number}.dll', {number * 1000}, '7.2.0.{number}', {number})");
    }

    database.Run("CREATE TABLE `InstallExecuteSequence` (`Action` CHAR(72) NOT NULL, `Condition` CHAR(255), `Sequence` SHORT PRIMARY KEY `Action`)");
    database.Run("INSERT INTO `InstallExecuteSequence` (`Action`, `Sequence`) VALUES ('InstallFinalize', 6600)");
    database.Run("INSERT INTO `InstallExecuteSequence` (`Action`, `Sequence`) VALUES ('ScheduleReboot', 6700)");
    database.Run("CREATE TABLE `LaunchCondition` (`Condition` CHAR(255) NOT NULL, `Description` CHAR(255) NOT NULL LOCALIZABLE PRIMARY KEY `Condition`)");
    database.Run("INSERT INTO `LaunchCondition` (`Condition`, `Description`) VALUES ('VersionNT64', 'Foldline needs a 64-bit Windows.')");
    database.Run(
        "CREATE TABLE `Media` (`DiskId` SHORT NOT NULL, `LastSequence` SHORT NOT NULL, `DiskPrompt` CHAR(64) LOCALIZABLE, `Cabinet` CHAR(255), "
            + "`VolumeLabel` CHAR(32), `Source` CHAR(72) PRIMARY KEY `DiskId`)");
    database.Run("INSERT INTO `Media` (`DiskId`, `LastSequence`, `Cabinet`) VALUES (1, 300, 'files.cab')");
    database.Summary("Installation database", name, "Bellwether Works", "x64;1031");
    database.Commit();
}

internal sealed class Database : IDisposable
{
    public Database(string file, nint mode)
    {
        Installer.Must(Installer.MsiOpenDatabase(file, mode, out var handle), file);
        Handle = handle;
    }

    public uint Handle { get; }

    public void Run(string sql, params string[] values)
    {
        Installer.Must(Installer.MsiDatabaseOpenView(Handle, sql, out var view), sql);
        var record = Installer.MsiCreateRecord((uint)values.Length);
        for (var i = 0; i < values.Length; i++)
        {
            Installer.Must(Installer.MsiRecordSetString(record, (uint)i + 1, values[i]), values[i]);
        }

        Installer.Must(Installer.MsiViewExecute(view, values.Length == 0 ? 0 : record), sql);
        Installer.MsiViewClose(view);
        Installer.MsiCloseHandle(view);
        Installer.MsiCloseHandle(record);
    }

    public void Attach(string sql, string file)
    {
        Installer.Must(Installer.MsiDatabaseOpenView(Handle, sql, out var view), sql);
        var record = Installer.MsiCreateRecord(1);
        Installer.Must(Installer.MsiRecordSetStream(record, 1, file), file);
        Installer.Must(Installer.MsiViewExecute(view, record), sql);
        Installer.MsiViewClose(view);
        Installer.MsiCloseHandle(view);
        Installer.MsiCloseHandle(record);
    }

    public void Summary(string title, string subject, string author, string template, Guid? package = null)
    {
        Installer.Must(Installer.MsiGetSummaryInformation(Handle, null, 20, out var summary), "summary");
        foreach (var (id, text) in new[]
        {
            (2u, title), (3u, subject), (4u, author), (7u, template),
            (9u, (package ?? new Guid("0C0D0E0F-1111-2222-3333-444455556666")).ToString("B").ToUpperInvariant()),
        })
        {
            Installer.Must(Installer.MsiSummaryInfoSetProperty(summary, id, 30, 0, 0, text), text);
        }

        Installer.Must(Installer.MsiSummaryInfoSetProperty(summary, 14, 3, 500, 0, null), "page count");
        Installer.Must(Installer.MsiSummaryInfoSetProperty(summary, 15, 3, 2, 0, null), "word count");
        Installer.Must(Installer.MsiSummaryInfoPersist(summary), "summary");
        Installer.MsiCloseHandle(summary);
    }

    public void Commit() => Installer.Must(Installer.MsiDatabaseCommit(Handle), "commit");

    public void Dispose() => Installer.MsiCloseHandle(Handle);
}

internal static partial class Installer
{
    public static void Must(uint result, string what)
    {
        if (result != 0)
        {
            Console.Error.WriteLine($"{result}: {what}");
            Environment.Exit(1);
        }
    }

    [LibraryImport("msi", EntryPoint = "MsiOpenDatabaseW", StringMarshalling = StringMarshalling.Utf16)]
    public static partial uint MsiOpenDatabase(string file, nint mode, out uint handle);

    [LibraryImport("msi", EntryPoint = "MsiDatabaseOpenViewW", StringMarshalling = StringMarshalling.Utf16)]
    public static partial uint MsiDatabaseOpenView(uint database, string sql, out uint view);

    [LibraryImport("msi")]
    public static partial uint MsiViewExecute(uint view, uint record);

    [LibraryImport("msi")]
    public static partial uint MsiViewClose(uint view);

    [LibraryImport("msi")]
    public static partial uint MsiCreateRecord(uint count);

    [LibraryImport("msi", EntryPoint = "MsiRecordSetStringW", StringMarshalling = StringMarshalling.Utf16)]
    public static partial uint MsiRecordSetString(uint record, uint field, string value);

    [LibraryImport("msi", EntryPoint = "MsiRecordSetStreamW", StringMarshalling = StringMarshalling.Utf16)]
    public static partial uint MsiRecordSetStream(uint record, uint field, string file);

    [LibraryImport("msi")]
    public static partial uint MsiDatabaseCommit(uint database);

    [LibraryImport("msi")]
    public static partial uint MsiCloseHandle(uint handle);

    [LibraryImport("msi", EntryPoint = "MsiGetSummaryInformationW", StringMarshalling = StringMarshalling.Utf16)]
    public static partial uint MsiGetSummaryInformation(uint database, string? path, uint updates, out uint summary);

    [LibraryImport("msi", EntryPoint = "MsiSummaryInfoSetPropertyW", StringMarshalling = StringMarshalling.Utf16)]
    public static partial uint MsiSummaryInfoSetProperty(uint summary, uint id, uint type, int number, nint time, string? text);

    [LibraryImport("msi")]
    public static partial uint MsiSummaryInfoPersist(uint summary);
}
