using System.CommandLine;
using System.CommandLine.Parsing;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo deployment</c></summary>
internal static class DeploymentCommands
{
    private static readonly Argument<string> Deployment = new("deployment") { Description = "Its name or identity" };
    private const string Journal = "in the journal";
    private static readonly Option<string> Reason = Shared.Reason(Journal);
    private static readonly Option<string> NeededReason = Shared.Reason(Journal, "needed");
    private static readonly Option<string> ResumeReason = Shared.Reason(Journal, "needed after a halt");

    /// <summary>So many are named of those that stand alike.</summary>
    private const int MostAlike = 3;

    /// <summary>What stands between a tray, its figures and the next one.</summary>
    private const int AroundATray = 6;

    public static Command All() => Shared.Noun(
        "deployment", "Deployments: who gets what, in which waves, and what became of it", StartCommand.Start(), List(), Show(), Targets(), Watch(), Log(),
        Act("approve", "Approves the gate that waits for it", "Approved"), Act("pause", "No new order goes out", "Paused"),
        Act("resume", "Goes on after a pause or a halt", "Resumed"),
        Act("advance", "Passes the gate by hand", "Advanced"), Act("halt", "Stops it: no new order goes out", "Halted"), Retry(),
        RollBackCommand.RollBack(Deployment, NeededReason), Act("end", "Ends it for good; what is installed stays", "Ended"),
        DeviceCommands.CheckInAll(
            "Asks its devices that are not done to check in now", "deployment check-in \"Foldline 7.2.0 for every desk\"", Deployment, "deployments"));

    private static Command List()
    {
        var all = new Option<bool>("--all") { Description = "The ended ones too" };
        return Shared.Table("list", "Lists deployments, newest first", "deployment list", async (parsed, client, cancellation) =>
        {
            var deployments = await client.Get(
                $"/api/v1/deployments{(parsed.GetValue(all) ? "?all=true" : "")}", ContractJson.Default.IReadOnlyListDeploymentInfo, cancellation);
            if (parsed.GetValue(Shared.Output) != "table")
            {
                var sheet = new Sheet("Id", "Name", "Status", "Met", "Of", "Failed", "Sentence");
                foreach (var each in deployments)
                {
                    sheet.Add(
                        each.Id, each.Name, each.Status, $"{each.Compliance.Met}", $"{each.Compliance.Bottom}", $"{Count(each.States, "failed")}",
                        each.Sentence);
                }

                sheet.Print(parsed.GetValue(Shared.Output)!, deployments, ContractJson.Default.IReadOnlyListDeploymentInfo, "");
                return ExitCode.Done;
            }

            foreach (var each in deployments)
            {
                Say.Line($"[bold]{Markup.Escape(each.Name)}[/]  [dim]{each.Id} · {each.Status}[/]");
                Say.Line($"  {Trays(each)}");
                Say.Line($"  {Markup.Escape(each.Sentence)}\n");
            }

            Say.Legend(deployments.SelectMany(each => each.Waves).Select(wave => wave.States));

            if (deployments.Count == 0)
            {
                Console.WriteLine("No deployment is running. Start one: bandejo deployment start APP --to GROUP --preview");
            }

            return ExitCode.Done;
        }, all);
    }

    private static Command Show() =>
        Shared.Verb("show", "Shows where a deployment stands and what happens next", "deployment show D1001", async (parsed, client, cancellation) =>
    {
        var details = await client.Get(
            parsed.At($"/api/v1/deployments/{Uri.EscapeDataString(parsed.GetValue(Deployment)!)}"), ContractJson.Default.DeploymentDetails, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(details, ContractJson.Default.DeploymentDetails);
            return ExitCode.Done;
        }

        Print(details);
        var attention = await client.Get(
            parsed.At(
                $"/api/v1/deployments/{details.Deployment.Id}/targets?limit={ApiLimits.MaxPageSize}"
                    + "&state=failed,lost,retry,contested,blocked,working,restart"),
            ContractJson.Default.PageTargetInfo, cancellation);
        if (attention.Items.Count > 0)
        {
            Say.Line();
            AlikeTable(attention).PrintTable();
            if (attention.Total > attention.Items.Count)
            {
                Say.Line($"[dim]and {attention.Total - attention.Items.Count} more: bandejo deployment targets {details.Deployment.Id} --sort state[/]");
            }
        }

        return ExitCode.Done;
    }, Deployment, AsOf.Option);

