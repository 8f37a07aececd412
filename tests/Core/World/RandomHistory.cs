using System.Globalization;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Rules;
using Bandejo.Core.Site;
using Bandejo.Core.World;

namespace Bandejo.Core.Tests.World;

/// <summary>A world in which anything happens that can, one thing after the other, as a seed has it. The same seed gives the same history.</summary>
public sealed class RandomHistory
{
    private static readonly string[] Apps = ["ink", "loom", "kite"];
    private static readonly string[] Kinds = ["laptop", "desktop", "kiosk"];
    private static readonly string[] Rules = [
        "kind is \"laptop\"", "memory >= 8 GiB", "app \"ink\" is present", "not (kind is \"kiosk\")", "site is \"ALD\" or app \"loom\" < \"2\""];
    private static readonly string[] Gates = [
        "50 % met", "100 % met for 1 h", "1 met, then approval", "approval", "80 % met for 30 m, clean, silent left out after 1 d",
        "50 % met, no harm report, not-needed counts"];
    private static readonly string[] Words = ["failed", "done", "restart", "busy", "timed-out", "no-proof", "refused", "interrupted"];

    private readonly Random _random;
    private int _ids;

    public RandomHistory(int seed)
    {
        _random = new Random(seed);
        World = NewWorld(seed % 2 == 0 ? 3 : 1000);
        _ = Decide(decision => Site.Accounts.AddFirst(decision, "hash")).Value;
        _ = Decide(decision => JoinCodes.Add(decision, "code", null, 10_000, 720)).Value;
    }

    public FleetWorld World { get; }

    public DateTimeOffset Now { get; private set; } = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    /// <summary>All that was kept so far.</summary>
    public List<Change> Changes { get; } = [];

    /// <summary>The first words of all that was done and not refused.</summary>
    public HashSet<string> Done { get; } = [];

    /// <summary>What happened last, for whoever finds something wrong after it.</summary>
    public string Last { get; private set; } = "";

    /// <summary>A world without anything.</summary>
    /// <param name="slice">For how many devices something is done in one go.</param>
    public static FleetWorld NewWorld(int slice = 1000) => new(new WordBook(), TimeSpan.FromMinutes(5), ContentsOf) { Slice = slice, ShelveAfter = TimeSpan.FromDays(100_000) };

    /// <summary>What a package of such a world says: its document is its name, whom it fits, what it requires, and what else it can do.</summary>
    public static PackageContents ContentsOf(PackageRecord record)
    {
        var parts = record.Document.Split('|');
        return new PackageContents
        {
            Name = parts[0], Variants = [new VariantRules("all", Rule.OfKept(parts[1]), Rule.OfKept(parts[2]), parts[3] == "removes")],
            Needs = parts[4].Length == 0 ? [] : [new Need(parts[4], null)], Settings = [],
            Presets = new Dictionary<string, IReadOnlyDictionary<string, string>>(), Files = [],
        };
    }

    /// <summary>Something happens.</summary>
    public void Step()
    {
        if (Decide(Next()).Ok)
        {
            Done.Add(Last.Split(' ') is [var first, _, var third, ..] && first.StartsWith("DESK", StringComparison.Ordinal) ? third : Last.Split(' ')[0]);
        }
    }

    /// <summary>Something is decided that ends with an exception: nothing of it may be left.</summary>
    public void StepThatThrows()
    {
        var command = Next();
        try
        {
            Decide<bool>(decision =>
            {
                command(decision);
                throw new InvalidTimeZoneException(Last);
            });
        }
        catch (InvalidTimeZoneException)
        {
            // That was meant.
        }
    }

    private Outcome<T> Decide<T>(Func<Decision, Outcome<T>> command) => World.Decide("root-admin", Now, NewId, Changes, command);

    private string NewId() => (++_ids).ToString("x8", CultureInfo.InvariantCulture);

