using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo device</c></summary>
internal static class DeviceCommands
{
    private static readonly Argument<string> Device = new("device") { Description = "The device's name" };

    public static Command All() => Shared.Noun(
        "device", "Devices: what they are, have, and wait for", List(), Show(), Why(), History(), CheckIn(), Wake(), Remove(), JoinCode());

    /// <summary>Devices as rows.</summary>
    /// <param name="sort">What they are sorted by, as it was asked.</param>
    public static Sheet Table(Page<DeviceInfo> page, string sort = "name")
    {
        var sheet = new Sheet("Device", "Kind", "Site", "Model", "~System", "#Met", "#Open", "Heard")
        {
            Foot = $"{Say.Devices(page.Items.Count)}, sorted by {sort.TrimStart('-')}{(sort.StartsWith('-') ? ", the other way round" : "")}.",
        };
        foreach (var device in page.Items)
        {
            sheet.Add(
                device.Name + (device.IsUnsorted ? " (unsorted)" : ""), device.Kind, device.Site, device.Model, device.Os, $"{device.Met}", $"{device.Unmet}",
                Say.Ago(device.LastHeard));
        }

        return sheet;
    }

    private static Command List()
    {
        var filter = new Argument<string?>("filter")
        {
            Description = "A rule, or words that name, model, site or kind contain", Arity = ArgumentArity.ZeroOrOne,
        };
        var sort = new Option<string>("--sort")
        {
            Description = "The order: name, heard, joined or a fact; with - before it the other way round", DefaultValueFactory = _ => "name",
        };
        var group = new Option<string?>("--group", "-g") { Description = "Only devices in this group" };
        return Shared.Table("list", "Lists devices", "device list 'site is \"ALD\" and memory < 8 GiB'", async (parsed, client, cancellation) =>
        {
            var text = parsed.GetValue(filter);
            var query = $"sort={Uri.EscapeDataString(parsed.GetValue(sort)!)}{(text is null ? "" : $"&filter={Uri.EscapeDataString(text)}")}"
                + (parsed.GetValue(group) is { } named ? $"&group={Uri.EscapeDataString(named)}" : "");
            var page = await client.All($"/api/v1/devices?{query}", ContractJson.Default.PageDeviceInfo, cancellation);
            Table(page, parsed.GetValue(sort)!)
                .Print(
                    parsed.GetValue(Shared.Output)!, page, ContractJson.Default.PageDeviceInfo,
                    text is null && parsed.GetValue(group) is null ? "No devices yet. Make a code for one: bandejo device join-code new" : "No device fits.");
            return ExitCode.Done;
        }, filter, sort, group);
    }

    private static Command Show() =>
        Shared.Verb("show", "Shows all that is known of a device", "device show ALD-DESK-001", async (parsed, client, cancellation) =>
    {
        var details = await client.Get(
            parsed.At($"/api/v1/devices/{Uri.EscapeDataString(parsed.GetValue(Device)!)}"), ContractJson.Default.DeviceDetails, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(details, ContractJson.Default.DeviceDetails);
            return ExitCode.Done;
        }

        var device = details.Device;
        Console.WriteLine(
            $"{device.Name}: {device.Met} met, {device.Unmet} open. {(parsed.GetValue(AsOf.Option) is null ? $"Heard {Say.When(device.LastHeard)}. " : "")}"
                + $"{(details.Groups.Count == 0 ? "In no group" : $"In {string.Join(", ", details.Groups)}")}.\n");
        if (parsed.GetValue(AsOf.Option) is null)
        {
            PrintOpenings(await client.Get(
                $"/api/v1/devices/{Uri.EscapeDataString(device.Id)}/openings", ContractJson.Default.DeviceOpenings, cancellation));
        }

        var targets = new Sheet("App", "Version", "State", "Why", "Next", "~Deployment");
        foreach (var target in details.Targets)
        {
            targets.Add(
                target.App, target.Wish == "gone" ? "gone" : target.Version, target.State, target.Reason, target.Next is null ? "" : Say.When(target.Next),
                target.DeploymentName);
        }

        targets.PrintTable("No deployment reaches it.");
        Console.WriteLine();
        var facts = new Sheet("Fact", "Value", "Since");
        foreach (var fact in details.Facts)
        {
            facts.Add(fact.Name, fact.Value, Say.When(fact.At));
        }

        facts.PrintTable("It has reported no facts.");
        Console.WriteLine($"\nPrograms{(details.IsInventoryComplete ? "" : " (the list may not be complete)")}");
        foreach (var program in details.Programs.Take(30))
        {
            Console.WriteLine($"  {program.Name} {program.Version}{(program.Source == "receipt" ? " (ours)" : "")}");
        }

        if (details.Programs.Count > 30)
        {
            Console.WriteLine($"  and {details.Programs.Count - 30} more; all with --output json");
        }

        return ExitCode.Done;
    }, Device, AsOf.Option);

