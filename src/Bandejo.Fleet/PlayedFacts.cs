using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Rules;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>What a played device says of itself, to the service and to the rules of the script.</summary>
internal sealed class PlayedFacts : IMachineFacts, IFactSource
{
    private const double Grain = 256d * 1024 * 1024;

    private readonly PlayedMachine _machine;
    private readonly IReadOnlyDictionary<string, PlayedApp> _apps;
    private readonly double _free;

    /// <summary>Makes up what is there when the device is first switched on, its software too.</summary>
    public PlayedFacts(PlayedMachine machine, string site, DeviceKind kind, Chance chance, IReadOnlyDictionary<string, PlayedApp> apps)
    {
        (_machine, _apps) = (machine, apps);
        foreach (var (fact, value) in kind.Facts)
        {
            machine.Facts[fact] = FactText(fact, value);
        }

        foreach (var (fact, values) in kind.Mixed)
        {
            machine.Facts[fact] = FactText(fact, chance.Pick($"{machine.Name}/{fact}", values));
        }

        machine.Facts["host"] = machine.Name.ToLowerInvariant();
        machine.Facts["site"] = site;
        machine.Facts.TryAdd("zone", "UTC");
        machine.Facts.TryAdd("architecture", "x64");
        machine.Facts.TryAdd("os.family", "linux");
        machine.Facts["agent.version"] = typeof(PlayedFacts).Assembly.GetName().Version!.ToString(3);
        var room = kind.Tight.FirstOrDefault(each => each.When.Test(this) == Truth.True) is { When: not null } tight ? (tight.From, tight.To) : kind.Free;
        _free = chance.Between($"{machine.Name}/free", room.Item1, room.Item2);
        foreach (var (app, versions) in kind.Has)
        {
            var version = chance.Pick($"{machine.Name}/has/{app}", versions);
            if (version != "none")
            {
                machine.Change(FilesOf(app, version), []);
            }
        }
    }

    /// <summary>The files with which an app is there in a version.</summary>
    public static Dictionary<string, string> FilesOf(string app, string version) =>
        new() { [PlayedMachine.VersionFile(app)] = version, [$"opt/{app}/{app}"] = $"{app} {version}" };

    public string BootId => _machine.BootId;

    public FactReport Gather()
    {
        var facts = new Dictionary<string, string>(_machine.Facts, StringComparer.Ordinal)
        {
            ["disk.free"] = FreeNow(),
            ["restart.pending"] = _machine.IsToBeStarted ? "yes" : "no",
        };
        return new FactReport(facts, [.. _machine.Apps().Select(
            app => new ProgramReport(_apps.GetValueOrDefault(app.App)?.Name ?? app.App, app.Version, "system"))]);
    }

    public FactLookup Find(FactRef fact)
    {
        if (fact.IsApp)
        {
            return _machine.VersionOf(fact.Name) is { } version && FactValue.Read(FactType.Version, version) is { } installed
                ? FactLookup.Of(installed)
                : FactLookup.Absent;
        }

        var text = fact.Name == "disk.free" ? FreeNow() : fact.Name == "name" ? _machine.Name : _machine.Facts.GetValueOrDefault(fact.Name);
        return text is not null && FactValue.Read(FactCatalog.TypeOf(fact) ?? FactType.Text, text) is { } value ? FactLookup.Of(value) : FactLookup.NotKnown;
    }

    /// <summary>A fact as it travels: sizes in bytes.</summary>
    private static string FactText(string name, string text) =>
        FactCatalog.TypeOf(name) == FactType.Size && Units.TryParseSize(text, out var bytes) ? bytes.ToString("0", CultureInfo.InvariantCulture) : text;

    private string FreeNow() => Math.Max(0, Math.Floor((_free - _machine.Apps().Sum(app => _apps.GetValueOrDefault(app.App)?.Room ?? 0)) / Grain) * Grain)
        .ToString("0", CultureInfo.InvariantCulture);
}