    private static Command Targets()
    {
        var state = Shared.Names("--state", "state", "Only these states");
        var wave = new Option<string?>("--wave", "-w") { Description = "Only this wave" };
        var late = new Option<bool>("--late") { Description = "Only those that are late: the deadline has passed, and they are not met" };
        var filter = new Option<string?>("--filter") { Description = "Only devices for which this rule holds, or which these words name" };
        var sort = Shared.Choice(
            "--sort", "The order: by name, since (longest first) or state (what needs somebody first); with - before it the other way round", "name", "since",
            "state", "-name", "-since", "-state");
        return Shared.Table(
            "targets", "Lists the devices of a deployment with their reasons", "deployment targets D1001 --state failed retry",
            async (parsed, client, cancellation) =>
        {
            var query = $"{(parsed.GetValue(state) is { Length: > 0 } states ? $"&state={Uri.EscapeDataString(string.Join(',', states))}" : "")}"
                + $"{(parsed.GetValue(wave) is { } name ? $"&wave={Uri.EscapeDataString(name)}" : "")}";
            query += parsed.GetValue(late) ? "&late=true" : "";
            query += $"&sort={parsed.GetValue(sort)}{(parsed.GetValue(filter) is { } text ? $"&filter={Uri.EscapeDataString(text)}" : "")}";
            var page = await client.All(
                parsed.At($"/api/v1/deployments/{Uri.EscapeDataString(parsed.GetValue(Deployment)!)}/targets?{query.TrimStart('&')}"),
                ContractJson.Default.PageTargetInfo,
                cancellation);
            TargetTable(page, parsed.GetValue(sort)!).Print(parsed.GetValue(Shared.Output)!, page, ContractJson.Default.PageTargetInfo, "No target fits.");
            return ExitCode.Done;
        }, Deployment, state, late, wave, filter, sort, AsOf.Option);
    }

    private static Command Watch()
    {
        var until = Shared.Choice(
            "--until", "When to stop: standing (every gate has passed), approval (a gate waits for one), failed (a device has), or ended", "standing",
            "approval", "failed", "ended");
        var quiet = new Option<bool>("--quiet") { Description = "Only say how it ended" };
        return Shared.Verb(
            "watch", "Follows a deployment as it moves; exit code 1 if it halts or ends before what was waited for", "deployment watch D1001 --until approval",
            async (parsed, client, cancellation) =>
        {
            var path = $"/api/v1/deployments/{Uri.EscapeDataString(parsed.GetValue(Deployment)!)}";
            var latest = await client.Get("/api/v1/journal?topic=any&limit=1", ContractJson.Default.PageEventInfo, cancellation);
            var last = latest.Items.Count == 0 ? 0 : latest.Items[0].Number;
            var deployment = (await client.Get(path, ContractJson.Default.DeploymentDetails, cancellation)).Deployment;
            path = $"/api/v1/deployments/{deployment.Id}";
            using var follows = new Follows(parsed.GetValue(quiet));
            follows.Stands(deployment.Name, Trays(deployment), deployment.Sentence);
            while (Answer(deployment, parsed.GetValue(until)!) is null)
            {
                await foreach (var data in client.Events(last, cancellation))
                {
                    var happened = System.Text.Json.JsonSerializer.Deserialize(data, ContractJson.Default.EventInfo)!;
                    last = happened.Number;
                    if (happened.Deployment != deployment.Id)
                    {
                        continue;
                    }

                    follows.Tell($"[dim]{TimeZoneInfo.ConvertTime(happened.At, TimeZoneInfo.Local):HH:mm:ss}[/] {Markup.Escape(happened.Text)}");
                    deployment = (await client.Get(path, ContractJson.Default.DeploymentDetails, cancellation)).Deployment;
                    follows.Stands(deployment.Name, Trays(deployment), deployment.Sentence);
                    if (Answer(deployment, parsed.GetValue(until)!) is not null)
                    {
                        break;
                    }
                }

                if (Answer(deployment, parsed.GetValue(until)!) is null)
                {
                    await Console.Error.WriteLineAsync("The connection was lost; going on from where it stood.");
                    await Task.Delay(TimeSpan.FromSeconds(1), cancellation);
                }
            }

            follows.End($"[bold]{Markup.Escape(deployment.Name)}[/]  {Markup.Escape(deployment.Sentence)}");
            if (parsed.GetValue(Shared.Output) == "json")
            {
                Say.Json(deployment, ContractJson.Default.DeploymentInfo);
            }

            return Answer(deployment, parsed.GetValue(until)!)!.Value;
        }, Deployment, until, quiet);
    }

