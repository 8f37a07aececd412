using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using Bandejo.Core;
using Bandejo.Core.World;
using Bandejo.Store;

namespace Bandejo.Server;

/// <summary>
/// A backup is a folder: the log (<c>log.db</c>), content by its digest, keys, and <c>backup.json</c>, which says where the log ends and is written last. It is
/// made while the service runs, and made again into the same folder it takes only what is new.
/// </summary>
internal static class Backups
{
    private const string LogFile = "log.db";
    private const string About = "backup.json";
    private const int MostRounds = 5;

    /// <summary>What lies in the data folder beside the database, each with whether its files never change.</summary>
    private static readonly (string Folder, bool IsByDigest)[] Folders =
        [("files", true), ("logs", false), ("tls", false), ("cookie-keys", false), ("bench", false)];

    /// <summary>Makes a backup, or brings one up to what is kept now.</summary>
    /// <exception cref="StoreException">The folder holds something else, or the log is not whole.</exception>
    public static BackupAbout Make(string store, string data, string folder, Action<long, long> progress)
    {
        if (Directory.Exists(folder) && Directory.EnumerateFileSystemEntries(folder).Any() && !File.Exists(Path.Combine(folder, LogFile)))
        {
            throw new StoreException($"{folder} holds something that is no backup. Name an empty folder, or one that is not there.");
        }

        OwnFolder.CloseToOthers(folder);
        var (records, added) = (0L, Copied(data, folder).New);
        for (var round = 0; round < MostRounds; round++)
        {
            // What a package needs is there before the package is: so content is copied once more after the log.
            var (end, at, more) = DatabaseStore.Backup(store, Path.Combine(folder, LogFile), progress);
            var (files, late) = Copied(data, folder);
            (records, added) = (records + more, added + late);
            if (!WasLetGo(DatabaseStore.Changes(store, end.Number + 1)))
            {
                var made = new BackupAbout(1, end.Number, end.Digest, at, files) { NewRecords = records, NewFiles = added };
                OwnFolder.Write(Path.Combine(folder, About), JsonSerializer.Serialize(made, BackupJson.Default.BackupAbout));
                return made;
            }
        }

        throw new StoreException(
            $"Packages are being let go all the time, and what they had may be missing in {folder}. Run it again when that is over; it goes on where it is.");
    }

    /// <summary>Makes a data folder and a store of a backup, both empty before.</summary>
    /// <exception cref="StoreException">The backup is not whole, or there is something already.</exception>
    public static BackupAbout Restore(string folder, string store, string data, Action<long, long> progress)
    {
        var about = Read(folder);
        if (Directory.Exists(data) && Directory.EnumerateFileSystemEntries(data).Any())
        {
            throw new StoreException($"{data} is not empty. A backup is put where nothing is: name another folder with --data, or move what is there away.");
        }

        OwnFolder.CloseToOthers(data);
        try
        {
            PutBack(folder, data);

            // What happened after that is not known, and devices may know of it.
            DatabaseStore.Restore(
                Path.Combine(folder, LogFile), store, new LogEnd(about.Records, about.Digest), new LoggedPart(about.At, [Restored.Note(about.At)]), progress);
            return about;
        }
        catch
        {
            // So that it can be tried again, with another backup.
            foreach (var each in new DirectoryInfo(data).EnumerateFileSystemInfos())
            {
                (each as DirectoryInfo)?.Delete(recursive: true);
                (each as FileInfo)?.Delete();
            }

            throw;
        }
    }

    private static void PutBack(string folder, string data)
    {
        foreach (var (name, isByDigest) in Folders)
        {
            foreach (var file in Files(Path.Combine(folder, name)))
            {
                if (isByDigest)
                {
                    using var stream = File.OpenRead(file);
                    if (Convert.ToHexStringLower(SHA256.HashData(stream)) != Path.GetFileName(file))
                    {
                        throw new StoreException($"{file} in the backup is not what it was, and nothing was put back. Take another backup.");
                    }
                }

                Copy(file, Path.Combine(data, Path.GetRelativePath(folder, file)));
            }
        }
    }

