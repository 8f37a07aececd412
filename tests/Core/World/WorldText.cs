using System.Globalization;
using System.Text;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Tests.World;

/// <summary>
/// All of a world as text, in one order: two worlds with one text are equal, and where they are not, the first line that differs says in what. Rows are not
/// part of it, nor is what a device says at every check-in and nobody keeps.
/// </summary>
public static class WorldText
{
    public static string Of(FleetWorld world)
    {
        var text = new StringBuilder();
        All("setting", world.SiteSettings, pair => $"{pair.Key}={pair.Value}");
        All(
            "account", world.Accounts.Values,
            account =>
                $"{account.Account} {account.Name} {account.PasswordHash} [{string.Join(' ', account.Roles)}] {account.IsDisabled} "
                    + $"[{string.Join(' ', account.SigningKeys)}] {account.Revision}");
        All("token", world.Tokens.Values, token => $"{token with { Roles = null }} [{string.Join(' ', token.Roles ?? ["all"])}]");
        All("code", world.JoinCodes.Values, code => code.ToString());
        All("once", world.Onces.Values, once => once.ToString());
        All("calendar", world.Calendars.Values, calendar => calendar.Record.ToString());
        All("wave plan", world.WavePlans.Values, plan => plan.ToString());
        All(
            "handling", world.Handlings.Values,
            handling => $"{handling.Slug} {handling.Name} {handling.Values.InWords} [{string.Join(' ', handling.Apps)}] {handling.Revision}");
        All("trial", world.DeviceTrials.Values, trial => $"{trial with { Settings = null }} {Pairs(trial.Settings)}");
        All(
            "package", world.Packages.Values,
            package => $"{package.Record with { History = [], Took = null, Restarted = null }} [{string.Join(", ", package.Record.History)}] "
                + $"took {string.Join(", ", (package.Record.Took ?? new Dictionary<string, TookRecord>()).OrderBy(each => each.Key))} "
                + $"restarted {string.Join(", ", package.Record.Restarted ?? [])}");
        All("open", world.OpenAttempts.Values, attempt => attempt.ToString());
        All("slow", world.SlowAttempts.Values, attempt => attempt.Id);
        All("device", world.Devices.Values, device => Device(world, device));
        All(
            "found", world.Devices.Values,
            device =>
                $"{world.Devices.Named(device.Name)?.Id} {world.Devices.OfKey(device.Record.Key.KeyId)?.Id} {world.Texts.Containing(device.Name)[device.Row]}");
        All("in order", [string.Join(' ', world.Devices.InOrder().Select(device => device.Name))], names => names);
        All("group", world.Groups.Values, group => $"{group.Record} in [{Names(world, group.In)}] not known [{Names(world, group.NotKnown)}]");
        foreach (var deployment in world.Deployments.Values)
        {
            text.AppendLine(
                CultureInfo.InvariantCulture,
                $"deployment {deployment.Record with { Plan = null, State = null! }} package {deployment.Package.Record.State} {State(deployment.State)} "
                    + $"{Plan(deployment.Plan)}");
            All($"target of {deployment.Id}", deployment.Targets.All, target => target.ToString());
            text.AppendLine(
                CultureInfo.InvariantCulture, $"states of {deployment.Id}: {string.Join(' ', deployment.Targets.States())}, {deployment.Targets.Count} in all");
            for (var wave = 0; wave < deployment.Plan.Waves.Count; wave++)
            {
                text.AppendLine(
                    CultureInfo.InvariantCulture,
                    $"wave {wave} of {deployment.Id}: [{Names(world, deployment.Targets.InWave(wave))}] {Tally(world.Tallies(deployment)[wave])}");
            }
        }

        text.AppendLine(CultureInfo.InvariantCulture, $"active {string.Join(' ', world.Active.Select(deployment => deployment.Id))}");
        text.AppendLine(CultureInfo.InvariantCulture, $"last event {world.LastEvent}");
        return text.ToString();

        void All<T>(string what, IEnumerable<T> each, Func<T, string> line)
        {
            foreach (var one in each.Select(line).Order(StringComparer.Ordinal))
            {
                text.Append(what).Append(' ').AppendLine(one);
            }
        }
    }

    /// <summary>The first line in which two texts differ; null where they are alike.</summary>
    public static string? Difference(string expected, string actual)
    {
        var (a, b) = (expected.Split('\n'), actual.Split('\n'));
        for (var line = 0; line < Math.Max(a.Length, b.Length); line++)
        {
            if (a.ElementAtOrDefault(line) != b.ElementAtOrDefault(line))
            {
                return $"line {line + 1}: expected '{a.ElementAtOrDefault(line)}', and there is '{b.ElementAtOrDefault(line)}'";
            }
        }

        return null;
    }

    private static string Device(FleetWorld world, DeviceEntry device)
    {
        var record = device.Record;
        var facts = record.Sheet.Facts().Select(fact => (Name: world.WordBook[fact.Name], fact.Value, fact.Since))
            .OrderBy(fact => fact.Name, StringComparer.Ordinal).ToList();
        var programs = record.Sheet.Programs()?.Select(program => $"{world.WordBook[program.Name]} {world.WordBook[program.Version]}").Order(StringComparer.Ordinal);
        var columns = FactCatalog.All.Keys.Order(StringComparer.Ordinal)
            .Select(name => world.Columns.Get(device.Row, new FactRef(name, false)).Value is { } value ? $"{name}={value}" : null).OfType<string>();
        var apps = world.Packages.Values.Select(package => package.Record.App).Distinct().Order(StringComparer.Ordinal).Select(app => world.App(device, app))
            .Select(lookup => lookup.Value?.ToString() ?? (lookup.IsAbsent ? "none" : "?"));
        return $"{record with { Sheet = FactSheet.Empty, Heard = null }} heard [{string.Join(' ', record.Heard ?? [])}] says [{string.Join(", ", facts)}] "
            + $"has [{(programs is null ? "?" : string.Join(", ", programs))}] columns [{string.Join(", ", columns)}] apps [{string.Join(", ", apps)}]";
    }

    private static string Plan(DeploymentPlan plan) =>
        $"{plan with { Groups = [], Except = [], Waves = [], Settings = new Dictionary<string, string>() }} [{string.Join(' ', plan.Groups)}] "
            + $"[{string.Join(' ', plan.Except)}] [{string.Join(", ", plan.Waves)}] {Pairs(plan.Settings)}";

    private static string State(DeploymentState state) => $"{state with { Waves = [] }} [{string.Join(", ", state.Waves)}]";

    private static string Tally(Tally tally) => $"{tally with { States = [] }} [{string.Join(' ', tally.States)}]";

    private static string Names(FleetWorld world, Bitmap rows) =>
        string.Join(' ', rows.Rows().Select(row => world.Devices.At(row).Name).Order(StringComparer.Ordinal));

    private static string Pairs(IReadOnlyDictionary<string, string>? pairs) =>
        string.Join(' ', (pairs ?? new Dictionary<string, string>()).OrderBy(pair => pair.Key, StringComparer.Ordinal).Select(
            pair => $"{pair.Key}={pair.Value}"));
}