    private static void PrintOpenings(DeviceOpenings openings)
    {
        if (openings.Calendars.Count == 0)
        {
            return;
        }

        Console.WriteLine($"Ruled by {string.Join(", ", openings.Calendars)}. {openings.Says}");
        foreach (var opening in openings.Next.Take(3))
        {
            Console.WriteLine(opening.From <= Now.Moment
                ? $"  Open until {Say.Moment(opening.To)}"
                : $"  Opens {Say.When(opening.From)}, for {Say.Length(opening.To - opening.From)}");
        }

        Console.WriteLine();
    }

    private static Command History()
    {
        var deployment = new Option<string?>("--deployment", "-d") { Description = "Only under this deployment" };
        var limit = new Option<int>("--limit", "-l") { Description = "How many steps", DefaultValueFactory = _ => 30 };
        return Shared.Table(
            "history", "Shows what became of a device under its deployments, newest last", "device history ALD-DESK-001",
            async (parsed, client, cancellation) =>
        {
            var asked = parsed.GetValue(deployment) is { } named ? $"&deployment={Uri.EscapeDataString(named)}" : "";
            var steps = await client.Get(
                $"/api/v1/devices/{Uri.EscapeDataString(parsed.GetValue(Device)!)}/history?limit={parsed.GetValue(limit)}{asked}",
                ContractJson.Default.IReadOnlyListTargetStepInfo, cancellation);
            var sheet = new Sheet("When", "Deployment", "~From", "State", "Why");
            foreach (var step in steps.Reverse())
            {
                sheet.Add(Say.When(step.At), step.DeploymentName, step.From ?? "", step.State ?? "gone", step.Reason);
            }

            sheet.Print(
                parsed.GetValue(Shared.Output)!, steps, ContractJson.Default.IReadOnlyListTargetStepInfo, "Nothing became of it: no deployment reached it.");
            return ExitCode.Done;
        }, Device, deployment, limit);
    }

    private static Command Why()
    {
        var deployment = new Option<string?>("--deployment", "-d") { Description = "Only under this deployment" };
        return Shared.Verb("why", "Says step by step why a device stands where it stands", "device why ALD-DESK-001", async (parsed, client, cancellation) =>
        {
            var query = parsed.GetValue(deployment) is { } asked ? $"?deployment={Uri.EscapeDataString(asked)}" : "";
            var reasons = await client.Get(
                $"/api/v1/devices/{Uri.EscapeDataString(parsed.GetValue(Device)!)}/why{query}", ContractJson.Default.IReadOnlyListWhyInfo, cancellation);
            if (parsed.GetValue(Shared.Output) == "json")
            {
                Say.Json(reasons, ContractJson.Default.IReadOnlyListWhyInfo);
                return ExitCode.Done;
            }

            foreach (var why in reasons)
            {
                Console.WriteLine(why.Answer);
                foreach (var step in why.Conditions)
                {
                    Console.WriteLine($"  - {step}");
                }

                foreach (var attempt in why.Attempts)
                {
                    Console.WriteLine(
                        $"  try {Say.When(attempt.StartedAt)}: {attempt.Kind} {attempt.Version}, {attempt.Outcome ?? "running"} in phase {attempt.Phase}"
                            + $"{(attempt.ExitCode is { } code ? $" (code {code})" : "")}"
                                + $"{(attempt.HasLog ? $"; log: bandejo deployment log {attempt.Id}" : "")}");
                }

                Console.WriteLine();
            }

            if (reasons.Count == 0)
            {
                Console.WriteLine("No deployment is running.");
            }

            return ExitCode.Done;
        }, Device, deployment);
    }

    private static Command CheckIn() =>
        Shared.Verb("check-in", "Asks a device to check in now", "device check-in ALD-DESK-001", async (parsed, client, cancellation) =>
    {
        await client.Do(HttpMethod.Post, $"/api/v1/devices/{Uri.EscapeDataString(parsed.GetValue(Device)!)}/check-in", null, cancellation);
        Console.WriteLine($"{parsed.GetValue(Device)} was asked and is listening.");
        return ExitCode.Done;
    }, Device);

    private static Command Wake() =>
        Shared.Verb("wake", "Has a device that sleeps woken by neighbours at its site", "device wake ALD-DESK-001", async (parsed, client, cancellation) =>
    {
        var device = parsed.GetValue(Device)!;
        var woken = await client.Post($"/api/v1/devices/{Uri.EscapeDataString(device)}/wake", ContractJson.Default.WokenInfo, cancellation);
        if (parsed.GetValue(Shared.Output) == "json")
        {
            Say.Json(woken, ContractJson.Default.WokenInfo);
            return ExitCode.Done;
        }

        Console.WriteLine(
            $"{string.Join(" and ", woken.By)} {(woken.By.Count == 1 ? "was" : "were")} asked to wake {device}. It has woken when it is heard: "
                + $"bandejo device show {device}");
        return ExitCode.Done;
    }, Device);