    private Func<Decision, Outcome<bool>> Next()
    {
        Now += TimeSpan.FromMinutes(_random.Next(40) == 0 ? _random.Next(20_000) : _random.Next(30));
        var device = Any(World.Devices.Values.ToList());
        var deployment = Any(World.Deployments.Values.ToList());
        var group = Any(World.Groups.Values.ToList());
        var package = Any(World.Packages.Values.ToList());
        switch (_random.Next(24))
        {
            case 0 or 1:
                return Do("joins", decision => Enrolment.Join(decision, $"DESK-{_random.Next(40)}", new KeyRecord(NewId(), "x", "y"), "code", Facts()));
            case 2 when group is not null && device is not null:
                var isIn = _random.Next(4) > 0;
                return Do($"{device.Name} is put-in-or-out of {group.Record.Slug}", decision => Groups.SetMembers(
                    decision, group.Record.Slug, [device.Name], isIn));
            case 3:
                var rule = _random.Next(2) == 0 ? null : Any(Rules);
                return Do("new-group", decision => Groups.Add(decision, $"group-{_random.Next(5)}", "", rule, _random.Next(3) == 0));
            case 4 when group is not null:
                var changed = group.Rule is null ? null : Any(Rules);
                return Do($"changes {group.Record.Slug}", decision => Groups.Alter(decision, Seen, group.Record.Slug, "other", changed, _random.Next(3) > 0));
            case 5 when group is not null:
                return Do($"removes {group.Record.Slug}", decision => Groups.Remove(decision, Seen, group.Record.Slug));
            case 6 or 7:
                return Do("new-package", NewPackage());
            case 8 when package is not null:
                return Do($"releases {package.Title}", decision => PackageLives.Move(
                    decision, package.Digest, PackageEvent.ReleaseAsked, new Releaser(true, false), "because"));
            case 9 when package is not null && _random.Next(6) == 0:
                return Do($"withdraws {package.Title}", decision => PackageLives.Withdraw(
                    decision, package.Digest, "because", (serial, digests) => $"{serial}: {string.Join(' ', digests)}"));
            case 10 or 11 when package is not null && group is not null:
                return Do($"starts {package.Title}", decision => Acting.Start(
                    decision, Ask(package, group), ask => $"{ask.Package} {string.Join(' ', ask.Groups)} {string.Join(' ', ask.Waves)}"));
            case 12 when deployment is not null:
                var act = Any(Enum.GetValues<DeploymentAct>());
                return act == DeploymentAct.RollBack
                    ? Do($"rolls {deployment.Id} back", decision => RollingBack.Do(decision, Seen, deployment.Id, new RollBackAsk(
                        "because", _random.Next(2) == 0 ? null : [.. deployment.Targets.All.Take(2).Select(target => target.Device)], null,
                        _random.Next(2) == 0)))
                    : Do($"{act} {deployment.Id}", decision => Acting.Do(decision, Seen, deployment.Id, act, "because"));
            case 19 when World.Active.FirstOrDefault(each => each.State.Waves.Any(wave => wave is { IsSoaked: true, PassedAt: null })) is { } waiting:
                return Do($"Approve {waiting.Id}", decision => Acting.Do(decision, Seen, waiting.Id, DeploymentAct.Approve, "because"));
            case 13 when deployment is not null:
                return Do($"retries {deployment.Id}", decision => Retrying.Do(decision, deployment.Id, null, "because"));
            case 14 when device is not null && _random.Next(4) == 0:
                return Do($"removes {device.Name}", decision => Enrolment.Remove(decision, device.Name, ShelvedTargets.None));
            case 15:
                return Do("new-handling", decision => Handlings.Keep(decision, Seen, $"handling-{_random.Next(2)}", new HandlingAsk(
                    null, "nobody", "low", "never", "keep", [], new Dictionary<string, string>(), [Any(Apps)])));
            case 16 when device is not null && package is not null:
                return Do($"{device.Name} is asked-to-try {package.Title}", decision => Trials.Ask(decision, device.Name, new TrialAsk(
                    package.Digest, null, null, null)));
            case 17 or 18:
                return Do("looks", decision =>
                {
                    for (var turn = 0; turn < 50 && Due.Take(decision).Value; turn++)
                    {
                    }

                    return (Outcome<bool>)true;
                });
            default:
                return device is null ? Do("looks at nothing", _ => (Outcome<bool>)true) : CheckIn(device);
        }
    }

