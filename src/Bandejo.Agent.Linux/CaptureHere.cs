using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core.Installers;
using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>
/// Captures what is installed by hand on this very machine: a look before, a look after, and what came between them in a folder that
/// <c>bandejo package capture --from</c> makes a package of.
/// </summary>
internal static class CaptureHere
{
    private const string Before = "before.json";

    private static readonly string[] Users = ["root", "home"];

    private static readonly string[] Lists = ["etc/passwd", "etc/group"];

    /// <summary>Notes what is there now.</summary>
    /// <exception cref="InvalidDataException">The folder holds something already.</exception>
    public static int Begin(Home home, string folder)
    {
        folder = Path.GetFullPath(folder);
        if (Directory.Exists(folder) && Directory.EnumerateFileSystemEntries(folder).Any())
        {
            throw new InvalidDataException($"{folder} is not empty; nothing was changed. Name a new folder.");
        }

        Directory.CreateDirectory(folder);
        var entries = MachineLook.Entries(home.Root, home.Folder, folder);
        foreach (var list in Lists.Where(list => File.Exists(Path.Combine(home.Root, list))))
        {
            File.Copy(Path.Combine(home.Root, list), Path.Combine(folder, Path.GetFileName(list)));
        }

        File.WriteAllText(Path.Combine(folder, Before), JsonSerializer.Serialize(entries, CaptureJson.Default.DictionaryStringMachineEntry));
        Console.WriteLine(
            $"{entries.Count:N0} files and folders are noted. Install what you want, by hand, and answer what it asks; then: bandejo-agent after {folder}");
        return 0;
    }

    /// <summary>Says what has changed since, and brings the files.</summary>
    /// <exception cref="InvalidDataException">Nobody has looked before.</exception>
    public static int End(Home home, string folder)
    {
        folder = Path.GetFullPath(folder);
        var note = Path.Combine(folder, Before);
        if (!File.Exists(note))
        {
            throw new InvalidDataException($"Nobody noted in {folder} what was there before. First, before you install: bandejo-agent before {folder}");
        }

        var before = JsonSerializer.Deserialize(File.ReadAllText(note), CaptureJson.Default.DictionaryStringMachineEntry)!;
        var carried = Path.Combine(Path.GetDirectoryName(folder) ?? "/", Path.GetFileName(folder) + CaptureArchive.Ending);
        var now = MachineLook.Entries(home.Root, home.Folder, folder, carried);
        var noise = new TrialNoise(TrialInside.Noise());
        var look = new CaptureLook(home.Root, Kept(folder, Lists[0]), Kept(folder, Lists[1]));
        var found = look.Made().ToList();
        foreach (var (path, entry) in now.Where(pair => before.GetValueOrDefault(pair.Key) != pair.Value).OrderBy(pair => pair.Key, StringComparer.Ordinal))
        {
            found.Add(Look(
                home.Root, path, entry, look, noise, Users.Contains(path.Split('/')[1]) ? "user" : before.ContainsKey(path) ? "changed" : null, folder));
        }

        found.AddRange(before.Keys.Where(path => !now.ContainsKey(path) && !noise.Is(path)).Order(StringComparer.Ordinal).Select(path => new CapturedInfo(
            path[1..], "gone", 0, "", null, null, "changed")));
        File.WriteAllText(Path.Combine(folder, "captured.json"), JsonSerializer.Serialize(
            new CaptureAnswer(0, found, new LinuxFacts(home.Root).Gather().Facts), ContractJson.Default.CaptureAnswer));
        Pack(folder, carried);
        Console.WriteLine(
            $"{found.Count(each => each is { LeftOut: null, Kind: "file" }):N0} new files are in {folder}. Carry {carried} to where you package, and drop "
                + $"it on the bench of the console; or carry the folder, and there: bandejo package capture --from {Path.GetFileName(folder)} --draft "
                    + $"drafts/NAME");
        return 0;
    }

    /// <summary>Puts what the bench needs into one file.</summary>
    private static void Pack(string folder, string carried)
    {
        using var archive = new ZipArchive(new FileStream(carried, FileMode.Create, FileAccess.ReadWrite), ZipArchiveMode.Create);
        archive.CreateEntryFromFile(Path.Combine(folder, CaptureArchive.ListName), CaptureArchive.ListName);
        var payload = Path.Combine(folder, CaptureDraft.PayloadName);
        foreach (var file in Directory.Exists(payload) ? Directory.GetFiles(payload, "*", SearchOption.AllDirectories) : [])
        {
            archive.CreateEntryFromFile(file, Path.GetRelativePath(folder, file));
        }
    }

    private static CapturedInfo Look(string root, string path, MachineEntry entry, CaptureLook look, TrialNoise noise, string? otherwise, string folder)
    {
        if (look.Find(path) is not { } found)
        {
            return new CapturedInfo(path[1..], "gone", 0, "", null, null, "noise");
        }

        var why = look.WhyLeft(path, found.Kind, noise, otherwise);
        var sha256 = found.Kind == "file" && why is not ("noise" or "accounts") ? Keep(root, path, folder) : null;
        return new CapturedInfo(
            path[1..], found.Kind, entry.Size, found.Mode, found.Target, sha256, found.Kind == "file" && sha256 is null ? why ?? "noise" : why,
            found.Owner == CaptureDraft.SystemAccount ? null : found.Owner);
    }

    /// <summary>A list of accounts as it was before; null where nobody kept it.</summary>
    private static string? Kept(string folder, string list) =>
        Path.Combine(folder, Path.GetFileName(list)) is var file && File.Exists(file) ? File.ReadAllText(file) : null;

    /// <summary>Copies a file into the folder, and returns its digest; null where it is no ordinary file, or gone meanwhile.</summary>
    private static string? Keep(string root, string path, string folder)
    {
        var target = Path.Combine(folder, "payload", path[1..]);
        try
        {
            using var from = new RootFolder(root).OpenRead(path);
            if (from is null)
            {
                return null;
            }

            Directory.CreateDirectory(Path.GetDirectoryName(target)!);
            using var to = new FileStream(target, FileMode.Create, FileAccess.ReadWrite);
            from.CopyTo(to);
            to.Position = 0;
            return Convert.ToHexStringLower(SHA256.HashData(to));
        }
        catch (IOException error)
        {
            Console.Error.WriteLine($"{path} is left out: {error.Message}");
            return null;
        }
    }
}

/// <summary>JSON for what was there before.</summary>
[JsonSerializable(typeof(Dictionary<string, MachineEntry>))]
internal sealed partial class CaptureJson : JsonSerializerContext;
