using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A backup that is taken while the service runs, and a service that is made of it: devices are never taken back in time.</summary>
public sealed class BackupTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("bandejo-backup").FullName;

    private string Backup => Path.Combine(_folder, "backup");

    private string Restored => Path.Combine(_folder, "data");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task A_restored_service_is_what_it_was_and_goes_on_with_devices_that_know_more(bool intoServer)
    {
        await using var site = await Site.StartApart();
        var data = Path.Combine(site.Service.Folder, "data");
        await site.Package("foldline", "7.2.0", Installs("7.2.0"));
        await site.Package("foldline", "7.3.0", Installs("7.3.0"));
        await site.Device("DESK-001");
        var first = await site.Deploy("foldline 7.2.0", Site.Enrolled);
        await site.Admin.Becomes(first, "DESK-001", "met");
        Assert.Contains(" new) and ", await Said("backup", Backup, "--data", data));
        var before = await Everything(site);

        // What is lost: another deployment, which the device carried out, and a package withdrawn, of which it heard.
        var lost = await site.Deploy("foldline 7.3.0", Site.Enrolled, "--priority", "9");
        await site.Admin.Becomes(lost, "DESK-001", "met");
        await site.Must("package", "withdraw", "--yes", "foldline 7.2.0", "--reason", "It does not print.");
        await site.Process.Kill();
        Directory.Delete(data, recursive: true);

        using var server = intoServer ? new PostgresServer() : null;
        string[] place = ["--data", Restored, .. server is null ? Array.Empty<string>() : ["--store", server.Make("bandejo")]];
        Assert.Contains("Start the service", await Said(["restore", Backup, .. place]));
        await using var service = new ServiceProcess(place) { Listen = site.Service.Address };
        await service.Start();
        Assert.Equal(before, await Everything(site));
        Assert.Contains("was restored to what it was", await site.Must("journal", "-o", "json"));

        // The next deployment has a number that the device cannot know, and is carried out; the device refuses still what it heard was withdrawn.
        await site.Package("foldline", "7.4.0", Installs("7.4.0"));
        var next = await site.Deploy("foldline 7.4.0", Site.Enrolled, "--priority", "10");
        Assert.True(int.Parse(next[1..]) > int.Parse(lost[1..]) + 900, $"{next} after {lost}");
        await site.Admin.Becomes(next, "DESK-001", "met");
        await site.Must("deployment", "end", "--yes", next, "--reason", "It was wrong.");
        var back = await site.Deploy("foldline 7.2.0", Site.Enrolled, "--priority", "11", "--allow-downgrade");
        Assert.Contains("withdrawn", (await site.Admin.Becomes(back, "DESK-001", "failed")).Reason);
        await service.Kill();
        Assert.Contains("all tables are what it makes of them", await Said(["check", .. place]));
    }

    [Fact]
    public async Task A_second_backup_takes_only_what_is_new_and_what_is_no_backup_is_left_alone()
    {
        await using var site = await Site.StartApart();
        var data = Path.Combine(site.Service.Folder, "data");
        await site.Package("foldline", "7.2.0", Installs("7.2.0"));
        await Said("backup", Backup, "--data", data);
        Assert.Contains("(0 new) and", await Said("backup", Backup, "--data", data));
        await site.Must("group", "new", "later");
        var again = await Said("backup", Backup, "--data", data);
        Assert.Contains("(1 new) and", again);
        Assert.Contains("(0 new). It holds keys", again);
        const UnixFileMode Own = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
        Assert.All(
            Directory.EnumerateFileSystemEntries(Backup, "*", SearchOption.AllDirectories).Append(Backup),
            each => Assert.Equal(UnixFileMode.None, File.GetUnixFileMode(each) & ~Own));

        // Another store's backup, a folder of something else, a target that is not empty.
        await using var other = await Site.StartApart();
        await Refused("is of another store", "backup", Backup, "--data", Path.Combine(other.Service.Folder, "data"));
        Directory.CreateDirectory(Path.Combine(_folder, "else"));
        await File.WriteAllTextAsync(Path.Combine(_folder, "else", "letter.txt"), "Dear", TestContext.Current.CancellationToken);
        await Refused("holds something that is no backup", "backup", Path.Combine(_folder, "else"), "--data", data);
        await Refused("is not empty", "restore", Backup, "--data", data);
        await Refused("backup.json is missing", "restore", Path.Combine(_folder, "else"), "--data", Restored);
        await Refused("There is no database", "backup", Path.Combine(_folder, "new"), "--data", Path.Combine(_folder, "none"));

        // One of its files is another, its log ends earlier, what it says of itself cannot be read.
        var content = Directory.EnumerateFiles(Path.Combine(Backup, "files"), "*", SearchOption.AllDirectories).First();
        var whole = await File.ReadAllBytesAsync(content, TestContext.Current.CancellationToken);
        await File.WriteAllTextAsync(content, "another", TestContext.Current.CancellationToken);
        await Refused("is not what it was", "restore", Backup, "--data", Restored);
        await File.WriteAllBytesAsync(content, whole, TestContext.Current.CancellationToken);
        Assert.Empty(Directory.EnumerateFileSystemEntries(Restored));
        var about = await File.ReadAllTextAsync(Path.Combine(Backup, "backup.json"), TestContext.Current.CancellationToken);
        await File.WriteAllTextAsync(Path.Combine(Backup, "backup.json"), about.Replace("\"records\": ", "\"records\": 9"), TestContext.Current.CancellationToken);
        await Refused("does not end where the backup says", "restore", Backup, "--data", Restored);
        Assert.Empty(Directory.EnumerateFileSystemEntries(Restored));
        await File.WriteAllTextAsync(Path.Combine(Backup, "backup.json"), "{", TestContext.Current.CancellationToken);
        await Refused("cannot be read", "restore", Backup, "--data", Restored);
    }

    private static string Installs(string version) => $"mkdir -p \"$T\" && echo {version} > \"$T/VERSION\"";

    private static async Task<string> Everything(Site site) => string.Join('\n', [
        await site.Must("deployment", "list", "-o", "json"), await site.Must("package", "list", "-o", "json"),
        await site.Must("group", "list", "-o", "json"), await site.Must("account", "list", "-o", "json")]);

    private static async Task<string> Said(params string[] arguments)
    {
        var (code, output, errors) = await Command(arguments);
        Assert.Equal((0, ""), (code, errors));
        return output;
    }

    private static async Task Refused(string says, params string[] arguments)
    {
        var (code, output, errors) = await Command(arguments);
        Assert.Equal((4, ""), (code, output));
        Assert.Contains(says, errors);
    }

    private static Task<(int Code, string Output, string Errors)> Command(params string[] arguments) => Programs.Run(Programs.Service, arguments);
}
