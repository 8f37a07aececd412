using System.CommandLine;
using System.CommandLine.Parsing;
using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Spectre.Console;

namespace Bandejo.Cli;

/// <summary><c>bandejo deployment start</c></summary>
internal static class StartCommand
{
    private static readonly Argument<string> Package = new("package")
    {
        Description = "A digest or its beginning, 'app version', or an app for its newest released package",
    };
    private static readonly Option<string[]> To = Shared.Names("--to", "group", "Groups that it reaches", "-t");
    private static readonly Option<string[]> Except = Shared.Names("--except", "group", "Groups left out; leaving out always wins", "-x");
    private static readonly Option<string[]> Wave = Shared.Several(
        "--wave", "wave", "A wave as 'NAME: PICK; GATE', such as 'Test: group test-desks; 100 % met for 1h, then approval'; the last needs no gate; "
            + "'; not before 2026-12-01T18:00' says when it opens at the earliest, '; opens Mon-Thu 08:00-16:00' in which hours, '; due 3 d "
            + "after it opens' when its devices are late [one wave for everyone]", "-w");
    private static readonly Option<string?> Plan = new("--plan") { Description = "A kept wave plan instead of single waves" };
    private static readonly Option<string?> Name = new("--name", "-n") { Description = "Its name [made from the package]" };
    private static readonly Option<bool> Gone = new("--gone") { Description = "The app shall not be there, in any version" };
    private static readonly Option<bool> Choice = new("--choice") { Description = "The devices' users may take it from the shelf; nobody must" };
    private static readonly Option<string?> Halt = new("--halt")
    {
        Description = "What stops it by itself, such as '10 % failed of at least 5, or 8 failed, or 3 harm reports', or never",
    };
    private static readonly Option<bool> RollBackOnHalt = new("--roll-back-on-halt") { Description = "A halt rolls everything back by itself" };
    private static readonly Option<string?> Deadline = new("--deadline") { Description = "After this, unmet is late: 3d from now, or 2026-12-01T18:00" };
    private static readonly Option<string> AfterDeadline = Shared.Choice(
        "--after-deadline",
        "What the deadline does to unmet devices: late counts them as late, start lets them start outside their windows, close closes programs in the way as "
            + "well; a freeze holds",
        "late", "start", "close");
    private static readonly Option<string?> Notice = new("--notice")
    {
        Description = "So long before a device starts for its deadline alone, or closes programs, whoever is signed in is told [15m]",
    };
    private static readonly Option<string[]> Calendar = Shared.Names(
        "--calendar", "calendar", "Calendars of its own: their windows narrow those of its devices, their freezes hold besides");
    private static readonly Option<string?> Restart = new("--restart")
    {
        Description = "When devices that need it are restarted: 'with the install', 'in the next window', each also 'while somebody is signed in', and "
            + "'at the latest after 3 d' [left to people]",
    };
    private static readonly Option<string?> StartWhen = new("--start-when")
    {
        Description = "What must be so on a device: 'with nobody signed in', 'with somebody signed in', 'at system start before anybody signs in', each also "
            + "', on mains power' [at any time]",
    };
    private static readonly Option<string?> Fetch = new("--fetch")
    {
        Description = "How its files are fetched: 'at most 500 kB/s Mon-Fri 08:00-18:00', 'not Sat', '5 of a site at once', 'over metered links too', with ';' "
            + "between two [as fast as it goes, not over metered links]",
    };
    private static readonly Option<string?> AtOnce = new("--at-once") { Description = "How many devices are changed at once, such as '3 of a site' [any]" };
    private static readonly Option<bool> Wake = new(
        "--wake") { Description = "Devices that sleep are woken when their window opens, by neighbours at their site" };
    private static readonly Option<int> Tries = new("--tries") { Description = "Tries in all", DefaultValueFactory = _ => 3 };
    private static readonly Option<string?> RetryPause = new("--retry-pause") { Description = "The pause before the second try; it doubles each time [15m]" };
    private static readonly Option<string?> Lease = new("--lease") { Description = "How long a device may start it without hearing from the service [1d]" };
    private static readonly Option<int> Priority = new("--priority") { Description = "The stronger of several deployments of one app" };
    private static readonly Option<bool> Downgrade = new("--allow-downgrade") { Description = "A newer version may be replaced" };
    private static readonly Option<bool> EndWhenReplaced = new("--end-when-replaced")
    {
        Description = "It ends by itself once another of the same app and groups has wholly taken its place",
    };
    private static readonly Option<string?> Handling = new(
        "--handling") { Description = "A kept handling, in the place of its app's; none for as the package has it" };
    private static readonly Option<bool> Preview = new("--preview", "-p") { Description = "Only say who would be reached, and change nothing" };

