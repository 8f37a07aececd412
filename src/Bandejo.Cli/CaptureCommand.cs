using System.CommandLine;
using System.CommandLine.Parsing;
using System.Diagnostics;
using System.Text.Json;
using System.Text.RegularExpressions;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Installers;
using Bandejo.Packaging;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo package capture</c>: makes a package of what an installer does that somebody must answer.</summary>
internal static partial class CaptureCommand
{
    private const int MostRows = 40;

    private static readonly Argument<string[]> Words = new("command")
    {
        Description = "Behind --: the command to answer, and its arguments; without one, a shell", Arity = ArgumentArity.ZeroOrMore,
    };
    private static readonly Option<string?> DraftInto = new("--draft") { Description = "Make this package folder of what is captured" };
    private static readonly Option<string> In = new("--in")
    {
        Description = "The folder that the command is run in, such as the one with the installer; it is only read", DefaultValueFactory = _ => ".",
    };
    private static readonly Option<string?> From = new(
        "--from") { Description = "A folder that bandejo-agent before and after have made on another machine; nothing is run here then" };
    private static readonly Option<string?> Name = new("--name", "-n") { Description = "The app's name [that of the draft's folder]" };
    private static readonly Option<string> Version = new("--version-is") { Description = "Its version [to be filled in]", DefaultValueFactory = _ => "" };
    private static readonly Option<string[]> With = Shared.Several(
        "--with", "folder", "Package folders that it needs first, or folders of them; what belongs to them is left out");
    private static readonly Option<string[]> Take = Shared.Several(
        "--take", "pattern", "Patterns of paths to take that would be left out, such as 'etc/foldline/**' or 'root/.foldlinerc'");
    private static readonly Option<string[]> Leave = Shared.Several("--leave", "pattern", "Patterns of paths to leave out that would be taken");
    private static readonly Option<bool> Network = new("--network") { Description = "Let it reach the network" };
    private static readonly Option<string?> Noise = new("--noise") { Description = "A file of further patterns of files that are nobody's doing" };

    public static Command Make() => Shared.Verb(
        "capture", "Runs an installer that asks on a clean sandbox of this machine, where you answer it, and makes a package of what it did",
        "package capture --in demo/installers --draft drafts/plateglass -- sh plateglass-studio-11.4.0.run", Run, DraftInto, In, From, Name, Version, With,
        Take, Leave, Network, Noise, Words);

    private static async Task<int> Run(ParseResult parsed, Client client, CancellationToken cancellation)
    {
        var into = parsed.GetValue(DraftInto);
        if (into is not null && Directory.Exists(into) && Directory.EnumerateFileSystemEntries(into).Any())
        {
            throw new WrongUseException($"{into} is there already and not empty; nothing was changed.");
        }

        if (parsed.GetValue(From) is { } brought)
        {
            return await Make(parsed, await Brought(brought, cancellation), "what was installed by hand", brought, isShell: true);
        }

        var folder = Path.GetFullPath(parsed.GetValue(In)!);
        if (!Directory.Exists(folder))
        {
            throw new WrongUseException($"There is no folder {folder}.");
        }

        var agent = TrialCommand.Agent();
        var before = new List<TrialPackage>();
        var first = PackageFolders.First(parsed.GetValue(With)!, needs: null);
        foreach (var need in first.Ok ? first.Value : throw new WrongUseException(first.Failure!.Message))
        {
            if ((await TrialCommand.Checked(need, client, cancellation)).Package is not { } package)
            {
                return ExitCode.No;
            }

            before.Add(package);
        }

        var command = parsed.GetValue(Words)! is { Length: > 0 } words ? words : ["sh"];
        var captured = Directory.CreateTempSubdirectory("bandejo-capture-").FullName;
        try
        {
            var noise = parsed.GetValue(Noise) is { } file ? await File.ReadAllLinesAsync(file, cancellation) : [];
            Console.Error.WriteLine(
                $"On a clean sandbox of this machine: {string.Join(' ', command)}"
                    + $"{(command is ["sh"] && parsed.GetValue(Words)!.Length == 0 ? "   (install what you want, then: exit)" : "")}");
            var answer = await Capture(agent, new CapturePlan(command, folder, captured, before, parsed.GetValue(Network), noise), cancellation);
            return await Make(parsed, answer, string.Join(' ', command), captured, isShell: parsed.GetValue(Words)!.Length == 0);
        }
        finally
        {
            Directory.Delete(captured, recursive: true);
        }
    }

