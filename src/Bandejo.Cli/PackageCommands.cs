using System.CommandLine;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;


namespace Bandejo.Cli;

/// <summary><c>bandejo package</c></summary>
internal static class PackageCommands
{
    private const int MostTrials = 30;

    private const long MostQuickly = 16 * 1024 * 1024;

    private static readonly Argument<string> Folder = new("folder")
    {
        Description = "The package folder, which holds package.yaml", DefaultValueFactory = _ => ".",
    };
    private static readonly Argument<string> Package = new("package") { Description = "A digest or its beginning, 'app version', or an app" };
    private static readonly Option<bool> Trials = new("--trials") { Description = "What was tried where, and the steps of the last trial" };
    private static readonly Option<string> ReleaseReason = Shared.Reason("with the package", "needed where it was not tried");
    private static readonly Option<string> WithdrawReason = Shared.Reason("with the package", "needed");

    public static Command All() =>
        Shared.Noun(
            "package", "Packages: from a folder of files to something that can be deployed", InspectCommand.Make(), New(), Check(), BuildCommand.Make(),
            TrialCommand.Make(), CaptureCommand.Make(), List(), Show(), Compare(), Contents(), CarryCommands.Export(), CarryCommands.Import(),
            UnpackCommand.Make(), Release(), Withdraw(), RoomCommands.Room(), RoomCommands.LetGo());

    private static Command New()
    {
        var folder = new Argument<string>("folder") { Description = "Where; its name becomes the app's" };
        var command = new Command("new", "Makes a package folder with a manifest to fill in\n\nExample:\n  bandejo package new foldline") { folder };
        command.SetAction((parsed, _) => Shared.Guarded(() =>
        {
            var path = Path.GetFullPath(parsed.GetValue(folder)!);
            var file = Path.Combine(path, PackageFolder.ManifestName);
            if (File.Exists(file))
            {
                throw new WrongUseException($"{file} is there already; nothing was changed.");
            }

            Directory.CreateDirectory(path);
            var name = Path.GetFileName(path);
            File.WriteAllText(file, Template.Manifest(name));
            File.WriteAllText(Path.Combine(path, "install.sh"), Template.Install);
            File.WriteAllText(Path.Combine(path, "remove.sh"), Template.Remove);
            Console.WriteLine($"{file} is made, with two small steps beside it. Fill it in, then: bandejo package check {parsed.GetValue(folder)}");
            return Task.FromResult(ExitCode.Done);
        }));
        return command;
    }

    private static Command Check() =>
        Shared.Verb(
            "check", "Says what is wrong with a package folder, and how many devices it fits", "package check demo/packages/foldline-7.2.0",
            async (parsed, client, cancellation) =>
    {
        var folder = PackageFolder.Open(parsed.GetValue(Folder)!);
        // What is quickly read, or was read before, is compared with the files of other packages.
        var digests = Digests.Read(isFresh: false);
        IReadOnlyList<FileInfoDto> files = [.. folder.List().Select(
            file =>
                file.Size <= MostQuickly || digests.Find(folder.Find(file.Path)) is not null
                    ? file with { Sha256 = digests.Of(folder.Find(file.Path), _ => { }) }
                    : file)];
        var answer = await client.Post(
            "/api/v1/packages/check", new PackageCheckRequest(folder.Manifest, files), ContractJson.Default.PackageCheckRequest,
            ContractJson.Default.PackageCheckAnswer, cancellation);
        return Report(folder, answer);
    }, Folder);