    public static Command Start() => Shared.Verb(
        "start", "Starts a deployment, after showing whom it reaches",
        "deployment start \"foldline 7.2.0\" --to desks --wave 'Test: group test-desks; 100 % met' --wave 'Rest: everyone else' --preview", Run,
        Package, To, Except, Wave, Plan, Name, Gone, Choice, Halt, RollBackOnHalt, Deadline, AfterDeadline, Notice, Calendar, StartWhen,
        Restart, Fetch, AtOnce, Wake, Tries, RetryPause, Lease, Priority, Downgrade,
        SettingOptions.Setting, SettingOptions.Preset, Handling, EndWhenReplaced, Preview, Shared.Yes);

    private static async Task<int> Run(ParseResult parsed, Client client, CancellationToken cancellation)
    {
        // A deadline from now is counted on the service's clock.
        _ = await client.Get("/api/v1/clock", ContractJson.Default.ClockInfo, cancellation);
        var request = new DeploymentRequest(
            parsed.GetValue(Package)!, parsed.GetValue(To)!, await Waves(parsed, client, cancellation), parsed.GetValue(Name), WishOf(parsed),
            parsed.GetValue(Except),
            parsed.GetValue(Halt), parsed.GetValue(RollBackOnHalt), Moment(parsed.GetValue(Deadline)), parsed.GetValue(Tries), parsed.GetValue(RetryPause),
            parsed.GetValue(Lease), parsed.GetValue(Priority), parsed.GetValue(Downgrade),
            SettingOptions.Read(parsed), parsed.GetValue(SettingOptions.Preset), parsed.GetValue(Handling),
            EndWhenReplaced: parsed.GetValue(EndWhenReplaced), Calendars: parsed.GetValue(Calendar) is { Length: > 0 } calendars ? calendars : null,
            AfterDeadline: parsed.GetValue(AfterDeadline)!, Restart: parsed.GetValue(Restart),
            StartWhen: parsed.GetValue(StartWhen), Fetch: parsed.GetValue(Fetch), AtOnce: parsed.GetValue(AtOnce),
            Wake: parsed.GetValue(Wake), Notice: parsed.GetValue(Notice));
        var preview = await client.Post(
            "/api/v1/deployments/preview", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentPreview, cancellation);
        var isJson = parsed.GetValue(Shared.Output) == "json";
        if (parsed.GetValue(Preview))
        {
            if (isJson)
            {
                Say.Json(preview, ContractJson.Default.DeploymentPreview);
            }
            else
            {
                Print(preview);
            }

            return preview.CanStart ? ExitCode.Done : ExitCode.No;
        }

        if (!isJson)
        {
            Print(preview);
        }

        if (!preview.CanStart)
        {
            return ExitCode.No;
        }

        if (!await Shared.Agrees(parsed.GetValue(Shared.Yes), $"Start '{preview.Name}' for {Say.Devices(preview.Reached)}?", cancellation))
        {
            return ExitCode.No;
        }

        var started = await client.Post(
            "/api/v1/deployments", request, ContractJson.Default.DeploymentRequest, ContractJson.Default.DeploymentInfo, cancellation);
        if (isJson)
        {
            Say.Json(started, ContractJson.Default.DeploymentInfo);
        }
        else
        {
            Say.Line($"\nStarted as [bold]{started.Id}[/]. {Markup.Escape(started.Sentence)}\nFollow it: bandejo deployment watch {started.Id}");
        }

        return ExitCode.Done;
    }