    /// <summary>What a folder holds that another machine was captured into.</summary>
    private static async Task<CaptureAnswer> Brought(string folder, CancellationToken cancellation)
    {
        var told = Path.Combine(folder, "captured.json");
        if (!File.Exists(told))
        {
            throw new WrongUseException(
                $"There is no captured.json in {folder}. On the machine for it: bandejo-agent before FOLDER, install by hand, bandejo-agent after FOLDER; "
                    + $"then carry the folder here.");
        }

        try
        {
            var answer = JsonSerializer.Deserialize(await File.ReadAllTextAsync(told, cancellation), ContractJson.Default.CaptureAnswer)!;
            return answer.Found.All(each => each.Kind is "gone" or "user" or "group" || CaptureDraft.IsSafe(each.Path))
                ? answer
                : throw new WrongUseException($"{told} names a file that climbs out of its folder; nothing was made of it.");
        }
        catch (JsonException error)
        {
            throw new WrongUseException($"{told} cannot be read: {Troubles.InWords(error)}.");
        }
    }

    /// <summary>Shows what was captured, and drafts a package folder of it where one is asked for.</summary>
    /// <param name="captured">The folder with the files.</param>
    /// <param name="isShell">Somebody worked by hand: with which code that ended says nothing of what was done.</param>
    private static Task<int> Make(ParseResult parsed, CaptureAnswer answer, string command, string captured, bool isShell)
    {
        var into = parsed.GetValue(DraftInto);
        var found = Chosen(answer.Found, parsed.GetValue(Take)!, parsed.GetValue(Leave)!);
        if (parsed.GetValue(Shared.Output) == "table")
        {
            Print(isShell ? null : answer.ExitCode, found);
        }
        else
        {
            Say.Json(answer with { Found = found }, ContractJson.Default.CaptureAnswer);
        }

        var taken = found.Where(each => each.LeftOut is null).ToList();
        if (taken.Count == 0)
        {
            Console.Error.WriteLine("Nothing was captured that could become a package.");
            return Task.FromResult(ExitCode.No);
        }

        if (into is null)
        {
            Console.Error.WriteLine("\nNext: the same with --draft FOLDER makes a package folder of it; --leave and --take choose what belongs to it.");
            return Task.FromResult(ExitCode.Done);
        }

        Draft(into, parsed, command, taken, answer.Facts, Path.Combine(captured, CaptureDraft.PayloadName));
        Console.Error.WriteLine(
            $"\n{Path.Combine(into, PackageFolder.ManifestName)} is drafted. Next: look through it and captured.txt, then bandejo package check {into}, "
                + $"and bandejo package trial {into}");
        return Task.FromResult(ExitCode.Done);
    }

    /// <summary>Has the agent's program do it, with this terminal.</summary>
    private static async Task<CaptureAnswer> Capture(string agent, CapturePlan plan, CancellationToken cancellation)
    {
        var file = Path.GetTempFileName();
        try
        {
            await File.WriteAllTextAsync(file, JsonSerializer.Serialize(plan, ContractJson.Default.CapturePlan), cancellation);
            using var process = Process.Start(new ProcessStartInfo(agent, ["capture", file]) { UseShellExecute = false })!;
            await process.WaitForExitAsync(cancellation);
            var told = Path.Combine(plan.Into, "captured.json");
            return process.ExitCode == 0 && File.Exists(told)
                ? JsonSerializer.Deserialize(await File.ReadAllTextAsync(told, cancellation), ContractJson.Default.CaptureAnswer)!
                : throw new WrongUseException($"Nothing was captured: the sandbox ended with code {process.ExitCode}.");
        }
        finally
        {
            File.Delete(file);
        }
    }

    /// <summary>What was found, with what this person takes and leaves. Noise cannot be taken: it was not kept.</summary>
    private static List<CapturedInfo> Chosen(IReadOnlyList<CapturedInfo> found, string[] take, string[] leave) =>
        [.. found.Select(each =>
            leave.Any(pattern => Fits(pattern, each.Path)) ? each with { LeftOut = each.LeftOut ?? "your choice" }
            : each.LeftOut is "user" or "changed" && each.Kind != "gone" && take.Any(pattern => Fits(pattern, each.Path))
                ? each with { LeftOut = null }
                : each)];

    /// <summary>A path against a pattern: <c>*</c> stands for any part of a name, <c>**</c> for everything below.</summary>
    private static bool Fits(string pattern, string path) =>
        Regex.IsMatch(
            path, "^" + Stars().Replace(Regex.Escape(pattern.TrimStart('/')), match => match.Value == @"\*\*" ? ".*" : "[^/]*") + "$",
            RegexOptions.NonBacktracking);