    /// <summary>The exit code once there is nothing more to wait for; null before.</summary>
    private static int? Answer(DeploymentInfo deployment, string until)
    {
        var isReached = until switch
        {
            "standing" => deployment.Status == "standing",
            "approval" => deployment.Waves.Any(wave => wave.State == "wants-approval"),
            "failed" => Count(deployment.States, "failed") > 0,
            _ => deployment.Status == "ended",
        };
        return isReached ? ExitCode.Done : deployment.Status is "halted" or "ended" ? ExitCode.No : null;
    }

    private static Command Log()
    {
        var attempt = new Argument<string>("attempt") { Description = "The attempt's identity, from 'device why'" };
        return Shared.Verb("log", "Prints the log of an attempt", "deployment log 01a2…", async (parsed, client, cancellation) =>
        {
            Console.Write(await client.Text($"/api/v1/attempts/{Uri.EscapeDataString(parsed.GetValue(attempt)!)}/log", cancellation));
            return ExitCode.Done;
        }, attempt);
    }

    private static Command Act(string verb, string description, string done) =>
        Shared.Verb(verb, description, $"deployment {verb} D1001 --reason \"…\"", async (parsed, client, cancellation) =>
    {
        var path = $"/api/v1/deployments/{Uri.EscapeDataString(parsed.GetValue(Deployment)!)}";
        return await Shared.LookingFirst(async () =>
        {
            var seen = (await client.Get(path, ContractJson.Default.DeploymentDetails, cancellation)).Deployment;
            if (verb is "end" or "advance")
            {
                var effects = await client.Get($"{path}/acts", ContractJson.Default.IReadOnlyListActPreview, cancellation);
                var effect = effects.FirstOrDefault(each => each.Act == verb);
                if (effect is { NotPossible: null }
                    && !await Shared.Agrees(parsed.GetValue(Shared.Yes), $"{effect.Says} {(verb == "end" ? "End" : "Advance")} '{seen.Name}'?", cancellation))
                {
                    return ExitCode.No;
                }
            }

            var answer = await client.Change(
                HttpMethod.Post, $"{path}/{verb}", new ReasonRequest(parsed.GetValue(ReasonOf(verb))), ContractJson.Default.ReasonRequest,
                ContractJson.Default.ActAnswer, $"\"{seen.Revision}\"", cancellation);
            var (name, sentence) = (answer.Deployment.Name, answer.Deployment.Sentence);
            Console.WriteLine(sentence.StartsWith(done, StringComparison.Ordinal) ? $"'{name}': {sentence}" : $"{done}: '{name}'. {sentence}");
            return ExitCode.Done;
        });
    }, verb is "end" or "advance" ? [Deployment, ReasonOf(verb), Shared.Yes] : [Deployment, ReasonOf(verb)]);