    private static void Print(DeploymentPreview preview)
    {
        var isChoice = preview.Wish == "choice";
        Say.Line(
            $"[bold]{Markup.Escape(preview.Name)}[/] would {(isChoice ? "be offered to" : "reach")} "
                + $"[bold]{Say.Devices(preview.Reached)}[/]{Effects(preview)}.{(isChoice ? " Nothing is installed until a user takes it." : "")}");
        var spread = string.Join("; ", preview.Spread.Take(4).Select(part => $"{part.Count} {part.Name}"));
        Say.Line($"[dim]{Markup.Escape(preview.Package)}{(spread.Length > 0 ? " · " + Markup.Escape(spread) : "")}[/]\n");
        for (var i = 0; i < preview.Waves.Count; i++)
        {
            var wave = preview.Waves[i];
            Say.Line(
                $"{(i + 1).ToString(CultureInfo.InvariantCulture)}. {Markup.Escape(wave.Name)}  {Say.Devices(wave.Devices)} "
                    + $"[dim]({Markup.Escape(wave.Pick)}{(wave.Sample.Count > 0 ? $": {string.Join(", ", wave.Sample)}" : "")}"
                        + $"{(wave.Devices > wave.Sample.Count ? ", …" : "")}){(wave.OpensAt is { } opens ? $" · not before {Say.When(opens)}" : "")}"
                        + $"{(wave.Hours is null ? "" : $" · opens {Markup.Escape(wave.Hours)}")}"
                        + $"{(wave.Deadline is null ? "" : $" · due {Markup.Escape(wave.Deadline)}")}[/]");
            if (wave.Gate is not null)
            {
                Say.Line($"   [dim]╱ gate: {Markup.Escape(wave.Gate)}{(wave.Arithmetic is null ? "" : $" · {Markup.Escape(wave.Arithmetic)}")}[/]");
            }
        }

        PrintHours(preview.Hours ?? [], preview.Waves.Count > 1 ? "May start once their wave is open" : "May start at once", isAhead: true);

        foreach (var left in preview.Out)
        {
            Say.Line(
                $"Not reached: {Say.Devices(left.Count)}. {Markup.Escape(left.Reason)} [dim]({string.Join(", ", left.Sample)}"
                    + $"{(left.Count > left.Sample.Count ? ", …" : "")})[/]");
        }

        PrintChosen(preview.Chosen);
        if (preview.Findings.Count > 0)
        {
            Say.Line();
        }

        foreach (var finding in preview.Findings)
        {
            Say.Line(
                finding.IsWarning
                    ? $"[darkgoldenrod]Note:[/] {Markup.Escape(finding.Message)}"
                    : $"[red3]Stands against it:[/] {Markup.Escape(finding.Message)}");
        }
    }

    /// <summary>For what hours devices wait, those that wait for the same on one line.</summary>
    /// <param name="open">What is said of those that wait for none.</param>
    /// <param name="isAhead">Nothing was started yet, so that no order is out.</param>
    public static void PrintHours(IReadOnlyList<HoursInfo> hours, string open, bool isAhead = false)
    {
        foreach (var each in hours)
        {
            var next = each.Next is not { } at ? ""
                : each.IsOpen ? $", until {Say.Moment(at)}"
                : $"; {(each.Why.Code == "restart-held" ? "looked at again" : "may start")} {Say.When(at)}";
            Say.Line(
                $"{(each.IsOpen ? open : "Waits")}: {Say.Devices(each.Devices)}{(each.IsOpen && isAhead ? "" : $". {Markup.Escape(each.Says)}")}{next} "
                    + $"[dim]({string.Join(", ", each.Sample)}{(each.Devices > each.Sample.Count ? ", …" : "")})[/]");
        }
    }

    /// <summary>What a deployment is asked for, what was chosen before what stands as usual.</summary>
    public static void PrintChosen(IReadOnlyList<ChosenInfo> chosen)
    {
        Say.Line();
        foreach (var (title, isUsual) in new[] { ("Chosen", false), ("As usual", true) })
        {
            if (chosen.Where(each => each.IsUsual == isUsual).ToList() is { Count: > 0 } all)
            {
                Say.Line($"[dim]{title}: {Markup.Escape(string.Join(" · ", all.Select(each => $"{each.Name} {each.Value}")))}[/]");
            }
        }
    }

    private static string Effects(DeploymentPreview preview) =>
        preview.Effects.Count == 0 ? "" : $" ({Markup.Escape(string.Join(", ", preview.Effects.Select(effect => $"{Effect(effect)} {effect.Count}")))})";

