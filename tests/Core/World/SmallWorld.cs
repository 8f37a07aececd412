using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;

namespace Bandejo.Core.Tests.World;

/// <summary>A world of some desktops in one group, with a released package, in which a test decides what happens.</summary>
public abstract class SmallWorld
{
    protected const int Devices = 50;
    protected const int Slice = 10;

    protected DateTimeOffset Now { get; set; } = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    private readonly List<AddWord> _words = [];
    private int _ids;

    private protected FleetWorld Fleet { get; } = RandomHistory.NewWorld(Slice);
    private protected List<Change> Changes { get; } = [];
    private protected PackageRecord Ink { get; } = Package('a', "2");


    protected SmallWorld(Func<int, string>? siteOf = null)
    {
        Do(decision => Site.Accounts.AddFirst(decision, "hash"));
        Do(decision => Groups.Add(decision, "desks", "", "kind is \"desktop\"", false));
        Do(decision => JoinCodes.Add(decision, "code", null, 1000, 10));
        for (var i = 0; i < Devices; i++)
        {
            IEnumerable<(string, string)> facts = siteOf is null ? [("kind", "desktop")] : [("kind", "desktop"), ("site", siteOf(i))];
            var device = Do(decision => Enrolment.Join(decision, $"DESK-{i}", new KeyRecord($"key {i}", "x", "y"), "code", new FactsTold(facts, [])));
            Do(decision =>
            {
                decision.Do(new PutDevice(device.Record with { IsSorted = true, Sheet = Fleet.Devices[device.Id].Record.Sheet }));
                return (Outcome<bool>)true;
            });
        }

        Release(Ink);
    }

    protected int NextId() => ++_ids;

    private protected static PackageRecord Package(char digest, string version, string app = "ink", string needs = "") =>
        new(new string(digest, 64), app, version, $"{app}|yes|yes|removes|{needs}", "", "", "", default, PackageState.Built, []);

    private protected void Release(PackageRecord package)
    {
        Do(decision => PackageLives.TakeIn(decision, package, RandomHistory.ContentsOf(package), null));
        Do(decision => PackageLives.Move(decision, package.Digest, PackageEvent.ReleaseAsked, new Releaser(true, false), "because"));
    }

    private protected DeploymentEntry Start(params WaveAsk[] waves) =>
        Do(decision => Acting.Start(decision, Ask(waves.Length == 0 ? [new WaveAsk("all", "everyone else", null, null)] : waves), ask => ask.Package));

    private protected static DeploymentAsk Ask(IReadOnlyList<WaveAsk> waves) => new() { Package = new string('a', 64), Groups = ["desks"], Waves = waves };

    protected void Settle()
    {
        while (Do(Due.Take))
        {
        }
    }

    protected void CheckIn(string device) =>
        Do(decision => CheckIns.CheckIn.Take(
            decision, device, new CheckInTold { Sequence = ++_ids, FactsDigest = "", Proofs = [new ProofTold("D1001", "present", "it is there")] },
            ToldBefore.Nothing));

    private protected void Install(DeploymentEntry deployment, string device, string before = "") =>
        Do(decision => CheckIns.CheckIn.Take(
            decision, device,
            new CheckInTold
            {
                Sequence = ++_ids, FactsDigest = "",
                Attempts = [new AttemptTold($"a{_ids}", deployment.Id, "install", true, Now, Now, "done", "run", 0, "ink 2 is there", false, before, null)],
            },
            ToldBefore.Nothing));

    private protected T Do<T>(Func<Decision, Outcome<T>> command) =>
        Fleet.Decide("root-admin", Now, () => (++_ids).ToString("x8", System.Globalization.CultureInfo.InvariantCulture), Changes, command).Value;

    /// <summary>The world as what was kept makes it.</summary>
    private protected FleetWorld ReadAgain()
    {
        var again = RandomHistory.NewWorld(Slice);
        _words.AddRange(Fleet.WordBook.TakeChanges().New.Select(word => new AddWord(word.Number, word.Text)));
        _words.ForEach(again.Apply);

        // A store keeps with a device when it was heard last.
        var heard = Changes.OfType<PutHeard>().GroupBy(each => each.Device).ToDictionary(each => each.Key, each => each.Last());
        foreach (var change in Changes.Where(each => each is not PutHeard))
        {
            again.Apply(change is PutDevice(var device) && heard.GetValueOrDefault(device.Id) is { } last
                ? new PutDevice(device with { LastHeard = last.At, Sequence = last.Sequence }) : change);
        }

        again.Now = Now;
        return again;
    }
}
