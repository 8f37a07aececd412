using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract.Device;
using Bandejo.Core.Rules;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>
/// The disk of a played device: its files, its facts, its content and its agent's journal. Everything that must outlive the fleet's process is in the record.
/// </summary>
internal sealed class PlayedDisk : IMachineFiles, IMachineSettings, IMachineFacts, IMachineCompanions, IContentCache, IDeviceJournal, IFactSource
{
    private const double Grain = 256d * 1024 * 1024;

    private readonly Lock _lock = new();
    private readonly Dictionary<string, string> _files = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string> _later = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string> _facts = new(StringComparer.Ordinal);
    private readonly HashSet<string> _content = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MemoryStream> _parts = new(StringComparer.Ordinal);
    private readonly List<JournalEntry> _journal = [];
    private readonly IReadOnlyDictionary<string, PlayedApp> _apps;
    private readonly SharedContent _shared;
    private readonly Action<RecordLine> _write;
    private readonly Func<DateTimeOffset> _now;
    private readonly Func<DateTimeOffset?> _heardAt;
    private readonly double _free;
    private FactReport? _report;
    private int _starts;

    /// <summary>Makes the disk as it is when the device is first switched on.</summary>
    public PlayedDisk(
        string name, string site, DeviceKind kind, Chance chance, IReadOnlyDictionary<string, PlayedApp> apps, SharedContent shared, Func<DateTimeOffset> now,
        Func<DateTimeOffset?> heardAt, Action<RecordLine> write)
    {
        (Name, _apps, _shared, _now, _heardAt, _write) = (name, apps, shared, now, heardAt, write);
        foreach (var (fact, value) in kind.Facts)
        {
            _facts[fact] = FactText(fact, value);
        }

        foreach (var (fact, values) in kind.Mixed)
        {
            _facts[fact] = FactText(fact, chance.Pick($"{name}/{fact}", values));
        }

        _facts["host"] = name.ToLowerInvariant();
        _facts["site"] = site;
        _facts.TryAdd("architecture", "x64");
        _facts.TryAdd("os.family", "linux");
        _facts["agent.version"] = typeof(PlayedDisk).Assembly.GetName().Version!.ToString(3);
        var room = kind.Tight.FirstOrDefault(each => each.When.Test(this) == Truth.True) is { When: not null } tight ? (tight.From, tight.To) : kind.Free;
        _free = chance.Between($"{name}/free", room.Item1, room.Item2);
        foreach (var (app, versions) in kind.Has)
        {
            var version = chance.Pick($"{name}/has/{app}", versions);
            if (version != "none")
            {
                foreach (var (path, content) in FilesOf(app, version))
                {
                    _files[path] = content;
                }
            }
        }
    }

    public string Name { get; }

    public string BootId => string.Create(CultureInfo.InvariantCulture, $"{Name}-{_starts}");

    /// <summary>The files with which an app is there in a version.</summary>
    public static Dictionary<string, string> FilesOf(string app, string version) =>
        new() { [$"opt/{app}/VERSION"] = version, [$"opt/{app}/{app}"] = $"{app} {version}" };

    /// <summary>Takes a line of the record over, when the fleet is started again.</summary>
    public void Replay(RecordLine line)
    {
        switch (line)
        {
            case { What: "journal", Entry: Whole whole }:
                _journal.Clear();
                _journal.Add(whole);
                break;
            case { What: "journal", Entry: { } entry }:
                _journal.Add(entry);
                break;
            case { What: "content", Name: { } digest }:
                _content.Add(digest);
                break;
            case { What: "started" }:
                Started();
                break;
            default:
                Take(line);
                break;
        }
    }

    /// <summary>Changes files as a line of the record says.</summary>
    public void Take(RecordLine line)
    {
        lock (_lock)
        {
            foreach (var (path, content) in line.Put ?? new Dictionary<string, string>())
            {
                _files[path] = content;
            }

            foreach (var path in line.Gone ?? [])
            {
                _files.Remove(path);
            }

            foreach (var (path, content) in line.Later ?? new Dictionary<string, string>())
            {
                _later[path] = content;
            }

            _report = null;
        }
    }

    /// <summary>The system starts: what waited for a restart comes into place.</summary>
    public void Started()
    {
        lock (_lock)
        {
            _starts++;
            foreach (var (path, content) in _later)
            {
                _files[path] = content;
            }

            _later.Clear();
            _report = null;
        }
    }

    public FactReport Gather()
    {
        lock (_lock)
        {
            if (_report is null)
            {
                var facts = new Dictionary<string, string>(_facts, StringComparer.Ordinal)
                {
                    ["disk.free"] = FreeNow().ToString("0", CultureInfo.InvariantCulture),
                    ["restart.pending"] = _later.Count > 0 ? "yes" : "no",
                };
                _report = new FactReport(facts, [.. _files.Where(file => file.Key.EndsWith("/VERSION", StringComparison.Ordinal)).Select(
                    file => new ProgramReport(_apps.GetValueOrDefault(AppOf(file.Key))?.Name ?? AppOf(file.Key), file.Value, "system"))]);
            }

            return _report;
        }
    }