    private Func<Decision, Outcome<bool>> CheckIn(DeviceEntry device)
    {
        World.Now = Now;
        var (attempts, proofs) = (new List<AttemptTold>(), new List<ProofTold>());
        foreach (
            var open in World.OpenAttempts.Values.Where(attempt => attempt.Device == device.Id && _random.Next(2) == 0)
                .OrderBy(attempt => attempt.Id, StringComparer.Ordinal).Take(1))
        {
            attempts.Add(new AttemptTold(open.Id, open.Deployment, open.Kind, true, open.StartedAt, Now, Any(Words), "run", 1, "it says so", false, "", null));
        }

        foreach (var order in DeviceOrder.Of(World, device).Where(order => order.MayStart && _random.Next(2) == 0).Take(attempts.Count == 0 ? 1 : 0))
        {
            attempts.Add(new AttemptTold(
                NewId(), order.Id, order.Kind, _random.Next(2) == 0, Now, Now, Any(Words), "run", null,
                _random.Next(3) == 0 ? "Takes longer than expected" : "", false, _random.Next(2) == 0 ? "" : "1", null));
        }

        foreach (var deployment in World.ActiveOf(device).Where(_ => _random.Next(3) == 0))
        {
            proofs.Add(new ProofTold(deployment.Id, Any(["present", "absent", "newer", "older", "not-known"]), "it was looked for"));
        }

        var said = _random.Next(8) == 0 ? [new UserTold(NewId(), Any(["take", "harm"]), Any(Apps), "the screen is dark")] : new List<UserTold>();
        var waits = World.ActiveOf(device).Where(_ => _random.Next(6) == 0).Select(deployment => new WaitsFor(deployment.Id, "until nobody is signed in"))
            .Take(1).ToList();
        var facts = _random.Next(3) == 0 ? Facts() : null;
        var told = new CheckInTold
        {
            Sequence = device.Presence.Sequence + 1, FactsDigest = facts is null ? device.Record.FactsDigest : NewId(), Facts = facts, Attempts = attempts,
            Proofs = proofs, Said = said, Waits = waits, OrdersTag = _random.Next(2) == 0 ? World.OrdersTag(device) ?? "" : "",
            Fetched = [.. World.Active.Where(_ => _random.Next(3) == 0).Select(each => each.Id)],
        };
        return Do($"{device.Name} now checks-in", decision => CheckIns.CheckIn.Take(decision, device.Id, told, ToldBefore.Nothing));
    }

    private FactsTold Facts()
    {
        List<(string, string)> facts = [("kind", Any(Kinds)), ("memory", ((long)_random.Next(1, 5) << 32).ToString(CultureInfo.InvariantCulture)), ("site", Any(
            ["ALD", "BRO"]))];
        return new FactsTold(
            facts.Where(_ => _random.Next(10) > 0).ToList(),
            _random.Next(6) == 0 ? null : Apps.Where(_ => _random.Next(2) == 0).Select(app => (app, $"{_random.Next(1, 4)}", "system")).ToList());
    }

    private Func<Decision, Outcome<TakenIn>> NewPackage()
    {
        var (app, version) = (Any(Apps), $"{_random.Next(1, 4)}");
        var needs = app == "kite" && _random.Next(2) == 0 ? "loom" : "";
        var record = new PackageRecord(
            $"{app}{version}-{new string('0', 56)}", app, version,
            $"{app}|{(_random.Next(3) == 0 ? Any(Rules) : "yes")}|{(_random.Next(3) == 0 ? Any(Rules) : "yes")}|{(_random.Next(3) == 0 ? "" : "removes")}|{needs}",
            "signed", "sealed", "", default, PackageState.Built, []);
        return decision => PackageLives.TakeIn(decision, record, ContentsOf(record), null);
    }

    private DeploymentAsk Ask(PackageEntry package, GroupEntry group)
    {
        var waves = new List<WaveAsk>();
        for (var wave = _random.Next(3); wave > 0; wave--)
        {
            waves.Add(new WaveAsk(
                $"wave {wave}", Any(["1 device", "30 %", "2 devices"]), Any(Gates), _random.Next(5) == 0 ? Now + TimeSpan.FromHours(3) : null));
        }

        waves.Add(new WaveAsk("rest", "everyone else", null, null));
        return new DeploymentAsk
        {
            Package = package.Digest, Groups = [group.Record.Slug], Waves = waves, Name = $"rollout {_ids++}",
            Wish = Any(["have", "have", "have", "gone", "choice"]), Halt = _random.Next(2) == 0 ? null : "1 failed",
            RollBackOnHalt = _random.Next(3) == 0, Deadline = _random.Next(3) == 0 ? Now + TimeSpan.FromDays(1) : null, Tries = _random.Next(1, 4),
            AtOnce = _random.Next(3) == 0 ? "1 of a site" : null, Fetch = _random.Next(3) == 0 ? "1 of a site at once" : null,
            Priority = _random.Next(2), AllowsDowngrade = _random.Next(4) == 0,
            Except = World.Groups.Count > 1 && _random.Next(4) == 0 ? [World.Groups.Keys.First(slug => slug != group.Record.Slug)] : [],
        };
    }

    private Func<Decision, Outcome<bool>> Do<T>(string what, Func<Decision, Outcome<T>> command)
    {
        Last = what;
        return decision => command(decision) is { Ok: false, Failure: { } failure } ? failure : true;
    }

    private T Any<T>(IReadOnlyList<T> each) => each.Count == 0 ? default! : each[_random.Next(each.Count)];

    private static Failure? Seen(int revision, bool must) => null;
}
