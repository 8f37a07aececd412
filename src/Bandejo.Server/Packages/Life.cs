using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Packages;

/// <summary>Moves packages through their life.</summary>
internal static class Life
{
    public static Outcome<PackageInfo> Move(WorldChange change, string named, PackageEvent asked, bool mayReleaseUntried, string reason)
    {
        var found = Catalogue.Find(change.World, named);
        if (!found.Ok)
        {
            // An app's slug alone names its newest released package; for releasing, its newest at all is meant.
            var newest = change.World.Packages.Values.Where(package => package.Stored.App == named.Trim()).MaxBy(package => package.Version);
            if (newest is null)
            {
                return found.Failure!;
            }

            found = newest;
        }

        var entry = found.Value;
        var decided = PackageLife.Decide(entry.Stored.State, asked, mayReleaseUntried, reason.Trim());
        if (!decided.Ok)
        {
            return decided.Failure!;
        }

        var word = Words.Of(decided.Value);
        entry.Stored = entry.Stored with { State = decided.Value, History = [.. entry.Stored.History, new StoredLife(word, change.By!, change.Now, reason)] };
        change.Keep(new PutPackage(entry.Stored));
        change.Audit($"package-{word}", $"{entry.Document.Name} {entry.Stored.Version} was {word}.", reason);
        return Catalogue.Info(entry);
    }

    /// <summary>Keeps the result of a trial. One without a failed step makes a built package tried; any other changes no state, and stays in its history.</summary>
    public static Outcome<PackageInfo> Try(WorldChange change, string named, TrialReport report)
    {
        if (report.Steps.Count is 0 or > 500 || report.Machine.Length > 200 || report.Steps.Any(step => step.State is not ("passed" or "failed" or "warned" or "left-out") || step.Says.Length > 4000))
        {
            return new Failure(ErrorKind.Invalid, "A trial has 1 to 500 steps, each passed, failed, warned or left-out, and names the machine it ran on.");
        }

        var found = Catalogue.Find(change.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var (entry, failed) = (found.Value, report.Steps.FirstOrDefault(step => step.State == "failed"));
        var hasInstalled = report.Steps.Any(step => step is { Name: "install", State: "passed" or "warned" });
        var result = failed is not null ? $"failed at '{failed.Name}': {failed.Says}" : hasInstalled ? $"passed, {report.Steps.Count(step => step.State == "warned")} warnings" : "tried nothing: no variant is meant for that machine";
        var state = entry.Stored.State;
        if (failed is null && hasInstalled && state == PackageState.Built)
        {
            state = PackageLife.Decide(state, PackageEvent.TrialPassed, false, "").Value;
        }

        entry.Stored = entry.Stored with { State = state, History = [.. entry.Stored.History, new StoredLife(state == entry.Stored.State ? "trial" : Words.Of(state), change.By!, change.Now, $"Trial on {report.Machine}: {result}")] };
        change.Keep(new PutPackage(entry.Stored));
        change.Audit("package-trial", $"A trial of {entry.Document.Name} {entry.Stored.Version} was kept: {result}.");
        return Catalogue.Info(entry);
    }

    /// <summary>Withdraws a package: its deployments are halted, and devices get a signed list that holds offline too.</summary>
    public static Outcome<PackageDetails> Withdraw(WorldChange change, SiteKeys keys, string named, string reason)
    {
        var moved = Move(change, named, PackageEvent.WithdrawAsked, false, reason);
        if (!moved.Ok)
        {
            return moved.Failure!;
        }

        var world = change.World;
        var serial = long.Parse(world.Settings.GetValueOrDefault("withdrawn.serial", "0"), System.Globalization.CultureInfo.InvariantCulture) + 1;
        var list = new WithdrawnContent("withdrawn", serial, [.. world.Packages.Values.Where(package => package.Stored.State == PackageState.Withdrawn).Select(package => package.Stored.Digest).Order(StringComparer.Ordinal)]);
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

        return Catalogue.Details(world, package);

        void Set(string name, string value)
        {
            world.Settings[name] = value;
            change.Keep(new PutSetting(name, value));
        }
    }
}
