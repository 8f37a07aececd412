using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Packages;

/// <summary>Moves packages through their life.</summary>
internal static class Life
{
    private static readonly Dictionary<string, TrialState> States = Enum.GetValues<TrialState>().ToDictionary(Words.Of, StringComparer.Ordinal);

    public static Outcome<PackageInfo> Move(WorldChange change, string named, PackageEvent asked, Releaser releaser, string reason)
    {
        var found = Catalogue.Find(change.World, named);
        if (!found.Ok)
        {
            // An app's slug alone names its newest released package; for releasing, its newest at all is meant.
            var newest = change.World.Packages.Values.Where(package => package.Record.App == named.Trim()).MaxBy(package => package.Version);
            if (newest is null)
            {
                return found.Failure!;
            }

            found = newest;
        }

        var entry = found.Value;
        var decided = PackageLife.Decide(entry.Record.State, asked, releaser with { IsBuilder = entry.Record.BuiltBy == change.By }, reason.Trim());
        if (!decided.Ok)
        {
            return decided.Failure!;
        }

        var word = Words.Of(decided.Value);
        entry.Record = entry.Record with { State = decided.Value, History = [.. entry.Record.History, new LifeRecord(word, change.By!, change.Now, reason)] };
        change.Keep(new PutPackage(entry.Record));
        change.Audit($"package-{word}", $"{entry.Document.Name} {entry.Record.Version} was {word}.", reason);
        return Catalogue.Info(entry);
    }

    /// <summary>Keeps all steps of a trial as content, before its package's history names it.</summary>
    public static string Keep(FileStore files, TrialReport report) => files.Keep(JsonSerializer.SerializeToUtf8Bytes(report, ContractJson.Default.TrialReport));

    /// <summary>Keeps the result of a trial. One without a failed step makes a built package tried; any other changes no state, and stays in its history.</summary>
    /// <param name="kept">The name under which all of its steps are kept.</param>
    /// <param name="by">Who asked for it; null for whoever makes the change.</param>
    public static Outcome<PackageInfo> Try(WorldChange change, string named, TrialReport report, string kept, string? by = null)
    {
        var steps = report.Steps.Where(step => States.ContainsKey(step.State)).Select(step => (step.Name, States[step.State], step.Says)).ToList();
        if (report.Steps.Count is 0 or > 500 || steps.Count < report.Steps.Count || report.Machine.Length > 200 || report.Steps.Any(step => step.Says.Length > 4000 || step.Name.Length > 100 || step.Variant.Length > 100 || step.Log.Count > 200 || step.Log.Any(line => line.Length > 4000)))
        {
            return new Failure(ErrorKind.Invalid, $"A trial has 1 to 500 steps, each {string.Join(", ", States.Keys)}, and names the machine it ran on.");
        }

        var found = Catalogue.Find(change.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var (entry, (hasPassed, result)) = (found.Value, TrialResult.Of(steps));
        var state = hasPassed && entry.Record.State == PackageState.Built ? PackageLife.Decide(PackageState.Built, PackageEvent.TrialPassed, new Releaser(false, false), "").Value : entry.Record.State;
        entry.Record = entry.Record with { State = state, History = [.. entry.Record.History, new LifeRecord(state == entry.Record.State ? "trial" : Words.Of(state), by ?? change.By!, change.Now, $"Trial on {report.Machine}: {result}", kept)] };
        change.Keep(new PutPackage(entry.Record));
        change.Audit("package-trial", $"A trial of {entry.Document.Name} {entry.Record.Version} was kept: {result}.");
        return Catalogue.Info(entry);
    }

    /// <summary>All steps of a trial that is kept with a package.</summary>
    public static Outcome<TrialReport> Trial(FleetWorld world, FileStore files, string named, string trial)
    {
        var found = Catalogue.Find(world, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        // Only what the history names: other content is none of the asker's business here.
        return found.Value.Record.History.Any(step => step.Trial == trial) && files.Find(trial) is { } path
            ? JsonSerializer.Deserialize(File.ReadAllBytes(path), ContractJson.Default.TrialReport)!
            : new Failure(ErrorKind.NotFound, $"No trial '{trial}' is kept with {found.Value.Document.Name} {found.Value.Record.Version}.");
    }

    /// <summary>Withdraws a package: its deployments are halted, and devices get a signed list that holds offline too.</summary>
    public static Outcome<PackageDetails> Withdraw(WorldChange change, SiteKeys keys, string named, string reason)
    {
        var moved = Move(change, named, PackageEvent.WithdrawAsked, new Releaser(false, false), reason);
        if (!moved.Ok)
        {
            return moved.Failure!;
        }

        var world = change.World;
        var serial = long.Parse(world.Settings.GetValueOrDefault("withdrawn.serial", "0"), System.Globalization.CultureInfo.InvariantCulture) + 1;
        var list = new WithdrawnContent("withdrawn", serial, [.. world.Packages.Values.Where(package => package.Record.State == PackageState.Withdrawn).Select(package => package.Record.Digest).Order(StringComparer.Ordinal)]);
        Set("withdrawn.serial", serial.ToString(System.Globalization.CultureInfo.InvariantCulture));
        Set("withdrawn.list", keys.Sign(list, ContractJson.Default.WithdrawnContent));
        foreach (var device in world.Devices.Values)
        {
            change.World.OrdersInDoubt(device);
        }

        var package = world.Packages[moved.Value.Digest];
        foreach (var deployment in world.Deployments.Values.Where(each => each.IsActive && each.Package == package && each.Plan.Wish != Wish.Gone && each.State.Status is not (DeploymentStatus.Halted or DeploymentStatus.RollingBack)).ToList())
        {
            var halted = DeploymentMachine.Decide(deployment.Plan, deployment.State, new Asked(DeploymentAct.Halt, change.By!, $"the package was withdrawn: {reason}"), change.Now);
            Engine.Apply(change, deployment, halted.Value);
        }

        // What was withdrawn wants nothing any more: who wants the app gone, or an older version there, acts now.
        foreach (var deployment in world.Deployments.Values.Where(each => each.IsActive && each.Package == package).ToList())
        {
            Engine.WeighAll(change, deployment);
            Engine.Rivals(change, deployment);
        }

        return Catalogue.Details(world, package);

        void Set(string name, string value)
        {
            world.Settings[name] = value;
            change.Keep(new PutSetting(name, value));
        }
    }
}