    private static BackupAbout Read(string folder)
    {
        var file = Path.Combine(folder, About);
        try
        {
            return JsonSerializer.Deserialize(File.ReadAllText(file), BackupJson.Default.BackupAbout) is { Form: 1 } about
                ? about
                : throw new StoreException($"{file} is of a form that this program does not know. Run the program that made the backup, or a newer one.");
        }
        catch (Exception error) when (error is FileNotFoundException or DirectoryNotFoundException)
        {
            throw new StoreException($"There is no whole backup in {folder}: {About} is missing, which is written last.", error);
        }
        catch (JsonException error)
        {
            throw new StoreException($"{file} cannot be read: {Troubles.InWords(error)}.", error);
        }
    }

    /// <summary>Copies what is not there yet.</summary>
    /// <returns>How many files there are, and how many of them are new.</returns>
    private static (int All, int New) Copied(string data, string folder)
    {
        var (all, added) = (0, 0);
        foreach (var (name, isByDigest) in Folders)
        {
            foreach (var file in Files(Path.Combine(data, name)))
            {
                if (file.EndsWith(".part", StringComparison.Ordinal))
                {
                    continue;
                }

                all++;
                var to = Path.Combine(folder, Path.GetRelativePath(data, file));
                if (isByDigest ? !File.Exists(to) : !IsAsItWas(file, to))
                {
                    added += Copy(file, to) ? 1 : 0;
                }
            }
        }

        return (all, added);
    }

    /// <summary>All files below a folder; folders may go while they are looked through.</summary>
    private static IEnumerable<string> Files(string folder)
    {
        string[] files, folders;
        try
        {
            (files, folders) = (Directory.GetFiles(folder), Directory.GetDirectories(folder));
        }
        catch (DirectoryNotFoundException)
        {
            return [];
        }

        return files.Concat(folders.SelectMany(Files));
    }

    private static bool IsAsItWas(string file, string copy)
    {
        var (here, there) = (new FileInfo(file), new FileInfo(copy));
        return there.Exists && there.Length == here.Length && there.LastWriteTimeUtc == here.LastWriteTimeUtc;
    }

    /// <summary>Copies a file whole or not at all; false where it went meanwhile.</summary>
    private static bool Copy(string from, string to)
    {
        OwnFolder.Make(Path.GetDirectoryName(to)!);
        var part = to + ".part";
        try
        {
            File.Copy(from, part, overwrite: true);
        }
        catch (Exception error) when (error is FileNotFoundException or DirectoryNotFoundException)
        {
            return false;
        }

        using (var stream = new FileStream(part, FileMode.Open, FileAccess.Write))
        {
            stream.Flush(flushToDisk: true);
        }

        File.SetLastWriteTimeUtc(part, File.GetLastWriteTimeUtc(from));
        File.Move(part, to, overwrite: true);
        return true;
    }

    private static bool WasLetGo(IReadOnlyList<Change> changes) =>
        changes.OfType<PutPackage>().Any(change => change.Package.History is [.., var last] && last.State == PackageEntry.LetGo);
}

/// <summary>What a backup says of itself.</summary>
/// <param name="Form">1.</param>
/// <param name="Records">How many records its log has.</param>
/// <param name="Digest">Of the last of them.</param>
/// <param name="At">When the last of them was decided, by the service's clock.</param>
/// <param name="Files">How many files lie beside it.</param>
internal sealed record BackupAbout(int Form, long Records, string Digest, DateTimeOffset At, int Files)
{
    /// <summary>How many records are new in it.</summary>
    [JsonIgnore]
    public long NewRecords { get; init; }

    /// <summary>How many files are new in it.</summary>
    [JsonIgnore]
    public int NewFiles { get; init; }
}

[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, WriteIndented = true)]
[JsonSerializable(typeof(BackupAbout))]
internal sealed partial class BackupJson : JsonSerializerContext;
