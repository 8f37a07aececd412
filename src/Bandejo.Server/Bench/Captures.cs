using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Store;

namespace Bandejo.Server.Bench;

/// <summary>A capture in a draft: what was found on the other machine, and what of it is taken.</summary>
/// <param name="File">The capture's path in the draft.</param>
/// <param name="Taken">The paths that are taken, each once.</param>
internal sealed record KeptCapture(string File, IReadOnlyList<CapturedInfo> Found, IReadOnlyDictionary<string, string>? Facts, IReadOnlyList<string> Taken);

/// <summary>Makes the files of a draft from a capture and from what is taken of it.</summary>
internal sealed class Captures(BenchFolder folder)
{
    private const int MostFound = 50_000;

    /// <summary>What a capture says, with all taken that belongs to the software.</summary>
    /// <param name="budget">What reading it may cost.</param>
    public Outcome<KeptCapture> Read(string id, string file, ReadingBudget budget)
    {
        using var stream = folder.Open(id, file);
        var opened = CaptureArchive.Open(stream, budget);
        if (!opened.Ok)
        {
            return opened.Failure!;
        }

        CaptureAnswer? answer;
        try
        {
            answer = JsonSerializer.Deserialize(opened.Value.List, ContractJson.Default.CaptureAnswer);
        }
        catch (JsonException error)
        {
            return new Failure(ErrorKind.Invalid, $"Its {CaptureArchive.ListName} cannot be read: {error.Message}");
        }

        if (answer?.Found is not { Count: <= MostFound } found
            || found.Any(each => each?.Path is null || each.Kind is null || each.Mode is null || each.Size < 0 || !(
                each.Kind is "gone" ? each.Path.Length < 4096 : each.Kind is "user" or "group" ? Accounts.IsName(each.Path) : CaptureDraft.IsSafe(each.Path))))
        {
            return new Failure(
                ErrorKind.Invalid, $"Its {CaptureArchive.ListName} names more than {MostFound:N0} things, or one that climbs out of its folder.");
        }

        return new KeptCapture(file, found, answer.Facts, [.. found.Where(each => each.LeftOut is null).Select(each => each.Path).Distinct(
            StringComparer.Ordinal)]);
    }

    /// <summary>Whether something could be taken: it was kept, and no package is forbidden to carry it.</summary>
    public static bool CanBeTaken(CapturedInfo each) =>
        each.LeftOut is null or "user" or "changed" && each.Kind != "gone" && (each.Kind != "file" || each.Sha256 is not null);

    /// <summary>The draft's files as the capture and its choice make them, and a manifest where nobody has written in it.</summary>
    /// <param name="mostFiles">The most files of a draft.</param>
    /// <param name="mostBytes">The most bytes of them all.</param>
    public Outcome<KeptDraft> Apply(KeptDraft draft, KeptCapture capture, int mostFiles, long mostBytes, CancellationToken cancellation)
    {
        var taken = capture.Found.Where(each => capture.Taken.Contains(each.Path) && CanBeTaken(each)).DistinctBy(each => each.Path, StringComparer.Ordinal)
            .ToList();
        var payload = taken.Where(each => each.Kind == "file").ToDictionary(each => $"{CaptureDraft.PayloadName}/{each.Path}", StringComparer.Ordinal);
        if (payload.Count + 4 > mostFiles)
        {
            return new Failure(
                ErrorKind.TooMuch,
                $"{payload.Count:N0} files are taken, and a draft has at most {mostFiles:N0}; make its package with the command line: bandejo package "
                    + $"capture --from.");
        }

        if (taken.Sum(each => each.Size) is var bytes && bytes > mostBytes)
        {
            return new Failure(ErrorKind.TooMuch, $"What is taken has {Units.FormatSize(bytes)}; a package has at most {Units.FormatSize(mostBytes)}.");
        }

        var entries = taken.ConvertAll(each => new CapturedEntry(each.Path, each.Kind, each.Mode, each.Target, each.Sha256, each.Owner));
        string list;
        try
        {
            list = CaptureDraft.List(entries);
        }
        catch (FormatException error)
        {
            return new Failure(ErrorKind.Invalid, $"{error.Message} Leave it out.");
        }

        var files = draft.Files.Where(file => !file.Path.StartsWith(CaptureDraft.PayloadName + "/", StringComparison.Ordinal) || payload.ContainsKey(file.Path))
            .ToDictionary(file => file.Path, StringComparer.Ordinal);
        foreach (var gone in draft.Files.Where(file => !files.ContainsKey(file.Path)))
        {
            folder.RemoveFile(draft.Id, gone.Path);
        }

        using (var stream = folder.Open(draft.Id, capture.File))
        {
            // It may be as large as a package, and each file is held to its size.
            var archive = CaptureArchive.Open(
                stream, new ReadingBudget(TimeProvider.System, cancellation) { Time = TimeSpan.FromMinutes(30), Unpacked = long.MaxValue });
            foreach (var (path, each) in payload.Where(pair => !files.ContainsKey(pair.Key)))
            {
                using var target = folder.Create(draft.Id, path);
                var copied = archive.Ok ? archive.Value.TakeOut(each.Path, each.Size, target) : archive.Failure!;
                if (!copied.Ok)
                {
                    return copied.Failure!;
                }

                target.Position = 0;
                var sha256 = Convert.ToHexStringLower(SHA256.HashData(target));
                if (sha256 != each.Sha256)
                {
                    return new Failure(ErrorKind.Invalid, $"'{each.Path}' is not what its list says.");
                }

                files[path] = new BenchFileInfo(path, each.Size, each.Size, sha256, null);
            }
        }

        foreach (var (path, text) in new[] { ("install.sh", CaptureDraft.Install), ("remove.sh", CaptureDraft.Remove), (CaptureDraft.ListName, list) })
        {
            var content = Encoding.UTF8.GetBytes(text);
            folder.Put(draft.Id, path, content);
            files[path] = new BenchFileInfo(path, content.Length, content.Length, Convert.ToHexStringLower(SHA256.HashData(content)), null);
        }

        draft = draft with { Capture = capture, Files = [.. files.Values.OrderBy(file => file.Path, StringComparer.Ordinal)] };
        if (draft.Manifest != draft.Drafted)
        {
            return draft;
        }

        var name = Path.GetFileName(capture.File)[..^CaptureArchive.Ending.Length];
        var manifest = CaptureDraft.Manifest(
            name.Length == 0 ? "captured" : name, "", "what was installed by hand", entries, taken.Sum(each => each.Size), capture.Facts);
        return draft with { Manifest = manifest, Drafted = manifest };
    }
}