    private static Option<string> ReasonOf(string verb) => verb switch
    {
        "halt" or "end" or "advance" => NeededReason,
        "resume" => ResumeReason,
        _ => Reason,
    };

    private static Command Retry()
    {
        var devices = Shared.Names("--device", "device", "Only these devices");
        return Shared.Verb(
            "retry", "Sets another try for all that failed or are lost, or for the devices named", "deployment retry D1001 --device ALD-DESK-001",
            async (parsed, client, cancellation) =>
        {
            var request = new RetryRequest(parsed.GetValue(devices) is { Length: > 0 } named ? named : null, parsed.GetValue(Reason));
            var answer = await client.Post(
                $"/api/v1/deployments/{Uri.EscapeDataString(parsed.GetValue(Deployment)!)}/retry", request, ContractJson.Default.RetryRequest,
                ContractJson.Default.ActAnswer, cancellation);
            Console.WriteLine($"Another try is set for {Say.Devices(answer.Devices)}. {answer.Deployment.Sentence}");
            foreach (var not in answer.Not ?? [])
            {
                Say.Line(
                    $"[darkgoldenrod]Not for {Say.Devices(not.Count)}[/] ({Markup.Escape(string.Join(", ", not.Sample))}"
                        + $"{(not.Count > not.Sample.Count ? ", …" : "")}): {Markup.Escape(not.Reason)}");
            }

            return ExitCode.Done;
        }, Deployment, devices, Reason);
    }

    private static void Print(DeploymentDetails details)
    {
        var deployment = details.Deployment;
        Say.Line(
            $"[bold]{Markup.Escape(deployment.Name)}[/]  [dim]{deployment.Id} · {deployment.Status} · started {Say.When(deployment.StartedAt)} by "
                + $"{deployment.StartedBy}[/]");
        Say.Line(Markup.Escape(deployment.Sentence));
        if (details.MayStillStart > 0)
        {
            Say.Line(
                $"[darkgoldenrod]{Say.Devices(details.MayStillStart)} not heard from since may still start, by lease until "
                    + $"{Say.Moment(details.LeasesEnd)}.[/]");
        }

        Say.Line();
        var width = Math.Max(10, Math.Min(60, Say.Out.Profile.Width - 34));
        foreach (var wave in deployment.Waves)
        {
            Say.Line(
                $"{Markup.Escape(wave.Name)}  [dim]{Markup.Escape(wave.Pick)} · {wave.State}"
                    + $"{(wave.State == "closed" && wave.OpensAt is { } opens ? $", not before {Say.When(opens)}" : "")}"
                    + $"{(wave.State == "closed" && wave.Hours is { } hours ? $", opens {Markup.Escape(hours)}" : "")}"
                    + $"{(wave.Deadline is { } due ? $", due {Markup.Escape(due)}" : "")}"
                    + $"{(wave is { Deadline: { } after, Due: { } at } && after.EndsWith("opens", StringComparison.Ordinal) ? $": {Say.When(at)}" : "")}[/]");
            Say.Line(
                $"  {Say.Cells(wave.States, width)}  {wave.Met} of {wave.Bottom} "
                    + $"met{string.Concat(wave.States.Where(state => state.Name != "met").Select(state => $", {state.Count} {state.Name}"))}");
            if (wave.Gate is not null)
            {
                var needs = wave.Needed is { } needed and > 0 ? $"needs {needed} of {wave.Bottom}" : "";
                var next = wave.State switch
                {
                    "passed" => $"passed {Say.When(wave.PassedAt)}",
                    "soaking" => $"soaks, ends {Say.When(wave.SoakUntil)}",
                    "wants-approval" => $"waits for approval: bandejo deployment approve {deployment.Id}",
                    _ => "",
                };
                Say.Line($"  [dim]╱ gate: {Markup.Escape(wave.Gate)}{(needs.Length > 0 ? $" · {needs}" : "")}{(next.Length > 0 ? $" · {next}" : "")}[/]");
            }
        }

        Say.Legend(deployment.Waves.Select(wave => wave.States));
        StartCommand.PrintHours(details.Hours, "May start");
        if (details.Files is { } files)
        {
            Say.Line(Markup.Escape($"Files: {files.Says}."));
        }

        StartCommand.PrintChosen(details.Chosen);
        Say.Line($"[dim]Groups: {string.Join(", ", details.Groups)}{(details.Except.Count > 0 ? $" without {string.Join(", ", details.Except)}" : "")}[/]");
        if (deployment.Status is "halted" or "paused")
        {
            Say.Line($"Next: bandejo deployment resume {deployment.Id} --reason \"…\"  [dim]or roll-back, or end[/]");
        }

        foreach (var harm in details.Harms)
        {
            Say.Line(
                $"[darkgoldenrod]harm reported[/] by {Markup.Escape(harm.Device)}: {Markup.Escape(harm.Text)}"
                    + $"{(harm.Reports > 1 ? $" (and {harm.Reports - 1} more)" : "")}");
        }

        foreach (var cause in details.Causes)
        {
            Say.Line(
                $"[red3]{Say.Devices(cause.Devices)}[/]{(cause.Devices > 1 ? " share" : "")}: {Markup.Escape(cause.What)} "
                    + $"[dim]({string.Join(", ", cause.Sample)}{(cause.Devices > cause.Sample.Count ? ", …" : "")})[/]");
            foreach (var difference in cause.SetApart)
            {
                Say.Line($"  set apart by {Markup.Escape(difference)}");
            }
        }
    }

