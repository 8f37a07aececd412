using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo group</c></summary>
internal static class GroupCommands
{
    private static readonly Argument<string> Group = new("group") { Description = "The group's short name" };
    private static readonly Option<string?> Rule = new(
        "--rule", "-r") { Description = "Which devices are in it, such as: kind is \"desk\" and memory >= 4 GiB" };
    private static readonly Option<string?> Name = new("--name", "-n") { Description = "Its name for people" };
    private static readonly Option<bool> Testing = new("--testing")
    {
        Description = "Packages that are not released may reach it; asks first where devices are in it",
    };
    private static readonly Option<bool> NotTesting = new("--not-for-testing") { Description = "Only released packages may reach it" };
    private static readonly Option<bool> Yes = new("--yes", "-y") { Description = "Do not ask" };

    public static Command All() =>
        Shared.Noun(
            "group", "Groups of devices, listed by hand or by rule", List(), Show(), New(), Change(), Delete(), Preview(),
            Member("add", "Puts devices into a listed group", HttpMethod.Put), Member("take-out", "Takes devices out of a listed group", HttpMethod.Delete));

    private static Command List() => Shared.Verb("list", "Lists groups", "group list", async (parsed, client, cancellation) =>
    {
        var groups = await client.Get(parsed.At("/api/v1/groups"), ContractJson.Default.IReadOnlyListGroupInfo, cancellation);
        var sheet = new Sheet("Group", "Name", "#Devices", "#Not known", "Testing", "Rule");
        foreach (var group in groups)
        {
            sheet.Add(
                group.Slug, group.Name, $"{group.Devices}", group.NotKnown == 0 ? "" : $"{group.NotKnown}", group.IsForTesting ? "yes" : "",
                group.Rule ?? "(listed by hand)");
        }

        sheet.Print(
            parsed.GetValue(Shared.Output)!, groups, ContractJson.Default.IReadOnlyListGroupInfo,
            "No groups yet. Make one: bandejo group new desks --rule 'kind is \"desk\"'");
        return ExitCode.Done;
    }, AsOf.Option);

    private static Command Show() => Shared.Verb("show", "Shows the devices in a group", "group show desks", async (parsed, client, cancellation) =>
    {
        var slug = Uri.EscapeDataString(parsed.GetValue(Group)!);
        var group = await client.Get(parsed.At($"/api/v1/groups/{slug}"), ContractJson.Default.GroupInfo, cancellation);
        var devices = await client.Get(parsed.At($"/api/v1/groups/{slug}/devices?limit=1000"), ContractJson.Default.PageDeviceInfo, cancellation);
        if (parsed.GetValue(Shared.Output) == "table")
        {
            Console.WriteLine(
                $"{group.Name}: {Say.Devices(group.Devices)}{(group.NotKnown > 0 ? $", not known yet for {group.NotKnown}" : "")}. "
                    + $"{group.Rule ?? "Listed by hand."}{(group.IsForTesting ? " It is for testing." : "")}"
                        + $"{(group.Unreadable is { } unreadable ? $"\nNobody is known to be in it: {unreadable}. Change its rule." : "")}\n");
        }

        DeviceCommands.Table(devices).Print(parsed.GetValue(Shared.Output)!, devices, ContractJson.Default.PageDeviceInfo, "No device is in it.");
        return ExitCode.Done;
    }, Group, AsOf.Option);

    private static Command New() =>
        Shared.Verb(
            "new", "Makes a group: with a rule, or empty to be listed by hand", "group new desks --rule 'kind is \"desk\"'",
            async (parsed, client, cancellation) =>
    {
        var slug = parsed.GetValue(Group)!;
        if (parsed.GetValue(Testing) && parsed.GetValue(Rule) is { } widens
            && !await AgreesToTest(parsed, client, new TestingRequest(null, widens), slug, cancellation))
        {
            return ExitCode.No;
        }

        var group = await Ruled(parsed.GetValue(Rule), () => client.Post(
            "/api/v1/groups", new GroupRequest(slug, parsed.GetValue(Name) ?? slug, parsed.GetValue(Rule), parsed.GetValue(Testing)),
            ContractJson.Default.GroupRequest, ContractJson.Default.GroupInfo, cancellation));
        Console.WriteLine($"Group '{group.Slug}' holds {Say.Devices(group.Devices)}{(group.NotKnown > 0 ? $"; not known yet for {group.NotKnown}" : "")}.");
        return ExitCode.Done;
    }, Group, Rule, Name, Testing, Yes);