    public FactLookup Find(FactRef fact)
    {
        if (fact.IsApp)
        {
            return FileAt($"opt/{fact.Name}/VERSION") is { } version && FactValue.Read(FactType.Version, version) is { } installed
                ? FactLookup.Of(installed)
                : FactLookup.Absent;
        }

        var text = fact.Name == "disk.free" ? FreeNow().ToString("0", CultureInfo.InvariantCulture)
            : fact.Name == "name" ? Name
            : _facts.GetValueOrDefault(fact.Name);
        return text is not null && FactValue.Read(FactCatalog.TypeOf(fact) ?? FactType.Text, text) is { } value ? FactLookup.Of(value) : FactLookup.NotKnown;
    }

    public bool Exists(string path) => FileAt(path) is not null;

    string? IMachineFiles.Read(string path, int max) => FileAt(path);

    public string? Sha256(string path) => FileAt(path) is { } content ? Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(content))) : null;

    string? IMachineSettings.Read(string path, string key) =>
        FileAt(path)?.Split('\n').Select(line => line.Split('=', 2, StringSplitOptions.TrimEntries))
            .FirstOrDefault(pair => pair.Length == 2 && pair[0] == key)?[1];

    /// <summary>The names of all files.</summary>
    public IReadOnlyList<string> Paths()
    {
        lock (_lock)
        {
            return [.. _files.Keys];
        }
    }

    public void Delete(string path)
    {
        string[] gone;
        lock (_lock)
        {
            gone = [.. _files.Keys.Where(file => file == path || file.StartsWith(path + "/", StringComparison.Ordinal))];
        }

        if (gone.Length > 0)
        {
            Change(line => line with { Gone = gone });
        }
    }

    public bool Holds(string app, DocumentCompanion companion, string? sha256) => FileAt(PlaceOf(app, companion)) == (sha256 ?? "");

    public void Put(string app, DocumentCompanion companion, string? sha256)
    {
        if (!Holds(app, companion, sha256))
        {
            Change(line => line with { Put = new Dictionary<string, string> { [PlaceOf(app, companion)] = sha256 ?? "" } });
        }
    }

    public void Take(string app, DocumentCompanion companion) => Delete(PlaceOf(app, companion));

    public bool Has(string sha256) => _content.Contains(sha256);

    public long PartLength(string sha256) => 0;

    public Stream AppendPart(string sha256) => _parts[sha256] = new MemoryStream();

    public bool Complete(string sha256)
    {
        if (!_parts.Remove(sha256, out var part) || !_shared.Keep(sha256, part.ToArray()))
        {
            return false;
        }

        _write(new RecordLine(_now(), Name, "content") { Name = sha256 });
        return _content.Add(sha256);
    }

    public PackageDocument Document(string sha256) => _shared.Document(sha256);

    public void KeepOnly(IReadOnlySet<string> digests) => _content.RemoveWhere(digest => !digests.Contains(digest));

    public IReadOnlyList<JournalEntry> Load() => [.. _journal];

    public void Append(JournalEntry entry)
    {
        _write(new RecordLine(_now(), Name, "journal") { Entry = entry, HeardAt = entry is AttemptBegan ? _heardAt() : null });
        _journal.Add(entry);
    }

    public void Replace(JournalEntry entry)
    {
        // The state as a whole is only worth a line where there was more than that before.
        if (_journal.Count > 1)
        {
            _write(new RecordLine(_now(), Name, "journal") { Entry = entry });
        }

        _journal.Clear();
        _journal.Add(entry);
    }

    /// <summary>A fact as it travels: sizes in bytes.</summary>
    private static string FactText(string name, string text) =>
        FactCatalog.TypeOf(name) == FactType.Size && Units.TryParseSize(text, out var bytes) ? bytes.ToString("0", CultureInfo.InvariantCulture) : text;

    /// <summary>Of a companion only which content it has is played.</summary>
    private static string PlaceOf(string app, DocumentCompanion companion) => $"companions/{app}/{companion.Kind}/{companion.Subject}";

    private void Change(Func<RecordLine, RecordLine> with)
    {
        var line = with(new RecordLine(_now(), Name, "companion"));
        _write(line);
        Take(line);
    }

    private static string AppOf(string path) => path.Split('/') is [_, var app, ..] ? app : path;

    private string? FileAt(string path)
    {
        lock (_lock)
        {
            return _files.GetValueOrDefault(path);
        }
    }

    private double FreeNow()
    {
        lock (_lock)
        {
            return Math.Max(
                0,
                Math.Floor(
                    (
                        _free - _files.Keys.Where(path => path.EndsWith("/VERSION", StringComparison.Ordinal))
                            .Sum(path => _apps.GetValueOrDefault(AppOf(path))?.Room ?? 0)) / Grain) * Grain);
        }
    }
}