    private static Command List()
    {
        var app = new Option<string?>("--app", "-a") { Description = "Only packages of this app" };
        return Shared.Table("list", "Lists packages", "package list --app foldline", async (parsed, client, cancellation) =>
        {
            var query = parsed.GetValue(app) is { } slug ? $"&app={Uri.EscapeDataString(slug)}" : "";
            var page = await client.Get($"/api/v1/packages?limit=1000{query}", ContractJson.Default.PagePackageInfo, cancellation);
            var sheet = new Sheet("App", "Version", "State", "~Publisher", "#Size", "Built", "~By", "~Digest");
            foreach (var package in page.Items)
            {
                sheet.Add(
                    package.App, package.Version, package.IsLetGo ? $"{package.State}, let go" : package.State, package.Publisher, Say.Size(package.Size),
                    Say.When(package.BuiltAt), package.BuiltBy, package.Digest[..12]);
            }

            sheet.Print(parsed.GetValue(Shared.Output)!, page, ContractJson.Default.PagePackageInfo, "No packages yet. Make one: bandejo package new FOLDER");
            return ExitCode.Done;
        }, app);
    }

    private static Command Show() =>
        Shared.Verb("show", "Shows what is inside a package and what happened to it", "package show \"foldline 7.2.0\"", async (parsed, client, cancellation) =>
    {
        var details = await client.Get(
            $"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(Package)!)}", ContractJson.Default.PackageDetails, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(details, ContractJson.Default.PackageDetails);
            return ExitCode.Done;
        }

        var package = details.Package;
        Console.WriteLine(
            $"{package.Name} {package.Version} is {package.State}{(package.IsLetGo ? ", and let go" : "")}: on {Say.Devices(details.InstalledOn)}"
                + $"{(details.Deployments.Count == 0 ? "" : $", deployed by {string.Join(", ", details.Deployments.Select(name => $"'{name}'"))}")}.");
        if (details.Summary.Length > 0)
        {
            Console.WriteLine(details.Summary);
        }

        var kept = details.Room.KeptFor is { } why ? $", kept because {why}" : ", which nothing needs any more";
        var room = details.Room.IsLetGo ? ", let go: its files are not kept any more" : $"; {Say.Size(details.Room.Own)} of it only for this package{kept}";
        Console.WriteLine($"\n  digest    {package.Digest}\n  publisher {package.Publisher}\n  payload   {package.Files} "
            + $"file{(package.Files == 1 ? "" : "s")}, {Say.Size(package.Size)}"
                + room);
        if (details.Needs.Count > 0)
        {
            Console.WriteLine($"  needs     {string.Join(", ", details.Needs)}");
        }

        foreach (var variant in details.Variants)
        {
            Console.WriteLine(
                $"\nVariant {variant.Name}\n  fits      {variant.Fits}\n  requires  {variant.Requires}\n  install   {variant.Install}\n  remove    "
                    + $"{variant.Remove ?? "(cannot be removed)"}\n  present   {string.Join("; ", variant.Present)}");
            foreach (var line in variant.More)
            {
                Console.WriteLine($"  {line.Name,-9} {line.Says}");
            }

            foreach (var file in variant.Files)
            {
                Console.WriteLine($"  file      {file.Path}  {Say.Size(file.Size)}  {file.Sha256[..12]}");
            }
        }

        if (details.Settings.Count > 0)
        {
            Console.WriteLine("\nSettings");
            foreach (var setting in details.Settings)
            {
                Console.WriteLine(
                    $"  {setting.Name,-16} {(setting.Choices.Count > 0 ? string.Join(" | ", setting.Choices) : setting.Type)}"
                        + $"{(setting.Default is null ? "" : $", {setting.Default} unless set")}{(setting.Says.Length > 0 ? $": {setting.Says}" : "")}");
            }

            foreach (var preset in details.Presets)
            {
                Console.WriteLine($"  preset {preset.Name}: {string.Join(", ", preset.Values)}");
            }
        }

        if (parsed.GetValue(Trials))
        {
            await ShowTrials(client, details, cancellation);
            return ExitCode.Done;
        }

        Console.WriteLine("\nLife");
        foreach (var step in details.History)
        {
            Console.WriteLine($"  {step.State,-10} {Say.When(step.At)}, {step.By}{(step.Reason.Length > 0 ? $": {step.Reason}" : "")}");
        }

        return ExitCode.Done;
    }, Package, Trials);

