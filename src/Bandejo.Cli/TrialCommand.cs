using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Packaging;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo package trial</c>: tries a package in a clean sandbox of this machine, through the agent's own program, or on a device.</summary>
internal static class TrialCommand
{
    private static readonly Argument<string> Folder = new("folder")
    {
        Description = "A package folder, which holds package.yaml, or a package of the catalogue", DefaultValueFactory = _ => ".",
    };
    private static readonly Option<string?> From = new(
        "--from") { Description = "The folder or package of the version that devices have now: upgrade from it, and fall back to it" };
    private static readonly Option<string?> On = new("--on")
    {
        Description = "Try it on this enrolled device, which must be in a group for testing [a clean sandbox of this machine]",
    };
    private static readonly Option<string[]> With = Shared.Several(
        "--with", "folder", "Package folders that it needs first, or a folder of them, of which those are taken that it needs");
    private static readonly Option<string[]> Variants = Shared.Several("--variant", "variant", "Only these variants [all that fit this machine]");
    private static readonly Option<int?> Limit = new("--limit") { Description = "Seconds that no step may take longer than [its own limit]" };
    private static readonly Option<string?> Upon = new("--upon")
    {
        Description = "Lay the sandbox upon the system in this folder, or upon a named release, which debootstrap makes once and which is kept [this "
            + "machine's system]",
    };
    private static readonly Option<bool> Network = new("--network") { Description = "Let it reach the network; a package should not need to" };
    private static readonly Option<string?> Noise = new("--noise") { Description = "A file of further patterns of files that are no leftovers" };

    public static Command Make() => Shared.Verb(
        "trial",
        "Tries a package in a clean sandbox, or on a device for testing: install, proof, launch, install again, remove, leftovers, upgrade and the way back",
        "package trial demo/packages/foldline-7.2.0 --from demo/packages/foldline-7.1.0", Run, Folder, On, From, With, Variants, SettingOptions.Setting,
        SettingOptions.Preset, Limit, Upon, Network, Noise);

    private static async Task<int> Run(ParseResult parsed, Client client, CancellationToken cancellation)
    {
        if (parsed.GetValue(On) is { } device)
        {
            if (parsed.GetValue(With)!.Length + parsed.GetValue(Variants)!.Length > 0 || parsed.GetValue(Limit) is not null
                || parsed.GetValue(Noise) is not null || parsed.GetValue(Upon) is not null)
            {
                throw new WrongUseException(
                    "On a device, its own variant is tried with what the device has: --with, --variant, --limit, --upon and --noise are for the sandbox.");
            }

            return await TrialOnDevice.Run(parsed, client, device, parsed.GetValue(Folder)!, parsed.GetValue(From), cancellation);
        }

        var agent = Agent();
        var (package, text) = await Checked(parsed.GetValue(Folder)!, client, cancellation);
        if (package is null)
        {
            return ExitCode.No;
        }

        var others = new List<TrialPackage>();
        var first = PackageFolders.First(parsed.GetValue(With)!, package.Document.Needs ?? []);
        foreach (var folder in (first.Ok ? first.Value : throw new WrongUseException(first.Failure!.Message)).Concat(
            parsed.GetValue(From) is { } from ? [from] : []))
        {
            if ((await Checked(folder, client, cancellation)).Package is not { } other)
            {
                return ExitCode.No;
            }

            others.Add(other);
        }

        var earlier = parsed.GetValue(From) is null ? null : others[^1];
        if (earlier is not null && earlier.Document.App != package.Document.App)
        {
            throw new WrongUseException(
                $"{parsed.GetValue(From)} is a package of '{earlier.Document.App}', and cannot be an earlier version of '{package.Document.App}'.");
        }

        var plan = new TrialPlan(
            package, earlier, [.. earlier is null ? others : others.SkipLast(1)], parsed.GetValue(Variants)!, parsed.GetValue(Limit), parsed.GetValue(Network),
            parsed.GetValue(Noise) is { } noise ? await File.ReadAllLinesAsync(noise, cancellation) : [],
            SettingOptions.Read(parsed), parsed.GetValue(SettingOptions.Preset),
            parsed.GetValue(Upon) is { } upon ? await SystemRoots.Find(upon, cancellation) : null);
        var isForPeople = parsed.GetValue(Shared.Output) == "table";
        var started = Stopwatch.GetTimestamp();
        var shown = "";
        var (code, steps, problem) = await TrialProcess.Run(agent, plan, step =>
        {
            if (isForPeople)
            {
                Tell(step, plan, isFirstOfVariant: step.Variant != shown);
                shown = step.Variant;
            }
        }, cancellation);
        if (code is not (ExitCode.Done or ExitCode.No))
        {
            Console.Error.WriteLine(problem.Length > 0 ? problem : $"The trial ended with code {code}.");
            return ExitCode.WrongUse;
        }

        var report = new TrialReport($"{Environment.MachineName}, a clean sandbox{(parsed.GetValue(Upon) is { } beneath ? $" upon {beneath}" : "")}", steps);
        if (!isForPeople)
        {
            Say.Json(report, ContractJson.Default.TrialReport);
        }

        var failed = steps.Count(step => step.State == "failed");
        var warned = steps.Count(step => step.State == "warned");
        var tried = steps.Where(step => step.Name == "install").Select(step => step.Variant).Distinct().Count();
        if (isForPeople)
        {
            Say.Line(
                failed > 0 ? $"\n[red3]The trial failed[/]: {failed} step{(failed == 1 ? "" : "s")} did not hold."
                    : tried == 0 ? "\nNothing was tried: no variant is meant for this machine."
                    : string.Create(
                        CultureInfo.InvariantCulture,
                        $"\n[green4]The trial passed[/]{(warned == 0 ? "" : warned == 1 ? ", with a warning" : $", with {warned} warnings")}, in "
                            + $"{Stopwatch.GetElapsedTime(started).TotalSeconds:0.0} s."));
        }

        if (failed > 0 || tried > 0)
        {
            await Keep(client, text, report, isForPeople, failed > 0 ? "" : parsed.GetValue(Folder)!, cancellation);
        }

        return failed > 0 || tried == 0 ? ExitCode.No : ExitCode.Done;
    }