    private static void Print(int? code, List<CapturedInfo> found)
    {
        var all = found.Where(each => each.LeftOut is null).ToList();

        // A folder in which nothing is captured is a thing of its own, such as the one for its logs.
        var taken = all.Where((each, at) => each.Kind != "folder" || !all.Exists(other => other.Path.StartsWith(each.Path + "/", StringComparison.Ordinal)))
            .ToList();
        Say.Line(
            $"\n{(code is { } ended ? $"It ended with code {Say.Number(ended)}. " : "")}[bold]{Say.Number(taken.Count)} "
                + $"thing{(taken.Count == 1 ? "" : "s")} captured[/], {Say.Size(taken.Sum(each => each.Size))}:");
        foreach (var each in taken.Take(MostRows))
        {
            Say.Line(
                $"  [green4]■[/] {Markup.Escape(each.Path)}{(each.Kind != "link" ? "" : $" → {Markup.Escape(each.Target!)}")}  [dim]{What(each)}"
                    + $"{(each.Owner is null || each.Kind == "user" ? "" : $" of {Markup.Escape(each.Owner.Split(':')[0])}")}"
                        + $"{(each.Size > 0 ? " " + Say.Size(each.Size) : "")}[/]");
        }

        if (taken.Count > MostRows)
        {
            Say.Line($"  [dim]… and {Say.Number(taken.Count - MostRows)} more (--output json lists all)[/]");
        }

        foreach (var (why, says) in new[]
        {
            ("changed", "was there before: a package that overwrites it takes away what others wrote; --take takes it all the same"),
            ("user", "lies in a person's own folder, which another device does not have; --take takes it all the same"),
            ("needed", "belongs to what it needs first"), ("accounts", "has nothing new but the users and groups above"),
            ("other", "is a pipe, a socket or a device, which no package can carry"), ("noise", "is written by any install, or only passes by"),
            ("your choice", "left out as you asked"),
        })
        {
            var left = found.Where(each => each.LeftOut == why && each.Kind != "folder").ToList();
            if (left.Count > 0)
            {
                Say.Line(
                    $"[darkgoldenrod]Left out[/], {Say.Number(left.Count)}: {says} "
                        + $"[dim]({Markup.Escape(string.Join(", ", left.Take(3).Select(each => (each.Kind == "gone" ? "gone: " : "") + each.Path)))}"
                            + $"{(left.Count > 3 ? ", …" : "")})[/]");
            }
        }
    }

    private static string What(CapturedInfo each) => each.Path switch
    {
        _ when each.Kind is "link" or "user" or "group" or "folder" => each.Kind,
        _ when each.Path.EndsWith(".desktop", StringComparison.Ordinal) => "shortcut",
        _ when each.Path.StartsWith("etc/systemd/", StringComparison.Ordinal) || each.Path.EndsWith(".service", StringComparison.Ordinal) => "service",
        _ when each.Path.StartsWith("etc/profile.d/", StringComparison.Ordinal) || each.Path == "etc/environment" => "environment",
        _ when each.Path.StartsWith("etc/", StringComparison.Ordinal) => "setting",
        _ => "file",
    };

    private static void Draft(
        string into, ParseResult parsed, string command, List<CapturedInfo> taken, IReadOnlyDictionary<string, string>? facts, string payload)
    {
        var entries = taken.ConvertAll(each => new CapturedEntry(each.Path, each.Kind, each.Mode, each.Target, each.Sha256, each.Owner));
        string list;
        try
        {
            list = CaptureDraft.List(entries);
        }
        catch (FormatException error)
        {
            throw new WrongUseException($"{error.Message} Leave it out with --leave.");
        }

        Directory.CreateDirectory(into);
        foreach (var file in taken.Where(each => each.Kind == "file"))
        {
            var target = Path.Combine(into, CaptureDraft.PayloadName, file.Path);
            Directory.CreateDirectory(Path.GetDirectoryName(target)!);
            File.Copy(Path.Combine(payload, file.Path), target);
        }

        File.WriteAllText(Path.Combine(into, "install.sh"), CaptureDraft.Install);
        File.WriteAllText(Path.Combine(into, "remove.sh"), CaptureDraft.Remove);
        File.WriteAllText(Path.Combine(into, CaptureDraft.ListName), list);
        var name = parsed.GetValue(Name) ?? Path.GetFileName(Path.TrimEndingDirectorySeparator(Path.GetFullPath(into)));
        File.WriteAllText(Path.Combine(into, PackageFolder.ManifestName), CaptureDraft.Manifest(
            name, parsed.GetValue(Version)!, command, entries, taken.Sum(each => each.Size), facts));
    }

    [GeneratedRegex(@"\\\*\\\*|\\\*")]
    private static partial Regex Stars();
}