    private static string Effect(EffectInfo effect) => effect.Code switch
    {
        "enter" => "new on",
        "upgrade" => "upgraded on",
        "downgrade" => "taken down on",
        "leave" => "taken away from",
        "offered" => "offered on",
        "has-it" => "already on",
        "has-newer" => "newer, and left, on",
        "has-none" => "not there on",
        _ => "not known yet of",
    };

    private static string WishOf(ParseResult parsed) => (parsed.GetValue(Gone), parsed.GetValue(Choice)) switch
    {
        (true, true) => throw new WrongUseException("--gone and --choice cannot both be meant."),
        (true, _) => "gone",
        (_, true) => "choice",
        _ => "have",
    };

    private static async Task<IReadOnlyList<WaveRequest>> Waves(ParseResult parsed, Client client, CancellationToken cancellation)
    {
        var texts = parsed.GetValue(Wave) ?? [];
        if (parsed.GetValue(Plan) is not { } plan)
        {
            return texts.Length == 0 ? [new WaveRequest("Everyone", "everyone else")] : Waves(texts);
        }

        return texts.Length == 0
            ? (await client.Get($"/api/v1/wave-plans/{Uri.EscapeDataString(plan)}", ContractJson.Default.WavePlanInfo, cancellation)).Waves
            : throw new WrongUseException("Name a wave plan, or single waves, not both.");
    }

    /// <summary>Before the earliest moment at which a wave opens.</summary>
    private const string NotBefore = "not before ";

    /// <summary>Before the hours in which a wave opens.</summary>
    private const string Opens = "opens ";

    /// <summary>Before the moment from which its devices are late.</summary>
    private const string Due = "due ";

    /// <summary>Between hours and the zone whose clocks they are by.</summary>
    private const string InZone = " in ";

    /// <summary>Waves as they are written on the command line.</summary>
    public static List<WaveRequest> Waves(string[] texts)
    {
        return [.. texts.Select(text =>
        {
            // A name in double quotes may hold what else would end it.
            var end = text.StartsWith('"') ? text.IndexOf("\":", 1, StringComparison.Ordinal) + 1 : text.IndexOf(':', StringComparison.Ordinal);
            if (end <= 0)
            {
                throw new WrongUseException($"A wave is written as 'NAME: PICK; GATE', such as 'Pilots: group pilots; 100 % met'; this is not: '{text}'.");
            }

            var parts = text[(end + 1)..].Split(';', StringSplitOptions.TrimEntries);
            var opens = parts.Skip(1).FirstOrDefault(part => part.StartsWith(NotBefore, StringComparison.OrdinalIgnoreCase));
            var hours = parts.Skip(1).FirstOrDefault(part => part.StartsWith(Opens, StringComparison.OrdinalIgnoreCase));
            var due = parts.Skip(1).FirstOrDefault(part => part.StartsWith(Due, StringComparison.OrdinalIgnoreCase));
            var gate = string.Join("; ", parts.Skip(1).Where(part => part != opens && part != hours && part != due));
            return new WaveRequest(
                text[..end].Trim().Trim('"'), parts[0], gate.Length > 0 ? gate : null, opens is null ? null : Moment(opens[NotBefore.Length..].Trim()),
                hours is null ? null : Hours(hours[Opens.Length..].Trim()), due?[Due.Length..].Trim());
        })];
    }

    /// <summary>Hours are by the clocks of whoever writes them, unless they say otherwise.</summary>
    private static string Hours(string written) =>
        written.Contains(InZone, StringComparison.OrdinalIgnoreCase) || !TimeZoneInfo.Local.HasIanaId ? written : written + InZone + TimeZoneInfo.Local.Id;

    private static DateTimeOffset? Moment(string? text)
    {
        if (text is null)
        {
            return null;
        }

        var digits = text.TakeWhile(c => char.IsAsciiDigit(c)).Count();
        if (digits > 0 && int.TryParse(text.AsSpan(0, digits), CultureInfo.InvariantCulture, out var number) && text[digits..].Trim() is "d" or "h" or "m")
        {
            var unit = text[digits..].Trim() switch { "d" => TimeSpan.FromDays(1), "h" => TimeSpan.FromHours(1), _ => TimeSpan.FromMinutes(1) };
            return Now.Moment + (unit * number);
        }

        return DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeLocal, out var moment)
            ? moment.ToUniversalTime()
            : throw new WrongUseException($"'{text}' is neither a length such as 3d nor a moment such as 2026-12-01T18:00.");
    }
}