    private static Command Change() =>
        Shared.Verb(
            "change", "Changes a group's rule or name, or whether it is for testing", "group change desks --rule 'kind is \"desk\" and site is \"ALD\"'",
            async (parsed, client, cancellation) =>
    {
        var path = $"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}";
        var before = await client.Get(path, ContractJson.Default.GroupInfo, cancellation);
        var revision = client.Revision;
        if (parsed.GetValue(Testing) && parsed.GetValue(NotTesting))
        {
            throw new WrongUseException("--testing and --not-for-testing cannot both be meant.");
        }

        var isForTesting = parsed.GetValue(Testing) || (before.IsForTesting && !parsed.GetValue(NotTesting));
        if (isForTesting && (!before.IsForTesting || parsed.GetValue(Rule) is not null)
            && !await AgreesToTest(parsed, client, new TestingRequest(before.Slug, parsed.GetValue(Rule)), before.Slug, cancellation))
        {
            return ExitCode.No;
        }

        var left = before.IsForTesting && !isForTesting
            ? (
                await client.Post(
                    "/api/v1/groups/testing", new TestingRequest(before.Slug, null, IsForTesting: false), ContractJson.Default.TestingRequest,
                    ContractJson.Default.TestingPreview, cancellation)).Says
            : null;
        var request = new GroupRequest(before.Slug, parsed.GetValue(Name) ?? before.Name, parsed.GetValue(Rule) ?? before.Rule, isForTesting);
        var after = await Ruled(parsed.GetValue(Rule), () => client.Change(
            HttpMethod.Put, path, request, ContractJson.Default.GroupRequest, ContractJson.Default.GroupInfo, revision, cancellation));
        Console.WriteLine($"Group '{after.Slug}' holds {Say.Devices(after.Devices)}; it held {before.Devices}.{(left is null ? "" : $" {left}")}");
        return ExitCode.Done;
    }, Group, Rule, Name, Testing, NotTesting, Yes);

    private static Command Delete() =>
        Shared.Verb("delete", "Removes a group that no deployment uses", "group delete old-desks", async (parsed, client, cancellation) =>
    {
        var path = $"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}";
        await client.Get(path, ContractJson.Default.GroupInfo, cancellation);
        await client.Do(HttpMethod.Delete, path, client.Revision, cancellation);
        Console.WriteLine($"Group '{parsed.GetValue(Group)}' is gone.");
        return ExitCode.Done;
    }, Group);

    private static Command Preview()
    {
        var rule = new Argument<string>("rule") { Description = "The rule" };
        return Shared.Verb(
            "preview", "Says which devices a rule holds for, and why", "group preview 'app \"foldline\" < 7.2 and disk.free >= 2 GiB'",
            async (parsed, client, cancellation) =>
        {
            var text = parsed.GetValue(rule)!;
            var preview = await Ruled(text, () => client.Post(
                "/api/v1/groups/preview", new RuleRequest(text), ContractJson.Default.RuleRequest, ContractJson.Default.RulePreview, cancellation));
            if (parsed.GetValue(Shared.Output) == "json")
            {
                Say.Json(preview, ContractJson.Default.RulePreview);
                return ExitCode.Done;
            }

            Console.WriteLine($"{Say.Share(preview.Devices, preview.All)} devices{(preview.NotKnown > 0 ? $"; not known yet for {preview.NotKnown}" : "")}.");
            foreach (var sample in preview.Sample)
            {
                Console.WriteLine($"  {sample.Device,-18} {sample.Why}");
            }

            foreach (var sample in preview.NotKnownSample)
            {
                Console.WriteLine($"? {sample.Device,-18} {sample.Why}");
            }

            return ExitCode.Done;
        }, rule);
    }

    private static Command Member(string verb, string description, HttpMethod method)
    {
        var devices = new Argument<string[]>("devices") { Description = "Names of devices", Arity = ArgumentArity.OneOrMore };
        return Shared.Verb(verb, description, $"group {verb} test-desks ALD-DESK-001", async (parsed, client, cancellation) =>
        {
            foreach (var device in parsed.GetValue(devices)!)
            {
                await client.Do(
                    method, $"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}/devices/{Uri.EscapeDataString(device)}", null, cancellation);
            }

            var group = await client.Get($"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}", ContractJson.Default.GroupInfo, cancellation);
            Console.WriteLine($"Group '{group.Slug}' holds {Say.Devices(group.Devices)}.");
            return ExitCode.Done;
        }, Group, devices);
    }

    /// <summary>Whether somebody agrees to let packages that are not released reach the devices of a group; not asked where there are none.</summary>
    private static async Task<bool> AgreesToTest(
        System.CommandLine.ParseResult parsed, Client client, TestingRequest request, string slug, CancellationToken cancellation)
    {
        var opens = await Ruled(request.Rule, () => client.Post(
            "/api/v1/groups/testing", request, ContractJson.Default.TestingRequest, ContractJson.Default.TestingPreview, cancellation));
        return opens.Devices == 0 || Shared.Agrees(parsed.GetValue(Yes), $"{opens.Says} Mark '{slug}' for testing?");
    }

    /// <summary>Sends something with a rule in it; errors in the rule are shown under its text.</summary>
    private static async Task<T> Ruled<T>(string? rule, Func<Task<T>> send)
    {
        try
        {
            return await send();
        }
        catch (RefusedException refused) when (rule is not null && refused.Problem.Findings is { Count: > 0 } findings && findings.All(
            finding => finding.Column > 0))
        {
            Findings.Print(findings, rule, "rule");
            throw new RefusedException(refused.Problem with { Findings = null });
        }
    }
}
