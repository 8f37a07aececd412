using System.Globalization;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Simulation.Tests;

/// <summary>Something does not hold.</summary>
/// <param name="Invariant">What should hold.</param>
internal sealed record Breach(string Invariant, string Says)
{
    public override string ToString() => $"{Invariant}: {Says}";
}

/// <summary>
/// Plays a history: the engine, the real device engine on played machines, and a store in memory, on one clock and one thread. Nothing in it is left to
/// anything but the history.
/// </summary>
internal sealed class Simulation
{
    /// <summary>How long all is left to come to rest at the end: longer than any try, lease or silence lasts.</summary>
    private static readonly TimeSpan Rest = TimeSpan.FromDays(3);

    private static readonly DateTimeOffset Beginning = new(2031, 3, 3, 8, 0, 0, TimeSpan.Zero);

    private readonly OneThread _thread;
    private readonly Action<string>? _say;
    private readonly List<SimulatedDevice> _devices = [];
    private Breach? _found;

    private Simulation(History history, Action<string>? say, OneThread thread)
    {
        (History, _say, _thread) = (history, say, thread);
        Clock = new SimulatedClock(Beginning);
        Chance = new Chance(history.Seed);
        Watch = new Watch(this);
        Service = new SimulatedService(this);
        People = new People(this);
    }

    public History History { get; }

    public SimulatedClock Clock { get; }

    public Chance Chance { get; }

    public SimulatedService Service { get; }

    public People People { get; }

    /// <summary>Holds what happens against what should hold.</summary>
    public Watch Watch { get; }

    public IReadOnlyList<SimulatedDevice> Devices => _devices;

    /// <summary>Whether all is left to come to rest.</summary>
    public bool IsResting => Clock.Now >= Beginning + History.Length;

    /// <summary>How many things happened.</summary>
    public int Steps { get; private set; }

    /// <summary>Plays a history to its end, or until something does not hold.</summary>
    /// <param name="say">Hears all that happens.</param>
    /// <param name="look">Looks at how it ended.</param>
    /// <returns>What does not hold; null where all does.</returns>
    public static Breach? Play(History history, Action<string>? say = null, Action<Simulation>? look = null)
    {
        var (before, thread) = (SynchronizationContext.Current, new OneThread());
        SynchronizationContext.SetSynchronizationContext(thread);
        try
        {
            var simulation = new Simulation(history, say, thread);
            simulation.Play();
            look?.Invoke(simulation);
            return simulation._found;
        }
        finally
        {
            SynchronizationContext.SetSynchronizationContext(before);
        }
    }

    /// <summary>Whether anybody hears what happens.</summary>
    public bool IsTold => _say is not null;

    public void Say(string what) => _say?.Invoke(string.Create(CultureInfo.InvariantCulture, $"{Clock.Now - Beginning:d\\.hh\\:mm\\:ss\\.fff} {what}"));

    /// <summary>Something does not hold; the first counts.</summary>
    public void Find(Breach found)
    {
        if (_found is null)
        {
            _found = found;
            Say($"FOUND {found}");
        }
    }

    /// <summary>The device that the service knows by an identity; null for none.</summary>
    public SimulatedDevice? DeviceOf(string id) => _devices.FirstOrDefault(device => device.Identity?.DeviceId == id && !device.IsGone);

    private void Play()
    {
        Service.Start();
        Begin();
        for (var number = 0; number < History.Devices; number++)
        {
            _devices.Add(new SimulatedDevice(this, number + 1));
        }

        foreach (var happening in History.Events)
        {
            Clock.At(Beginning + happening.At, () => Happen(happening));
        }

        Go(Beginning + History.Length);
        ComeToRest();
        var end = Beginning + History.Length + Rest;
        Go(end);
        for (var starts = 0; starts < History.Devices && _found is null && Watch.WaitsForStarts; starts++)
        {
            _devices.ForEach(device => device.Machine.Cut());
            Go(end += TimeSpan.FromHours(12));
        }

        for (var more = 1; more < 600 && _found is null && !Watch.IsSettled; more++)
        {
            Go(end += TimeSpan.FromSeconds(1));
        }

        if (_found is null)
        {
            Watch.AtTheEnd();
        }
    }

    private void Begin()
    {
        Keep("the first account", decision => Accounts.AddFirst(decision, "hash"));
        Keep("an approver", decision => Accounts.Add(decision, "second", "Second", new PasswordAsk(20, "hash"), [Roles.Administrator]));
        Keep("a group", decision => Groups.Add(decision, "desks", "Desks", null, false));
        Keep("a join code", decision => JoinCodes.Add(decision, "code", "desks", 10_000, 720));
        foreach (var package in Catalogue.Packages)
        {
            Keep(package.App, decision => PackageLives.TakeIn(decision, package, Server.World.KeptWorld.ContentsOf(package), null));
        }

        void Keep<T>(string what, Func<Decision, Outcome<T>> command) =>
            _ = Service.Change(
                "root-admin", what,
                decision => command(decision) is { Ok: false } refused ? throw new InvalidOperationException(refused.Failure!.Message) : (Outcome<bool>)true);
    }

    private void Go(DateTimeOffset end)
    {
        while (_found is null && Clock.Step(end))
        {
            _thread.RunAll();
            Steps++;
        }
    }

    /// <summary>Nothing goes wrong any more.</summary>
    private void ComeToRest()
    {
        Say("all comes to rest");
        Clock.At(Clock.Now + TimeSpan.FromHours(12), People.OpenAll);
        foreach (var device in _devices)
        {
            (device.Machine.IsSignedIn, device.Machine.Facts["power.mains"], device.Machine.Facts["network.metered"]) = (false, "yes", "no");
            (device.AwayUntil, device.AnswersLost, device.Doubled, device.Machine.CutAtEntry) = (DateTimeOffset.MinValue, 0, 0, 0);
            if (device.Machine.IsOn || device.Identity is not null)
            {
                device.Start();
                foreach (var hours in (int[])[10, 22, 34, 46, 58, 70])
                {
                    // Its user switches it off and on again.
                    Clock.At(Clock.Now + TimeSpan.FromHours(hours), device.Machine.Cut);
                }
            }
        }
    }

    private void Happen(HistoryEvent happening)
    {
        Say($"--- {happening.What} {happening.Number}");
        try
        {
            People.Do(happening);
        }
        catch (LinkException)
        {
            // The service is down; nobody tries again.
        }
    }
}