    /// <param name="sort">What it is sorted by, as it was asked.</param>
    private static Sheet TargetTable(Page<TargetInfo> page, string sort)
    {
        var by = (sort.TrimStart('-') switch { "since" => "since when, longest first", "state" => "state, what needs somebody first", _ => "name" })
            + (sort.StartsWith('-') ? ", the other way round" : "");
        var sheet = new Sheet("Device", "State", "Why", "~Try", "Next", "Since", "~Wave") { Foot = $"{Say.Devices(page.Items.Count)}, sorted by {by}." };
        foreach (var target in page.Items)
        {
            sheet.Add(
                target.DeviceName, target.State, target.Reason + (target.IsLate ? " (late)" : ""),
                target.Tries == 0 ? "" : $"{target.Tries} of {target.MaxTries}", target.Next is null ? "" : Say.When(target.Next), Say.When(target.Since),
                target.Wave ?? "none");
        }

        return sheet;
    }

    /// <summary>Those that stand alike and for the same reason in one line, so that the reason is read once.</summary>
    private static Sheet AlikeTable(Page<TargetInfo> page)
    {
        var sheet = new Sheet("State", "#Count", "Why", "Such as");
        foreach (var alike in page.Items.GroupBy(target => (target.State, target.Reason)))
        {
            sheet.Add(
                alike.Key.State, $"{alike.Count()}", alike.Key.Reason,
                string.Join(", ", alike.Take(MostAlike).Select(target => target.DeviceName)) + (alike.Count() > MostAlike ? ", …" : ""));
        }

        return sheet;
    }

    /// <summary>A deployment's waves in one line, where they are so few that they fit.</summary>
    private static string Trays(DeploymentInfo deployment)
    {
        var counts = deployment.Waves.Select(wave => string.Create(CultureInfo.InvariantCulture, $"{wave.Met}/{wave.Bottom}")).ToList();
        var room = (Say.Out.Profile.Width - 4 - counts.Sum(count => count.Length + AroundATray)) / Math.Max(1, counts.Count);
        return string.Join(
            " ╱ ", deployment.Waves.Zip(counts, (wave, count) => $"[dim]⌊[/]{Say.Cells(wave.States, Math.Clamp(room, 4, 24))}[dim]⌋[/] {count}"));
    }

    private static int Count(IReadOnlyList<CountInfo> states, string name) => states.FirstOrDefault(state => state.Name == name)?.Count ?? 0;
}
