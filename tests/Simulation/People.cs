using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Device;
using Bandejo.Played;
using Bandejo.Server.Deployments;

namespace Bandejo.Simulation.Tests;

/// <summary>The administrators, the users of the devices, and bad luck.</summary>
internal sealed class People(Simulation simulation)
{
    private static readonly string[] Rules = [
        "kind is \"laptop\"", "kind is \"desktop\"", "memory >= 8 GiB", "app \"ink\" is present", "not (app \"loom\" is present)",
        "site is \"ALD\" or app \"ink\" < \"2\""];
    private static readonly string[] Gates = [
        "50 % met", "100 % met for 1 h", "1 met, then approval", "approval", "80 % met for 30 m, clean, silent left out after 1 d",
        "50 % met, no harm report, not-needed counts"];
    private static readonly string[] Halts = ["1 failed", "2 failed", "20 % failed of at least 3", "1 harm report", "never"];
    private static readonly TimeSpan[] Jumps = [
        TimeSpan.FromMinutes(7), TimeSpan.FromHours(5), TimeSpan.FromDays(40), TimeSpan.FromMinutes(-7), TimeSpan.FromHours(-5), TimeSpan.FromDays(-2)];

    private static readonly string[] Windows = [
        "daily 22:00-04:00", "Mon-Fri 18:00-21:30; Sat,Sun", "daily 06:00 for 5h", "daily 00:00-24:00", "Mon,Wed,Fri 12:00-12:40", "every day 09:00-17:00"];

    private static readonly string?[] Restarts = [
        null, "with the install", "in the next window", "in the next window, with the install while somebody is signed in, at the latest after 1 h",
        "at the latest after 6 h", "with the install, in the next window while somebody is signed in"];

    private static readonly string?[] Starts = [null, null, "with nobody signed in", "at system start before anybody signs in, on mains power", "on mains power"];

    private static readonly string?[] AtOnce = [null, null, "1 of a site", "2 of a site"];

    private static readonly string?[] Fetches = [null, null, "1 of a site at once", "at most 1 MB/s daily 08:00-18:00; 2 of a site at once; over metered links too"];

    private int _names;

    private SimulatedService Service => simulation.Service;

    private FleetWorld World => simulation.Service.World;

    /// <summary>Lets something happen.</summary>
    /// <exception cref="LinkException">The service is down.</exception>
    public void Do(HistoryEvent happening)
    {
        var random = new Random(happening.Number);
        var device = simulation.Devices[happening.What == Happens.Joins ? happening.Number % simulation.Devices.Count : random.Next(simulation.Devices.Count)];
        switch (happening.What)
        {
            case Happens.Joins:
                device.JoinAnew();
                device.Start();
                break;
            case Happens.PowerGoes when device.Machine.IsOn:
                device.Machine.Cut();
                break;
            case Happens.PowerGoesAtEntry:
                device.Machine.CutAtEntry = random.Next(1, 12);
                break;
            case Happens.AgentEnds:
                device.EndAgent(TimeSpan.FromSeconds(random.Next(2, 600)));
                break;
            case Happens.LinkBreaks:
                device.AwayUntil = simulation.Clock.Now + TimeSpan.FromMinutes(random.Next(5) == 0 ? random.Next(3000) : random.Next(90));
                break;
            case Happens.AnswersAreLost:
                device.AnswersLost = random.Next(1, 5);
                break;
            case Happens.CheckInsAreDoubled:
                device.Doubled = random.Next(1, 8);
                break;
            case Happens.CheckInComesAgain:
                device.ComesAgain = TimeSpan.FromSeconds(random.Next(2) == 0 ? random.Next(10) : random.Next(20_000));
                break;
            case Happens.ClockJumps:
                device.Jump(Any(random, Jumps));
                break;
            case Happens.AppIsTakenAway:
                device.Machine.Files.Remove(PlayedMachine.VersionFile(Any(random, Catalogue.Packages).App));
                break;
            case Happens.OtherVersionIsPut:
                var other = Any(random, Catalogue.Packages);
                device.Machine.Files[PlayedMachine.VersionFile(other.App)] = other.Version;
                break;
            case Happens.FactsChange:
                device.Machine.Facts["memory"] = random.Next(3) == 0 ? "4294967296" : "17179869184";
                if (random.Next(4) == 0)
                {
                    device.Machine.Facts["site"] = Any(random, ["ALD", "BRO"]);
                    simulation.Watch.Moved(device);
                }

                device.Machine.Facts["network.metered"] = random.Next(4) == 0 && !simulation.IsResting ? "yes" : "no";
                device.Machine.IsSignedIn = random.Next(3) == 0 && !simulation.IsResting;
                device.Machine.Facts["power.mains"] = random.Next(3) == 0 && !simulation.IsResting ? "no" : "yes";
                break;
            case Happens.HarmIsReported or Happens.OfferIsTaken:
                device.Machine.Say(new UserWord(
                    $"w{happening.Number:x8}", happening.What == Happens.OfferIsTaken ? "take" : "harm", Any(random, Catalogue.Packages).App,
                    "the screen is dark", simulation.Clock.Now));
                device.Engine?.Hear();
                break;
            case Happens.ServiceIsKilled:
                Service.Kill(TimeSpan.FromSeconds(random.Next(4) == 0 ? random.Next(20_000) : random.Next(1, 60)));
                break;
            case Happens.CommitFails:
                Service.FailNext();
                break;
            default:
                Administer(happening, random, device);
                break;
        }
    }