    /// <summary>The agent's program, which runs things on a clean root.</summary>
    public static string Agent() =>
        TrialProcess.Find()
            ?? throw new WrongUseException("This is carried out by the agent's program, bandejo-agent, which is neither beside this program nor on the path.");

    /// <summary>Keeps the result with the package, where this very content was built already.</summary>
    /// <param name="folder">The folder to build next where it was not; empty where it is not ready for that.</param>
    private static async Task Keep(Client client, string document, TrialReport report, bool isForPeople, string folder, CancellationToken cancellation)
    {
        var digest = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(document)));
        try
        {
            var package = await client.Post(
                $"/api/v1/packages/{digest}/trials", report, ContractJson.Default.TrialReport, ContractJson.Default.PackageInfo, cancellation);
            if (isForPeople)
            {
                Console.WriteLine($"It is kept with {package.Name} {package.Version} ({package.Digest[..12]}), which is {package.State}.");
            }
        }
        catch (RefusedException refused) when (refused.Problem.Status == 404)
        {
            if (isForPeople && folder.Length > 0)
            {
                Console.WriteLine(
                    $"This content is not built yet. Next: bandejo package build {folder}, then try it again, so that the result is kept with the package.");
            }
        }
    }

    /// <summary>The folder as it would be signed, with its document; none where something is wrong with it, which was said.</summary>
    public static async Task<(TrialPackage? Package, string Document)> Checked(string path, Client client, CancellationToken cancellation)
    {
        if (!Directory.Exists(path) && !path.Contains('/'))
        {
            return await TrialOnDevice.Unpacked(path, client, cancellation);
        }

        var folder = PackageFolder.Open(path);
        var files = folder.Hash(folder.List(), Digests.Read(isFresh: false));
        var answer = await client.Post(
            "/api/v1/packages/check", new PackageCheckRequest(folder.Manifest, files), ContractJson.Default.PackageCheckRequest,
            ContractJson.Default.PackageCheckAnswer, cancellation);
        if (answer.Document is null)
        {
            Findings.Print(answer.Findings, folder.Manifest, Path.Combine(folder.Path, PackageFolder.ManifestName));
            return (null, "");
        }

        foreach (var fetch in answer.Fetch ?? [])
        {
            await Fetching.Bring(folder, fetch, _ => { }, cancellation);
        }

        return (new TrialPackage(JsonSerializer.Deserialize(answer.Document, ContractJson.Default.PackageDocument)!, folder.Path), answer.Document);
    }

    private static void Tell(TrialStepInfo step, TrialPlan plan, bool isFirstOfVariant)
    {
        if (isFirstOfVariant)
        {
            Say.Line(
                $"[bold]{Markup.Escape(plan.Package.Document.Name)} {Markup.Escape(plan.Package.Document.Version)}[/], variant "
                    + $"{Markup.Escape(step.Variant)}, in a clean sandbox of this machine{(plan.HasNetwork ? "" : ", without network")}");
        }

        Tell(step);
    }

    /// <summary>Prints a step.</summary>
    public static void Tell(TrialStepInfo step)
    {
        var (glyph, colour) = step.State switch
        {
            "passed" => ("■", "green4"),
            "failed" => ("✗", "red3"),
            "warned" => ("!", "darkgoldenrod"),
            _ => ("□", "grey"),
        };
        var took = step.Seconds > 0 ? string.Create(CultureInfo.InvariantCulture, $"{step.Seconds,6:0.0} s") : "        ";
        Say.Line($"  [{colour}]{glyph}[/] {step.Name,-13} {took}  {Markup.Escape(step.Says)}");
        if (step.State is "failed" or "warned")
        {
            foreach (var line in step.Log)
            {
                Say.Line($"                         [dim]{Markup.Escape(line)}[/]");
            }
        }
    }
}
