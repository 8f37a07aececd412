using System.CommandLine;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Cli;

/// <summary><c>bandejo group</c></summary>
internal static class GroupCommands
{
    /// <summary>So many devices more are named at a terminal.</summary>
    private const int MostNamed = 40;

    private static readonly Argument<string> Group = new("group") { Description = "The group's short name" };
    private static readonly Option<string?> Rule = new(
        "--rule") { Description = "Which devices are in it, such as: kind is \"desk\" and memory >= 4 GiB" };
    private static readonly Option<string?> Name = new("--name", "-n") { Description = "Its name for people" };
    private static readonly Option<bool> Testing = new("--testing")
    {
        Description = "Packages that are not released may reach it; asks first where devices are in it",
    };
    private static readonly Option<bool> NotTesting = new("--not-for-testing") { Description = "Only released packages may reach it" };

    public static Command All() =>
        Shared.Noun(
            "group", "Groups of devices, listed by hand or by rule", List(), Show(), New(), Change(), Remove(), Preview(),
            Shared.Noun(
                "member", "Who is in a listed group", Member("add", "Puts devices into a listed group", isIn: true),
                Member("remove", "Takes devices out of a listed group", isIn: false)), CalendarCommands.OfGroup(), Fetch(),
            DeviceCommands.CheckInAll("Asks all devices of a group to check in now", "group check-in desks", Group, "groups"));

    private static Command List() => Shared.Table("list", "Lists groups", "group list", async (parsed, client, cancellation) =>
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

    private static Command Show() => Shared.Table("show", "Shows the devices in a group", "group show desks", async (parsed, client, cancellation) =>
    {
        var slug = Uri.EscapeDataString(parsed.GetValue(Group)!);
        var group = await client.Get(parsed.At($"/api/v1/groups/{slug}"), ContractJson.Default.GroupInfo, cancellation);
        var devices = await client.All(parsed.At($"/api/v1/groups/{slug}/devices?cursor="), ContractJson.Default.PageDeviceInfo, cancellation);
        if (parsed.GetValue(Shared.Output) == "table")
        {
            Console.WriteLine(
                $"{group.Name}: {Say.Devices(group.Devices)}{(group.NotKnown > 0 ? $", not known yet for {group.NotKnown}" : "")}. "
                    + $"{group.Rule ?? "Listed by hand."}{(group.IsForTesting ? " It is for testing." : "")}"
                        + $"{(group.Calendars is { } calendars ? $" Ruled by {string.Join(", ", calendars)}." : "")}"
                        + $"{(group.Fetch is { } fetch ? $" Fetches files: {fetch}." : "")}"
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
    }, Group, Rule, Name, Testing, Shared.Yes);

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
    }, Group, Rule, Name, Testing, NotTesting, Shared.Yes);

    private static Command Fetch()
    {
        var rule = new Argument<string>("rule") { Description = "Such as 'at most 500 kB/s Mon-Fri 08:00-18:00; not Sat', or none" };
        return Shared.Verb(
            "fetch", "Says how fast the devices of a group fetch files", "group fetch desks 'at most 500 kB/s Mon-Fri 08:00-18:00'",
            async (parsed, client, cancellation) =>
        {
            var path = $"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}";
            var before = await client.Get(path, ContractJson.Default.GroupInfo, cancellation);
            var revision = client.Revision;
            var asked = parsed.GetValue(rule)!;
            var after = await client.Change(
                HttpMethod.Put, path + "/fetch", new GroupFetchRequest(asked == "none" ? null : asked), ContractJson.Default.GroupFetchRequest,
                ContractJson.Default.GroupInfo, revision, cancellation);
            Console.WriteLine(after.Fetch is { } says
                ? $"'{after.Slug}' with {Say.Devices(after.Devices)} fetches files: {says}."
                : $"Nothing is said of how '{before.Slug}' fetches files.");
            return ExitCode.Done;
        }, Group, rule);
    }

    private static Command Remove() =>
        Shared.Verb("remove", "Removes a group that no deployment uses", "group remove old-desks", async (parsed, client, cancellation) =>
    {
        var group = await client.Get($"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}", ContractJson.Default.GroupInfo, cancellation);
        var revision = client.Revision;
        var question = $"Remove the group '{group.Slug}', which holds {Say.Devices(group.Devices)}? They stay, and so does what is installed on them.";
        if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), question, cancellation))
        {
            return ExitCode.No;
        }

