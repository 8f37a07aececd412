using System.Globalization;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.Catalogue;

/// <summary>Moves packages through their life.</summary>
public static class PackageLives
{
    /// <summary>The number of the list of withdrawn packages, and the list as devices get it.</summary>
    public const string WithdrawnSerial = "withdrawn.serial";

    public const string WithdrawnList = "withdrawn.list";

    /// <summary>Moves a package as somebody asks. An app's slug means its newest package, released or not.</summary>
    public static Outcome<PackageEntry> Move(Decision decision, string named, PackageEvent asked, Releaser releaser, string reason)
    {
        var world = decision.World;
        var found = Named.Package(world, named, isWhole: asked == PackageEvent.WithdrawAsked);
        if (!found.Ok)
        {
            // An app's slug alone names its newest released package; for releasing, its newest at all is meant.
            var app = Named.App(world, named, isWhole: asked == PackageEvent.WithdrawAsked);
            if (!app.Ok)
            {
                return found.Failure!;
            }

            found = world.Packages.Values.Where(package => package.Record.App == app.Value).MaxBy(package => package.Version)!;
        }

        var package = found.Value;
        var decided = PackageLife.Decide(package.Record.State, asked, releaser with { IsBuilder = package.Record.BuiltBy == decision.By }, reason.Trim());
        if (!decided.Ok)
        {
            return decided.Failure!;
        }

        var word = StateNames.Of(decided.Value);
        decision.Do(new PutPackage(With(package.Record, new LifeRecord(word, decision.By!, decision.Now, reason)) with { State = decided.Value }));
        decision.Audit($"package-{word}", $"{package.Title} was {word}.", reason);
        return world.Packages[package.Digest];
    }

    /// <summary>
    /// Keeps the result of a trial. One without a failed step makes a built package tried; any other changes no state, and stays in its history.
    /// </summary>
    /// <param name="by">Who asked for it; null for whoever makes the change.</param>
    public static Outcome<PackageEntry> Try(Decision decision, string named, TrialTold told, string? by = null)
    {
        if (told.Problem is { } problem)
        {
            return new Failure(ErrorKind.Invalid, problem);
        }

        var found = Named.Package(decision.World, named);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        var (package, (hasPassed, result)) = (found.Value, TrialResult.Of(told.Steps));
        var before = package.Record.State;
        var state = hasPassed && before == PackageState.Built
            ? PackageLife.Decide(before, PackageEvent.TrialPassed, new Releaser(false, false), "").Value
            : before;
        var step = new LifeRecord(
            state == before ? "trial" : StateNames.Of(state), by ?? decision.By!, decision.Now, $"Trial on {told.Machine}: {result}", told.Kept);
        decision.Do(new PutPackage(With(package.Record, step) with { State = state }));
        decision.Audit("package-trial", $"A trial of {package.Title} was kept: {result}.");
        return decision.World.Packages[package.Digest];
    }

    /// <summary>Makes the list of withdrawn packages anew.</summary>
    /// <param name="ahead">By how much its number rises.</param>
    internal static void List(Decision decision, long ahead, Func<long, IReadOnlyList<string>, string> sign)
    {
        var world = decision.World;
        var serial = long.Parse(world.SiteSettings.GetValueOrDefault(WithdrawnSerial, "0"), CultureInfo.InvariantCulture) + ahead;
        decision.Do(new PutSetting(WithdrawnSerial, serial.ToString(CultureInfo.InvariantCulture)));
        decision.Do(new PutSetting(WithdrawnList, sign(serial, [
            .. world.Packages.Values.Where(each => each.Record.State == PackageState.Withdrawn).Select(each => each.Digest).Order(StringComparer.Ordinal)])));
    }

