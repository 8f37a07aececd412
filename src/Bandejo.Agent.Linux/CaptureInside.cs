using System.ComponentModel;
using System.Diagnostics;
using System.Globalization;
using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core.Installers;
using Bandejo.Device;
using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>What runs inside the sandbox of a capture: what is needed first, the command, and then a look at what is there that was not.</summary>
internal static class CaptureInside
{
    private static readonly string[] Users = ["root", "home"];
    private static readonly string[] Passing = ["tmp", "mnt", "media"];

    public static async Task<int> Run(string planFile, TimeProvider time, CancellationToken cancellation)
    {
        var plan = JsonSerializer.Deserialize(await File.ReadAllTextAsync(planFile, cancellation), ContractJson.Default.CapturePlan)!;
        foreach (var package in plan.Before)
        {
            await Need(package, time, cancellation);
        }

        var look = new CaptureLook("/");
        var before = Entries(look).ToDictionary(entry => entry.Path, entry => entry, StringComparer.Ordinal);
        var code = await Command(plan, cancellation);
        var noise = new TrialNoise([.. TrialInside.Noise(), .. plan.Noise]);
        look.Refresh();
        var found = look.Made().ToList();
        foreach (var entry in Entries(look).Where(entry => !before.TryGetValue(entry.Path, out var known) || known != entry).OrderBy(
            entry => entry.Path, StringComparer.Ordinal))
        {
            if (Look(entry, look, noise, isNeeded: before.ContainsKey(entry.Path)) is { } captured)
            {
                found.Add(captured);
                Keep(captured, plan.Into);
            }
        }

        // What was there for the needs and has not changed since is told as well, so that nobody wonders where it is.
        found.AddRange(before.Values.Where(entry => entry.Kind != "folder" && found.TrueForAll(each => each.Path != entry.Path[1..])).OrderBy(
            entry => entry.Path, StringComparer.Ordinal)
            .Where(entry => !noise.Is(entry.Path) && !Passing.Contains(entry.Path[1..].Split('/')[0]))
                .Select(entry => new CapturedInfo(entry.Path[1..], entry.Kind, entry.Size, "", null, null, "needed")));
        await File.WriteAllTextAsync(
            Path.Combine(plan.Into, "captured.json"),
            JsonSerializer.Serialize(new CaptureAnswer(code, found, new LinuxFacts("/").Gather().Facts), ContractJson.Default.CaptureAnswer), cancellation);
        return 0;
    }

    private static async Task Need(TrialPackage package, TimeProvider time, CancellationToken cancellation)
    {
        var document = package.Document;
        var cache = new FolderCache(Path.Combine(CleanRoot.Inside, "content"));
        TrialInside.Fill(cache, package);
        var meant = TrialRunner.VariantFor(document, new LinuxFacts("/").Gather())
            ?? throw new InvalidDataException($"No variant of {document.Name} {document.Version}, which is needed first, is meant for this machine.");
        var variant = Filling.Fill(meant, Filling.Written(document, null));
        var processes = new LinuxProcesses("/", CleanRoot.Inside, cache, time);
        var end = await processes.Run(
            Steps.Run($"need-{document.App}", "install", document, variant, variant.Install), TimeSpan.FromSeconds(variant.Install.LimitSeconds),
            endAtLimit: true, cancellation);
        if (end.ExitCode != 0)
        {
            throw new InvalidDataException(
                $"{document.Name} {document.Version}, which is needed first, could not be installed: {end.Problem ?? $"it ended with code {end.ExitCode}"}.");
        }
    }

    /// <summary>Runs the command with the terminal of whoever called.</summary>
    private static async Task<int> Command(CapturePlan plan, CancellationToken cancellation)
    {
        try
        {
            using var process = Process.Start(
                new ProcessStartInfo(plan.Command[0], plan.Command.Skip(1)) { UseShellExecute = false, WorkingDirectory = plan.Folder })!;
            await process.WaitForExitAsync(cancellation);
            return process.ExitCode;
        }
        catch (Win32Exception error)
        {
            throw new InvalidDataException(
                $"'{plan.Command[0]}' could not be started: {error.Message}. It is run in the folder that was given, on a clean root of this machine.", error);
        }
    }

    private static CapturedInfo? Look(Entry entry, CaptureLook look, TrialNoise noise, bool isNeeded)
    {
        var path = entry.Path[1..];
        var top = path.Split('/')[0];
        var beneath = new FileInfo(Path.Combine(CaptureSandbox.Beneath, path));
        var wasThere = CleanRoot.Layered.Contains(top) && (beneath.Exists || beneath.LinkTarget is not null || Directory.Exists(beneath.FullName));
        if (entry.Kind == "folder" && wasThere)
        {
            return null;
        }

        var sha256 = entry.Kind == "file" ? Digest(entry.Path) : null;
        if (entry.Kind == "file" && wasThere && beneath.LinkTarget is null && beneath.Exists && beneath.Length == entry.Size
            && Digest(beneath.FullName) == sha256)
        {
            // Only its rights or times were written; the layer takes the whole file for that.
            return null;
        }

        var why = look.WhyLeft(
            entry.Path, entry.Kind, noise,
            Passing.Contains(top) ? "noise" : Users.Contains(top) ? "user" : wasThere || isNeeded || entry.Kind == "gone" ? "changed" : null);
        return new CapturedInfo(path, entry.Kind, entry.Size, entry.Mode, entry.Target, sha256, why, entry.Owner);
    }

    private static void Keep(CapturedInfo captured, string into)
    {
        if (captured is { Kind: "file", LeftOut: not ("noise" or "accounts") })
        {
            var target = Path.Combine(into, "payload", captured.Path);
            Directory.CreateDirectory(Path.GetDirectoryName(target)!);
            File.Copy("/" + captured.Path, target, overwrite: true);
            File.SetUnixFileMode(target, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead);
        }
    }

    /// <summary>All that lies in the layers and in the folders that were empty. What a layer has and the root has not was taken away.</summary>
    private static IEnumerable<Entry> Entries(CaptureLook look)
    {
        foreach (var folder in CleanRoot.Layered)
        {
            var layer = Path.Combine(CleanRoot.Inside, "changes", folder);
            foreach (var entry in Below(layer))
            {
                yield return Of($"/{folder}{entry.FullName[layer.Length..]}", look);
            }
        }

        foreach (var entry in CleanRoot.Empty.SelectMany(folder => Below($"/{folder}")))
        {
            yield return Of(entry.FullName, look);
        }
    }

    private static IEnumerable<FileSystemInfo> Below(string folder) =>
        new DirectoryInfo(folder)
            .EnumerateFileSystemInfos(
                "*", new EnumerationOptions { RecurseSubdirectories = true, AttributesToSkip = FileAttributes.None, IgnoreInaccessible = true });

    private static Entry Of(string path, CaptureLook look) =>
        look.Find(path) is { } found
            ? new Entry(
                path, found.Kind, found.Size, found.Kind == "file" ? File.GetLastWriteTimeUtc(path) : default, found.Target, found.Mode,
                found.Owner == CaptureDraft.SystemAccount ? null : found.Owner)
            : new Entry(path, "gone", 0, default, null, "", null);

    private static string Digest(string path)
    {
        using var stream = File.OpenRead(path);
        return Convert.ToHexStringLower(SHA256.HashData(stream));
    }

    private sealed record Entry(string Path, string Kind, long Size, DateTime Written, string? Target, string Mode, string? Owner);
}