    /// <summary><c>check-in</c> of a noun that stands for many devices.</summary>
    /// <param name="path">What its addresses begin with.</param>
    internal static Command CheckInAll(string description, string example, Argument<string> named, string path) => Shared.Verb(
        "check-in", description, example, async (parsed, client, cancellation) =>
        {
            var called = await client.Post(
                $"/api/v1/{path}/{Uri.EscapeDataString(parsed.GetValue(named)!)}/check-in", ContractJson.Default.CalledInfo, cancellation);
            if (parsed.GetValue(Shared.Output) == "json")
            {
                Say.Json(called, ContractJson.Default.CalledInfo);
                return ExitCode.Done;
            }

            var later = called.Asked - called.Listening;
            Console.WriteLine(
                called.Asked == 0
                    ? "There is no device to ask."
                    : $"{Say.Devices(called.Listening)} {(called.Listening == 1 ? "listens and comes" : "listen and come")} now"
                        + (later == 0 ? "." : $"; {later} more {(later == 1 ? "does not listen, and comes" : "do not listen, and come")} at the usual time."));
            return ExitCode.Done;
        }, named);

    private static Command Remove()
    {
        return Shared.Verb(
            "remove", "Removes a device from the service; nothing is changed on it", "device remove ALD-DESK-001", async (parsed, client, cancellation) =>
        {
            var details = await client.Get(
                $"/api/v1/devices/{Uri.EscapeDataString(parsed.GetValue(Device)!)}", ContractJson.Default.DeviceDetails, cancellation);
            var (device, targets) = (details.Device, details.Targets.Count);
            var leaves = targets == 1 ? "the 1 deployment" : $"the {targets} deployments";
            var question = $"Remove {device.Name}? It leaves {leaves} that it is part of, and gets nothing "
                + "any more; what is installed on it stays.";
            if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), question, cancellation))
            {
                return ExitCode.No;
            }

            await client.Do(HttpMethod.Delete, $"/api/v1/devices/{Uri.EscapeDataString(device.Id)}", null, cancellation);
            Console.WriteLine($"{device.Name} is not enrolled any more.");
            return ExitCode.Done;
        }, Device, Shared.Yes);
    }

    private static Command JoinCode()
    {
        var group = new Option<string?>("--group", "-g") { Description = "The listed group in which devices land" };
        var uses = new Option<int>("--uses") { Description = "How many devices may join with it", DefaultValueFactory = _ => 1 };
        var hours = new Option<int>("--hours") { Description = "How long it is good", DefaultValueFactory = _ => 24 };
        var id = new Argument<string>("id") { Description = "From 'join-code list'" };
        return Shared.Noun(
            "join-code", "Codes with which devices enrol",
            Shared.Verb("new", "Makes a code", "device join-code new --group branches --uses 10", async (parsed, client, cancellation) =>
            {
                var code = await client.Post(
                    "/api/v1/join-codes", new JoinCodeRequest(parsed.GetValue(group), parsed.GetValue(uses), parsed.GetValue(hours)),
                    ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo, cancellation);
                if (parsed.GetValue(Shared.Output) == "json")
                {
                    Say.Json(code, ContractJson.Default.JoinCodeInfo);
                    return ExitCode.Done;
                }

                Console.WriteLine(
                    $"{code.Code}\n\nGood for {Say.Devices(code.UsesLeft)}{(code.Group is null ? "" : $" into '{code.Group}'")}, until "
                        + $"{Say.When(code.Expires)}. It is shown this once. On the device:\n  bandejo-agent join --service {client.Address} --code "
                            + $"{code.Code}");
                return ExitCode.Done;
            }, group, uses, hours),
            Shared.Table("list", "Lists codes that are still good", "device join-code list", async (parsed, client, cancellation) =>
            {
                var codes = await client.Get("/api/v1/join-codes", ContractJson.Default.IReadOnlyListJoinCodeInfo, cancellation);
                var sheet = new Sheet("Id", "Group", "#Uses left", "Ends", "Made by");
                foreach (var code in codes)
                {
                    sheet.Add(Say.Identity(code.Id), code.Group ?? "(unsorted)", $"{code.UsesLeft}", Say.When(code.Expires), code.By);
                }

                sheet.Print(parsed.GetValue(Shared.Output)!, codes, ContractJson.Default.IReadOnlyListJoinCodeInfo, "No code is good at the moment.");
                return ExitCode.Done;
            }),
            Shared.Verb("remove", "Takes a code back", "device join-code remove 01a2…", async (parsed, client, cancellation) =>
            {
                await client.Do(HttpMethod.Delete, $"/api/v1/join-codes/{Uri.EscapeDataString(parsed.GetValue(id)!)}", null, cancellation);
                Console.WriteLine("The code is good for nothing any more.");
                return ExitCode.Done;
            }, id));
    }
}