    /// <summary>Lets everything be changed at all times, so that nothing waits for its hours any more.</summary>
    public void OpenAll()
    {
        if (!Service.IsUp)
        {
            simulation.Clock.At(simulation.Clock.Now + TimeSpan.FromMinutes(10), OpenAll);
            return;
        }

        foreach (var slug in World.Calendars.Keys.ToList())
        {
            Ask($"opens {slug}", decision => Core.Site.Calendars.Keep(decision, Seen, slug, new CalendarAsk(null, false, "daily 00:00-24:00", null, null)));
        }
    }

    private void Administer(HistoryEvent happening, Random random, SimulatedDevice device)
    {
        var deployment = Any(random, [.. World.Deployments.Values]);
        var group = Any(random, [.. World.Groups.Values]);
        switch (happening.What)
        {
            case Happens.IsRemoved when device.Identity is { } identity && World.Devices.Get(identity.DeviceId) is not null:
                Ask($"removes {device.Name}", decision => Core.CheckIns.Enrolment.Remove(
                    decision, identity.DeviceId, Service.ShelvedOf(identity.DeviceId)));
                break;
            case Happens.GroupIsMade:
                Ask("makes a group", decision => Groups.Add(
                    decision, $"group-{random.Next(4)}", "", random.Next(3) == 0 ? null : Any(random, Rules), random.Next(4) == 0));
                break;
            case Happens.GroupChanges when group is { Rule: not null }:
                Ask($"changes {group.Record.Slug}", decision => Groups.Alter(decision, Seen, group.Record.Slug, "other", Any(random, Rules), false));
                break;
            case Happens.GroupIsRemoved when group is not null && group.Record.Slug != "desks":
                Ask($"removes {group.Record.Slug}", decision => Groups.Remove(decision, Seen, group.Record.Slug));
                break;
            case Happens.MemberMoves when group is { Rule: null } && device.Identity is { } identity:
                Ask($"moves {device.Name} in or out of {group.Record.Slug}", decision => Groups.SetMembers(
                    decision, group.Record.Slug, [identity.DeviceId], random.Next(3) > 0));
                break;
            case Happens.CalendarIsKept:
                var today = DateOnly.FromDateTime(simulation.Clock.Now.UtcDateTime);
                var isFreeze = random.Next(3) == 0;
                var when = isFreeze ? $"{today.AddDays(random.Next(2)):yyyy-MM-dd} to {today.AddDays(random.Next(2, 4)):yyyy-MM-dd}" : Any(random, Windows);
                var slug = $"calendar-{random.Next(4)}";
                Ask($"keeps {slug}: {when}", decision => Core.Site.Calendars.Keep(
                    decision, Seen, slug, new CalendarAsk(null, isFreeze, when, random.Next(2) == 0 ? "America/New_York" : null, null)));
                break;
            case Happens.CalendarsAreAttached when group is not null:
                string[] attached = [.. World.Calendars.Keys.Where(_ => random.Next(3) == 0)];
                Ask($"lets {string.Join(", ", attached)} rule {group.Record.Slug}", decision => Core.Site.Calendars.Rule(
                    decision, Seen, group.Record.Slug, attached));
                break;
            case Happens.PackageIsReleased:
                Ask("releases", decision => PackageLives.Move(
                    decision, Catalogue.Packages[happening.Number].Digest, PackageEvent.ReleaseAsked, new Releaser(true, false), "because"));
                break;
            case Happens.PackageIsWithdrawn:
                Ask("withdraws", decision => PackageLives.Withdraw(decision, Any(random, Catalogue.Packages).Digest, "because", Catalogue.SignWithdrawn));
                break;
            case Happens.DeploymentStarts:
                Start(NewAsk(random), TimeSpan.Zero);
                break;
            case Happens.DeploymentIsPrepared:
                Start(NewAsk(random), TimeSpan.FromSeconds(random.Next(1, 4000)));
                break;
            case Happens.ActIsAsked when deployment is not null:
                Act(
                    deployment, random.Next(4) > 0 ? LikelyAct(deployment, random) : Any(random, Enum.GetValues<DeploymentAct>()),
                    random.Next(2) == 0 ? "root-admin" : "second");
                break;
            case Happens.RollBackIsAsked when deployment is not null:
                var some = random.Next(3);
                RollBack(deployment, new RollBackAsk(
                    "because", some == 1 ? [.. deployment.Targets.All.Take(2).Select(target => target.Device)] : null,
                    some == 2 ? deployment.Plan.Waves[0].Name : null, random.Next(2) == 0));
                break;
            case Happens.RetryIsAsked when deployment is not null:
                Retry(deployment);
                break;
        }
    }