        await client.Do(HttpMethod.Delete, $"/api/v1/groups/{Uri.EscapeDataString(group.Slug)}", revision, cancellation);
        Console.WriteLine($"Group '{group.Slug}' is gone.");
        return ExitCode.Done;
    }, Group, Shared.Yes);

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

            // All that are counted are named: at a terminal a screen of them, elsewhere to the last.
            if (preview.Devices > preview.Sample.Count)
            {
                var all = await client.All($"/api/v1/devices?filter={Uri.EscapeDataString(text)}", ContractJson.Default.PageDeviceInfo, cancellation);
                var others = all.Items.Select(device => device.Name).Except(preview.Sample.Select(sample => sample.Device)).ToList();
                var shown = Console.IsOutputRedirected ? others : [.. others.Take(MostNamed)];
                foreach (var device in shown)
                {
                    Console.WriteLine($"  {device}");
                }

                if (others.Count > shown.Count)
                {
                    Console.WriteLine($"  and {others.Count - shown.Count} more: bandejo device list '{text}'");
                }
            }

            foreach (var sample in preview.NotKnownSample)
            {
                Console.WriteLine($"? {sample.Device,-18} {sample.Why}");
            }

            return ExitCode.Done;
        }, rule);
    }

    private static Command Member(string verb, string description, bool isIn)
    {
        var devices = new Argument<string[]>("devices") { Description = "Names of devices", Arity = ArgumentArity.OneOrMore };
        return Shared.Verb(
            verb, description + ", after saying what that starts and stops", $"group member {verb} test-desks ALD-DESK-001", async (parsed, client,
                cancellation) =>
        {
            var group = await client.Get($"/api/v1/groups/{Uri.EscapeDataString(parsed.GetValue(Group)!)}", ContractJson.Default.GroupInfo, cancellation);
            var (path, names) = ($"/api/v1/groups/{Uri.EscapeDataString(group.Slug)}/devices", parsed.GetValue(devices)!);
            var preview = await client.Post(
                path + "/preview", new MembersPreviewRequest(names, isIn), ContractJson.Default.MembersPreviewRequest, ContractJson.Default.MembersPreview,
                cancellation);
            if (preview.Deployments > 0 && !await Shared.Agrees(
                parsed.GetValue(Shared.Yes),
                    $"{preview.Says} {(isIn ? "Put" : "Take")} {Say.Devices(preview.Devices)} {(isIn ? "into" : "out of")} '{group.Slug}'?",
                cancellation))
            {
                return ExitCode.No;
            }

            group = await client.Post(
                path, new MembersRequest(names, isIn), ContractJson.Default.MembersRequest, ContractJson.Default.GroupInfo, cancellation);
            Console.WriteLine($"Group '{group.Slug}' holds {Say.Devices(group.Devices)}.");
            return ExitCode.Done;
        }, Group, devices, Shared.Yes);
    }

    /// <summary>Whether somebody agrees to let packages that are not released reach the devices of a group; not asked where there are none.</summary>
    private static async Task<bool> AgreesToTest(
        System.CommandLine.ParseResult parsed, Client client, TestingRequest request, string slug, CancellationToken cancellation)
    {
        var opens = await Ruled(request.Rule, () => client.Post(
            "/api/v1/groups/testing", request, ContractJson.Default.TestingRequest, ContractJson.Default.TestingPreview, cancellation));
        return opens.Devices == 0 || await Shared.Agrees(parsed.GetValue(Shared.Yes), $"{opens.Says} Mark '{slug}' for testing?", cancellation);
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