    /// <summary>What was tried where, variant by machine, and the steps of the last trial.</summary>
    private static async Task ShowTrials(Client client, PackageDetails details, CancellationToken cancellation)
    {
        var trials = new List<(LifeInfo Life, TrialReport Report)>();
        foreach (var life in details.History.Where(life => life.Trial is not null).TakeLast(MostTrials))
        {
            trials.Add((life, await client.Get(
                $"/api/v1/packages/{details.Package.Digest}/trials/{life.Trial}", ContractJson.Default.TrialReport, cancellation)));
        }

        Console.WriteLine();
        var sheet = new Sheet("Variant", "Machine", "When", "By", "Result");
        foreach (
            var each in trials.SelectMany(trial => trial.Report.Steps.GroupBy(step => step.Variant).Select(steps => (trial, steps)))
                .GroupBy(each => (each.steps.Key, each.trial.Report.Machine)).Select(group => group.Last()))
        {
            var failed = each.steps.FirstOrDefault(step => step.State == "failed");
            var warned = each.steps.Count(step => step.State == "warned");
            sheet.Add(
                each.steps.Key, each.trial.Report.Machine, Say.When(each.trial.Life.At), each.trial.Life.By,
                failed is not null ? $"failed at '{failed.Name}'"
                    : each.steps.All(step => step.Name != "install") ? "not meant for it"
                    : warned == 0 ? "passed"
                    : $"passed, with {warned} warning{(warned == 1 ? "" : "s")}");
        }

        sheet.Print("table", details, ContractJson.Default.PackageDetails, "No trial is kept with it. Try it: bandejo package trial FOLDER");
        if (trials.Count > 0)
        {
            Say.Line($"\n[bold]The last one[/], on {Markup.Escape(trials[^1].Report.Machine)}");
            trials[^1].Report.Steps.ToList().ForEach(TrialCommand.Tell);
        }
    }

    private static Command Compare()
    {
        var after = new Argument<string>("after") { Description = "The other package" };
        var before = new Argument<string>("before") { Description = "A digest or its beginning, 'app version', or an app" };
        return Shared.Table(
            "compare", "Says what differs between two packages", "package compare \"foldline 7.1.0\" \"foldline 7.2.0\"",
            async (parsed, client, cancellation) =>
        {
            var comparison = await client.Get(
                $"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(before)!)}/compare/{Uri.EscapeDataString(parsed.GetValue(after)!)}",
                ContractJson.Default.PackageComparison, cancellation);
            var (old, now) = (comparison.Before, comparison.After);
            if (parsed.GetValue(Shared.Output) != "table")
            {
                var sheet = new Sheet("What", "Name", "Before", "After");
                foreach (var each in comparison.Differences)
                {
                    sheet.Add(each.What, each.Name, each.Before, each.After);
                }

                sheet.Print(parsed.GetValue(Shared.Output)!, comparison, ContractJson.Default.PackageComparison, "");
                return ExitCode.Done;
            }

            var differences = comparison.Differences.Count;
            Console.WriteLine(
                $"{old.Name} {old.Version} ({old.Files} files, {Say.Size(old.Size)}) → {now.Name} {now.Version} ({now.Files} files, {Say.Size(now.Size)}): "
                    + (differences == 0 ? "no difference" : $"{differences} difference{(differences == 1 ? "" : "s")}"));
            foreach (var group in comparison.Differences.GroupBy(each => each.What))
            {
                Console.WriteLine($"\n{group.Key}");
                foreach (var each in group)
                {
                    Console.WriteLine($"  {(each.Before is null ? "+" : each.After is null ? "-" : "~")} {each.Name}");
                    var became = each.Before == each.After ? $"{each.After}, other content" : $"{each.Before}\n    → {each.After}";
                    Console.WriteLine($"      {(each.Before is null ? each.After : each.After is null ? $"was {each.Before}" : became)}");
                }
            }

            return ExitCode.Done;
        }, before, after);
    }