    private static DeploymentAct LikelyAct(DeploymentEntry deployment, Random random) => deployment.State switch
    {
        { Status: DeploymentStatus.Halted or DeploymentStatus.Paused } => random.Next(5) == 0 ? DeploymentAct.RollBack : DeploymentAct.Resume,
        { Status: DeploymentStatus.Running } state when state.Waves.Any(wave => wave is { IsSoaked: true, PassedAt: null }) => DeploymentAct.Approve,
        { Status: DeploymentStatus.Running } => Any(random, [DeploymentAct.Advance, DeploymentAct.Halt, DeploymentAct.Pause, DeploymentAct.Advance])!,
        _ => Any(random, [DeploymentAct.Halt, DeploymentAct.Pause, DeploymentAct.End, DeploymentAct.RollBack])!,
    };

    private DeploymentAsk NewAsk(Random random)
    {
        var waves = new List<WaveAsk>();
        for (var wave = random.Next(3); wave > 0; wave--)
        {
            waves.Add(new WaveAsk(
                $"wave {wave}", Any(random, ["1 device", "30 %", "2 devices", "50 %"])!, Any(random, Gates),
                random.Next(5) == 0 ? simulation.Clock.Now + TimeSpan.FromHours(3) : null));
        }

        waves.Add(new WaveAsk("rest", "everyone else", null, null));
        var isPressing = random.Next(2) == 0;
        var groups = World.Groups.Keys.Where(_ => random.Next(3) == 0).Take(2).DefaultIfEmpty("desks").ToList();
        return new DeploymentAsk
        {
            Package = Any(random, Catalogue.Packages)!.Digest, Groups = groups, Waves = waves, Name = $"rollout {++_names}",
            Wish = Any(random, ["have", "have", "have", "have", "gone", "choice"])!, Halt = Any(random, Halts),
            RollBackOnHalt = random.Next(3) == 0, Deadline = random.Next(3) == 0 || isPressing ? simulation.Clock.Now + TimeSpan.FromHours(isPressing && _names % 3 > 0 ? 1 : 24) : null,
            Tries = random.Next(1, 4), RetryPause = "5m", Lease = Any(random, ["1h", "6h", "1d"]),
            Priority = random.Next(4) == 0 ? 1 : 0, AllowsDowngrade = random.Next(4) == 0, EndsWhenReplaced = _names % 3 == 0,
            Calendars = [.. World.Calendars.Keys.Where(_ => random.Next(isPressing ? 3 : 6) == 0)],
            AfterDeadline = !isPressing ? "late" : _names % 2 == 0 ? "close" : "start", Notice = isPressing && _names % 3 == 0 ? "2h" : null,
            Except = World.Groups.Keys.Where(slug => !groups.Contains(slug) && random.Next(6) == 0).Take(1).ToList(),
            Restart = Any(random, Restarts), StartWhen = Any(random, Starts),
            AtOnce = Any(random, AtOnce), Fetch = Any(random, Fetches),
        };
    }