    /// <summary>Withdraws a package: its deployments are halted, and devices get a signed list that holds offline too.</summary>
    /// <param name="sign">Signs the list of withdrawn packages, by digest, with its number.</param>
    public static Outcome<PackageEntry> Withdraw(Decision decision, string named, string reason, Func<long, IReadOnlyList<string>, string> sign)
    {
        var moved = Move(decision, named, PackageEvent.WithdrawAsked, new Releaser(false, false), reason);
        if (!moved.Ok)
        {
            return moved.Failure!;
        }

        var (world, package) = (decision.World, moved.Value);
        List(decision, 1, sign);
        foreach (
            var deployment in world.Active.Where(each => each.Package == package && each.Plan.Wish != Wish.Gone && each.State.Status is not (
                DeploymentStatus.Halted or DeploymentStatus.RollingBack))
                .ToList())
        {
            var halted = DeploymentMachine.Decide(
                deployment.Plan, deployment.State, new Asked(DeploymentAct.Halt, decision.By!, $"the package was withdrawn: {reason}"), decision.Now);
            Looking.TakeOver(decision, deployment, halted.Value);
        }

        RollingBack.FindAgain(decision, package.Digest);

        // What was withdrawn wants nothing any more: who wants the app gone, or an older version there, acts now.
        foreach (var deployment in world.Active.Where(each => each.Package == package).ToList())
        {
            Weighing.WeighAll(decision, deployment);
            Looking.Rivals(decision, deployment, deployment.Targets.AllRows());
        }

        return package;
    }

    /// <summary>Takes a package in that was checked, or the files of one that was let go.</summary>
    /// <param name="brought">What is kept of it, as it is where it was just built; its signatures hold.</param>
    /// <param name="origin">Of a package that was carried here: what is kept of that, and in words; null for one that was built here.</param>
    public static Outcome<TakenIn> TakeIn(Decision decision, PackageRecord brought, PackageContents contents, (string Kept, string Words)? origin)
    {
        var world = decision.World;
        if (Known(world, brought.Digest, brought.App, brought.Version, contents.Name) is { } known)
        {
            return known.Ok ? new TakenIn(known.Value, IsNew: false) : known.Failure!;
        }

        if (world.Packages.TryGetValue(brought.Digest, out var gone))
        {
            decision.Do(new PutPackage(With(gone.Record, new LifeRecord(PackageEntry.Restored, decision.By!, decision.Now, ""))));
            decision.Audit("package-restored", $"The files of {gone.Title}, which was let go, came again.");
            return new TakenIn(world.Packages[brought.Digest], IsNew: false);
        }

        if (Needing.Circle(world, brought.App, contents.Needs) is { } circle)
        {
            return new Failure(ErrorKind.Invalid, circle);
        }

        decision.Do(new PutPackage(
            brought with
            {
                BuiltBy = decision.By!, BuiltAt = decision.Now, State = PackageState.Built,
                History = [new LifeRecord("built", decision.By!, decision.Now, origin?.Words ?? "")],
            }));
        decision.Audit("package-built", $"{contents.Name} {brought.Version} was {origin?.Words ?? "built and taken in"}.");
        if (origin is { } carried)
        {
            decision.Do(new PutSetting(OriginOf(brought.Digest), carried.Kept));
        }

        return new TakenIn(world.Packages[brought.Digest], IsNew: true);
    }

    /// <summary>The package that is known by a digest already, or the failure where its version is known with other content; null where neither is.</summary>
    public static Outcome<PackageEntry>? Known(FleetWorld world, string digest, string app, string versionText, string name)
    {
        if (world.Packages.TryGetValue(digest, out var same))
        {
            return same.IsLetGo ? null : (Outcome<PackageEntry>?)same;
        }

        var version = Versions.AppVersion.Parse(versionText);
        if (world.Packages.Values.FirstOrDefault(package => package.Record.App == app && package.Version == version) is null)
        {
            return null;
        }

        var revision = world.Packages.Values.Where(package => package.Record.App == app && package.Version.SameButRevision(version))
            .Max(package => Math.Max(1, package.Version.Revision))
            + 1;
        return new Failure(
            ErrorKind.Conflict,
            $"{name} {versionText} was built before with other content, and a package never changes. Give this one the version "
                + $"{version.WithRevision(revision)}.");
    }

    /// <summary>Under which name the origin of a package is kept that was carried here.</summary>
    public static string OriginOf(string digest) => "origin." + digest;

    internal static PackageRecord With(PackageRecord record, LifeRecord step) => record with { History = [.. record.History, step] };
}

/// <summary>A package that was taken in.</summary>
/// <param name="IsNew">It was not known before.</param>
public sealed record TakenIn(PackageEntry Package, bool IsNew);

/// <summary>What the steps of a trial came to.</summary>
/// <param name="Machine">What it ran on.</param>
/// <param name="Steps">In their order.</param>
/// <param name="Problem">Why its report is in no form that is taken; null where it is.</param>
/// <param name="Kept">The name under which all of it is kept.</param>
public sealed record TrialTold(string Machine, IReadOnlyList<(string Step, TrialState State, string Says)> Steps, string? Problem, string Kept);