    private static Command Contents() =>
        Shared.Verb(
            "contents", "Prints what is inside a package, as a CycloneDX list (JSON)", "package contents \"foldline 7.2.0\"",
            async (parsed, client, cancellation) =>
    {
        Console.WriteLine(await client.Text($"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(Package)!)}/contents", cancellation));
        return ExitCode.Done;
    }, Package);

    private static Command Release() =>
        Shared.Verb(
            "release", "Releases a package for all groups; without a trial an administrator must say why",
            "package release \"foldline 7.2.0\" --reason \"urgent fix\"", async (parsed, client, cancellation) =>
    {
        var package = await client.Post(
            $"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(Package)!)}/release", new ReasonRequest(parsed.GetValue(ReleaseReason)),
            ContractJson.Default.ReasonRequest, ContractJson.Default.PackageInfo, cancellation);
        Console.WriteLine($"{package.Name} {package.Version} is released.");
        return ExitCode.Done;
    }, Package, ReleaseReason);

    private static Command Withdraw() =>
        Shared.Verb(
            "withdraw", "Withdraws a package for good: its deployments halt, devices refuse it",
            "package withdraw \"foldline 7.2.0\" --reason \"loses documents\"", async (parsed, client, cancellation) =>
    {
        var before = await client.Get(
            $"/api/v1/packages/{Uri.EscapeDataString(parsed.GetValue(Package)!)}", ContractJson.Default.PackageDetails, cancellation);
        var halts = before.Deployments.Count == 0 ? "No deployment of it is under way"
            : $"{string.Join(", ", before.Deployments.Select(name => $"'{name}'"))} halt"
            + (before.Deployments.Count == 1 ? "s" : "");
        var question = $"Withdraw {before.Package.Name} {before.Package.Version} for good? {halts}; it is on {Say.Devices(before.InstalledOn)}, "
            + "where it stays, and no device installs it any more.";
        if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), question, cancellation))
        {
            return ExitCode.No;
        }

        var details = await client.Post(
            $"/api/v1/packages/{before.Package.Digest}/withdraw", new ReasonRequest(parsed.GetValue(WithdrawReason)),
            ContractJson.Default.ReasonRequest, ContractJson.Default.PackageDetails, cancellation);
        Console.WriteLine(
            $"{details.Package.Name} {details.Package.Version} is withdrawn. It is still on {Say.Devices(details.InstalledOn)}"
                + $"{(details.Deployments.Count == 0 ? "" : $"; halted: {string.Join(", ", details.Deployments)}")}.");
        return ExitCode.Done;
    }, Package, WithdrawReason, Shared.Yes);

    private static int Report(PackageFolder folder, PackageCheckAnswer answer)
    {
        Findings.Print(answer.Findings, folder.Manifest, Path.Combine(folder.Path, PackageFolder.ManifestName));
        var errors = answer.Findings.Count(finding => !finding.IsWarning);
        if (errors > 0)
        {
            Console.Error.WriteLine(string.Create(
                CultureInfo.InvariantCulture, $"{errors} error{(errors == 1 ? "" : "s")}, {answer.Findings.Count - errors} warnings."));
            return ExitCode.No;
        }

        Console.WriteLine($"{answer.App} {answer.Version} can be built; {answer.FitsDevices} of {Say.Devices(answer.AllDevices)} could get it now.");
        foreach (var reason in answer.NotFor ?? [])
        {
            Console.WriteLine(
                $"  {Say.Devices(reason.Count)}: {reason.Reason} ({string.Join(", ", reason.Sample)}{(reason.Count > reason.Sample.Count ? ", …" : "")})");
        }

        return ExitCode.Done;
    }
}