    /// <summary>Prepares a start on the world as it stands, and begins it, at once or later.</summary>
    private void Start(DeploymentAsk ask, TimeSpan later)
    {
        World.Now = simulation.Clock.Now;
        var prepared = Starting.Prepare(World.Still(), ask, "root-admin", AskForms.Write);
        if (!prepared.Ok)
        {
            simulation.Say($"cannot start: {prepared.Failure!.Message}");
            return;
        }

        prepared.Value.KeptAhead = Service.Store.PutAhead(prepared.Value.Targets);
        if (later > TimeSpan.Zero)
        {
            simulation.Clock.At(simulation.Clock.Now + later, () =>
            {
                if (Service.IsUp)
                {
                    Ask($"begins {ask.Name}, prepared earlier", decision => Starting.Begin(decision, prepared.Value));
                }
            });
            return;
        }

        if (Ask($"starts {ask.Name}", decision => Starting.Begin(decision, prepared.Value)) is (true, { } entry))
        {
            simulation.Watch.Started(prepared.Value.Outlook, entry);
        }
    }

    private void Act(DeploymentEntry deployment, DeploymentAct act, string by)
    {
        if (act == DeploymentAct.RollBack)
        {
            RollBack(deployment, new RollBackAsk("because"));
            return;
        }

        World.Now = simulation.Clock.Now;
        var promise = ActEffects.Of(World.Still(), deployment.Id, by).Value.Single(effect => effect.Act == StateNames.Hyphenate(act.ToString()));
        var isBeingWeighed = false;
        var (isDone, _) = Ask(
            $"{by} asks to {act} {deployment.Id}",
            decision =>
            {
                isBeingWeighed = decision.World.Deployments[deployment.Id].IsPending;
                return Acting.Do(decision, Seen, deployment.Id, act, "because");
            }, by);
        simulation.Watch.Acted(promise, act, deployment, isDone, isBeingWeighed);
    }

    private void RollBack(DeploymentEntry deployment, RollBackAsk ask)
    {
        World.Now = simulation.Clock.Now;
        var outlook = RollingBack.Preview(World.Still(), deployment.Id, ask);
        var before = deployment.Targets.All.ToDictionary(target => target.Device);
        var (isDone, _) = Ask($"rolls {deployment.Id} back", decision => RollingBack.Do(decision, Seen, deployment.Id, ask));
        simulation.Watch.RolledBack(outlook, deployment, before, isDone);
    }

    private void Retry(DeploymentEntry deployment)
    {
        World.Now = simulation.Clock.Now;
        var choice = Retrying.Choose(World.Still(), World.Still().Deployments[deployment.Id], null);
        var before = deployment.Targets.All.ToDictionary(target => target.Device);
        var (isDone, _) = Ask($"retries {deployment.Id}", decision => Retrying.Do(decision, deployment.Id, null, "because"));
        simulation.Watch.Retried(choice, deployment, before, isDone);
    }

    /// <summary>Asks the service for something. Says whether it was done, and what came of it.</summary>
    private (bool IsDone, T? Value) Ask<T>(string what, Func<Decision, Outcome<T>> command, string by = "root-admin")
    {
        Outcome<T>? decided = null;
        _ = Service.Change(by, what, decision => (decided = command(decision)) is { } outcome ? outcome : default);
        if (decided is { Ok: true, Value: var value })
        {
            simulation.Say(what);
            return (true, value);
        }

        simulation.Say($"{what}: refused: {decided?.Failure!.Message}");
        return (false, default);
    }

    private static T Any<T>(Random random, IReadOnlyList<T> each) => each.Count == 0 ? default! : each[random.Next(each.Count)];

    private static Failure? Seen(int revision, bool must) => null;
}
