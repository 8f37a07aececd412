using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Played;

/// <summary>The power is gone: nothing more can be done on a machine until it is started again.</summary>
public sealed class PowerCutException() : Exception("The power is gone.");

/// <summary>
/// A machine that is made up: its files, facts, processes, and what its agent keeps, all in memory. Its power can go at any moment, in the middle of a step
/// too; its agent can end while a step goes on. What is on its disk stays. The two lines of work of an agent may use it side by side.
/// </summary>
/// <param name="name">Its name.</param>
/// <param name="time">By it steps go on.</param>
/// <param name="play">How a step goes.</param>
public sealed class PlayedMachine(string name, TimeProvider time, Func<StepRun, StepPlay> play)
    : IMachineFiles, IMachineSettings, IMachineFacts, IMachineUser, IMachineCompanions, IMachineProcesses, IMachinePower, IMachineNetwork, IContentCache,
        IDeviceJournal
{
    // What a digest names is the same on every machine, and there are many machines.
    private static readonly ConcurrentDictionary<string, PackageDocument> Documents = new(StringComparer.Ordinal);

    private readonly Lock _lock = new();
    private readonly Dictionary<string, string> _files = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string> _later = new(StringComparer.Ordinal);
    private readonly Dictionary<string, byte[]> _content = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MemoryStream> _parts = new(StringComparer.Ordinal);
    private readonly Dictionary<string, PlayedStep> _steps = new(StringComparer.Ordinal);
    private readonly Dictionary<string, StringBuilder> _logs = new(StringComparer.Ordinal);
    private readonly List<JournalEntry> _journal = [];
    private readonly List<UserWord> _words = [];
    private PlayedStep? _running;
    private int _starts;
    private long _startedAt;

    public string Name => name;

    /// <summary>Whether it has power.</summary>
    public bool IsOn { get; private set; }

    /// <summary>Its files, path to content. Only for one thread at a time.</summary>
    public IDictionary<string, string> Files => Now(() => _files);

    /// <summary>What it says of itself, besides whether a start is waited for.</summary>
    public Dictionary<string, string> Facts { get; } = new(StringComparer.Ordinal);

    public bool IsSignedIn { get; set; }

    /// <summary>The programs that run, by name. Only for one thread at a time.</summary>
    public HashSet<string> Programs { get; } = new(StringComparer.Ordinal);

    /// <summary>The programs that do not close when they are asked to.</summary>
    public HashSet<string> Stubborn { get; } = new(StringComparer.Ordinal);

    /// <summary>Hears the address of each machine that it is to wake.</summary>
    public Action<string> Waking { get; set; } = _ => { };

    void IMachineNetwork.Wake(string address) => Waking(address);

    bool? IMachineNetwork.IsMetered => Facts.GetValueOrDefault("network.metered") is { } metered ? metered == "yes" : null;

    /// <summary>The power goes at this entry of the journal from now, before it is kept; 0 for never.</summary>
    public int CutAtEntry { get; set; }

    /// <summary>Hears of each entry of the journal that is kept, and of one that stands for several from then on.</summary>
    public Action<JournalEntry> Kept { get; set; } = _ => { };

    /// <summary>Hears of each step that is begun.</summary>
    public Action<StepRun> Begun { get; set; } = _ => { };

    /// <summary>Hears of each step that has an end, before there is any effect of it; without how it went where it was ended.</summary>
    public Action<StepRun, StepPlay?> Ended { get; set; } = (_, _) => { };

    /// <summary>Hears which files its agent is about to put in place and take away.</summary>
    public Action<IReadOnlyDictionary<string, string>, IReadOnlyList<string>> Changing { get; set; } = (_, _) => { };

    /// <summary>Hears when the power goes.</summary>
    public Action Died { get; set; } = () => { };

    /// <summary>Hears when its agent asks for a restart: whoever leads it lets its power go, and come again.</summary>
    public Action Restarting { get; set; } = () => { };

    /// <summary>How a length of time passes for whoever waits for a step.</summary>
    public Func<TimeSpan, CancellationToken, Task> Sleep { get; set; } = (length, cancellation) => Task.Delay(length, time, cancellation);

    public string BootId => string.Create(CultureInfo.InvariantCulture, $"{name}-{_starts}");

    /// <summary>Whether a step of any attempt runs.</summary>
    public bool IsAtWork => Now(() => _running is not null);

    /// <summary>Whether something comes into place with the next start.</summary>
    public bool IsToBeStarted => Now(() => _later.Count > 0);

    /// <summary>The file that says which version of an app is in place.</summary>
    public static string VersionFile(string app) => $"opt/{app}/VERSION";

    /// <summary>The version of an app that is in place; null for none.</summary>
    public string? VersionOf(string app) => FileAt(VersionFile(app));

    /// <summary>The apps that are in place, with their versions.</summary>
    public IReadOnlyList<(string App, string Version)> Apps() => Now<IReadOnlyList<(string, string)>>(() => [
        .. _files.Where(file => file.Key.EndsWith("/VERSION", StringComparison.Ordinal)).Select(file => (file.Key.Split('/')[1], file.Value))
            .OrderBy(app => app.Item1, StringComparer.Ordinal)]);

    /// <summary>The names of all files.</summary>
    public IReadOnlyList<string> Paths() => Now<IReadOnlyList<string>>(() => [.. _files.Keys]);

    /// <summary>The content of a file; null where there is none.</summary>
    public string? FileAt(string path) => Now(() => _files.GetValueOrDefault(path));

    /// <summary>Somebody other than its agent puts files in place, takes them away, or leaves them for the next start.</summary>
    public void Change(IReadOnlyDictionary<string, string> put, IReadOnlyList<string> gone, IReadOnlyDictionary<string, string>? later = null) =>
        Now(() => Apply(put, gone, later));

    /// <summary>The power comes: what waited for a start comes into place.</summary>
    public void Start()
    {
        lock (_lock)
        {
            IsOn = true;
            _starts++;
            _startedAt = time.GetTimestamp();
            Apply(_later, []);
            _later.Clear();
        }
    }

    /// <summary>The power goes: a step that runs is gone without an effect.</summary>
    public void Cut()
    {
        lock (_lock)
        {
            Settle();
            Off();
        }
    }

    /// <summary>What its disk knew of a step when it was made up before: its exit code, or that it was cut off.</summary>
    public void Remember(string attempt, string step, int? code) => _steps[$"{attempt}/{step}"] = new PlayedStep(code);

    /// <summary>An entry of the journal that it kept when it was made up before.</summary>
    public void Remember(JournalEntry entry)
    {
        if (entry is Whole)
        {
            _journal.Clear();
        }

        _journal.Add(entry);
    }

    /// <summary>Its user says something.</summary>
    public void Say(UserWord word) => Now(() => _words.Add(word));

    public void Restart(TimeSpan notice, string why) => WithPower(Restarting);

    /// <summary>A machine that says nothing of it has no battery.</summary>
    public bool? IsOnMains => Facts.GetValueOrDefault("power.mains", "yes") == "yes";

    public TimeSpan Running => Now(() => time.GetElapsedTime(_startedAt));

    public bool Exists(string path) => FileAt(path) is not null;

    string? IMachineFiles.Read(string path, int max) => FileAt(path);

    public string? Sha256(string path) => FileAt(path) is { } content ? Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(content))) : null;

    public void Delete(string path)
    {
        lock (_lock)
        {
            Settle();
            string[] gone = [.. _files.Keys.Where(file => file == path || file.StartsWith(path + "/", StringComparison.Ordinal))];
            if (gone.Length > 0)
            {
                Changing(new Dictionary<string, string>(), gone);
                Apply(new Dictionary<string, string>(), gone);
            }
        }
    }

    string? IMachineSettings.Read(string path, string key) =>
        FileAt(path)?.Split('\n').Select(line => line.Split('=', 2, StringSplitOptions.TrimEntries))
            .FirstOrDefault(pair => pair.Length == 2 && pair[0] == key)?[1];

    string? IMachineSettings.Registry(string key, string? name) =>
        key.Replace('\\', '/') is var path && name is not null ? ((IMachineSettings)this).Read(path, name) : FileAt(path) is null ? null : "";

    string? IMachineFiles.VersionOf(string path) => FileAt(path);

    public FactReport Gather()
    {
        var facts = new Dictionary<string, string>(Facts, StringComparer.Ordinal) { ["restart.pending"] = IsToBeStarted ? "yes" : "no" };
        return new FactReport(facts, [.. Apps().Select(app => new ProgramReport(app.App, app.Version, "system"))]);
    }

    public IReadOnlyList<UserWord> Said() => Now<IReadOnlyList<UserWord>>(() => [.. _words]);

    public void Tell(string text)
    {
        // Whoever is signed in reads it; nothing comes of it.
    }

    public void Taken(string id) => WithPower(() => _words.RemoveAll(word => word.Id == id));

    public bool Holds(string app, DocumentCompanion companion, string? sha256) => FileAt(PlaceOf(app, companion)) == (sha256 ?? "");

    public void Put(string app, DocumentCompanion companion, string? sha256) => WithPower(() =>
    {
        if (_files.GetValueOrDefault(PlaceOf(app, companion)) != (sha256 ?? ""))
        {
            var put = new Dictionary<string, string> { [PlaceOf(app, companion)] = sha256 ?? "" };
            Changing(put, []);
            Apply(put, []);
        }
    });

    public void Take(string app, DocumentCompanion companion) => WithPower(() => Delete(PlaceOf(app, companion)));

    public Task<StepEnd> Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        WithPower(() =>
        {
            Begun(run);
            Log(run.Attempt, string.Join(' ', run.Command));
            _steps.Add($"{run.Attempt}/{run.Name}", _running = new PlayedStep(run, play(run), time));
        });
        return Await(run.Attempt, run.Name, limit, endAtLimit, cancellation);
    }

    public StepTrace Find(string attempt, string name) => Now(() =>
        !_steps.TryGetValue($"{attempt}/{name}", out var step) ? StepTrace.NeverStarted
            : step == _running ? StepTrace.Running
            : step.Code is null ? StepTrace.Gone
            : StepTrace.Ended);

    public bool HasBegun(string attempt) => Now(() => _steps.Keys.Any(key => key.StartsWith(attempt + "/", StringComparison.Ordinal)));

    public async Task<StepEnd> Await(string attempt, string name, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        var step = Now(() => _steps[$"{attempt}/{name}"]);
        var began = time.GetTimestamp();

        // A clock that goes fast may wake a sleeper a moment too soon.
        while (Left() is var left && left > TimeSpan.Zero)
        {
            await Sleep(left, cancellation);
            cancellation.ThrowIfCancellationRequested();
        }

        return Now(() =>
        {
            Power();
            if (step != _running)
            {
                return new StepEnd(step.Code, null, false);
            }

            Log(attempt, step.Play!.Says);
            if (endAtLimit)
            {
                Ended(step.Run!, null);
                _running = null;
            }

            return new StepEnd(null, null, true);
        });

        // Until it ends, or whoever waits has had enough; in whole milliseconds, since timers know no less.
        TimeSpan Left() => Now(() =>
        {
            var rest = TimeSpan.FromMilliseconds(Math.Ceiling((limit - time.GetElapsedTime(began)).TotalMilliseconds));
            return step != _running ? TimeSpan.Zero : step.Left < rest ? step.Left : rest;
        });
    }

    public Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation) =>
        Task.FromResult<(int, string)?>(null);

    public IReadOnlyList<string> InUse(IReadOnlyList<string> names) => [.. names.Where(Programs.Contains)];

    public Task<IReadOnlyList<string>> Close(IReadOnlyList<string> names, TimeSpan patience, bool ends, CancellationToken cancellation)
    {
        Programs.RemoveWhere(name => names.Contains(name) && (ends || !Stubborn.Contains(name)));
        return Task.FromResult(InUse(names));
    }

    public Stream? OpenLog(string attempt) =>
        Now(() => _logs.TryGetValue(attempt, out var log) ? new MemoryStream(Encoding.UTF8.GetBytes(log.ToString())) : null);

    public void AddToLog(string attempt, string path) => Now(() => Log(attempt, _files.GetValueOrDefault(path, "")));

    public void Hide(string attempt, IReadOnlyList<string> secrets) => Now(() =>
    {
        if (_logs.GetValueOrDefault(attempt) is { } log)
        {
            secrets.Aggregate(log, (rest, secret) => rest.Replace(secret, "***"));
        }
    });

    public void Forget(string attempt) => Now(() => _logs.Remove(attempt));

    public bool Has(string sha256) => Now(() => _content.ContainsKey(sha256));

    public long PartLength(string sha256) => 0;

    public Stream AppendPart(string sha256) => Now(() => _parts[sha256] = new MemoryStream());

    public bool Complete(string sha256)
    {
        lock (_lock)
        {
            Power();
            if (!_parts.Remove(sha256, out var part) || Convert.ToHexStringLower(SHA256.HashData(part.ToArray())) != sha256)
            {
                return false;
            }

            _content[sha256] = part.ToArray();
            return true;
        }
    }

    public PackageDocument Document(string sha256) =>
        Documents.GetOrAdd(sha256, static (_, content) => PackageKeeper.Parse(content), Now(() => _content[sha256]));

    public void KeepOnly(IReadOnlySet<string> digests) => Now(() =>
    {
        foreach (var digest in _content.Keys.Where(digest => !digests.Contains(digest)).ToList())
        {
            _content.Remove(digest);
        }
    });

    public IReadOnlyList<JournalEntry> Load() => Now<IReadOnlyList<JournalEntry>>(() => [.. _journal]);

    public void Append(JournalEntry entry) => WithPower(() =>
    {
        if (CutAtEntry > 0 && --CutAtEntry == 0)
        {
            Off();
            Power();
        }

        _journal.Add(entry);
        Kept(entry);
    });

    public void Replace(JournalEntry entry) => WithPower(() =>
    {
        var isNews = _journal.Count > 1;
        _journal.Clear();
        _journal.Add(entry);
        if (isNews)
        {
            Kept(entry);
        }
    });

    // Of a companion only which content it has is played.
    private static string PlaceOf(string app, DocumentCompanion companion) => $"companions/{app}/{companion.Kind}/{companion.Subject}";

    /// <summary>Looks at the machine, or changes it, as it is now: a step whose time has come has its effect before.</summary>
    private T Now<T>(Func<T> look)
    {
        lock (_lock)
        {
            Settle();
            return look();
        }
    }

    private void Now(Action act)
    {
        lock (_lock)
        {
            Settle();
            act();
        }
    }

    private void WithPower(Action act) => Now(() =>
    {
        Power();
        act();
    });

    private void Settle()
    {
        if (_running is not { Run: { } run, Play: { } plays } step || step.Left > TimeSpan.Zero)
        {
            return;
        }

        if (plays.CutsPower)
        {
            Off();
            return;
        }

        _running = null;
        Ended(run, plays);
        Apply(plays.Put, plays.Gone, plays.Later);
        Log(run.Attempt, plays.Says);
        step.Code = plays.Code;
    }

    private void Off()
    {
        (IsOn, CutAtEntry, _running) = (false, 0, null);
        Died();
    }

    private void Apply(IReadOnlyDictionary<string, string> put, IReadOnlyList<string> gone, IReadOnlyDictionary<string, string>? later = null)
    {
        foreach (var (path, content) in put)
        {
            _files[path] = content;
        }

        foreach (var (path, content) in later ?? new Dictionary<string, string>())
        {
            _later[path] = content;
        }

        foreach (var path in gone)
        {
            _files.Remove(path);
            _later.Remove(path);
        }
    }

    private void Log(string attempt, string text)
    {
        if (text.Length > 0)
        {
            (_logs.TryGetValue(attempt, out var log) ? log : _logs[attempt] = new StringBuilder()).AppendLine(text);
        }
    }

    private void Power()
    {
        if (!IsOn)
        {
            throw new PowerCutException();
        }
    }

    /// <summary>A step that was begun: it goes on without the agent, and not without power.</summary>
    private sealed class PlayedStep
    {
        private readonly TimeProvider? _time;
        private readonly long _ends;

        public PlayedStep(int? code) => Code = code;

        public PlayedStep(StepRun run, StepPlay play, TimeProvider time)
        {
            (Run, Play, _time) = (run, play, time);

            _ends = time.GetTimestamp() + (long)(Math.Ceiling(play.Takes.TotalMilliseconds) / 1000 * time.TimestampFrequency);
        }

        /// <summary>What was begun; null for one of before.</summary>
        public StepRun? Run { get; }

        public StepPlay? Play { get; }

        /// <summary>Its exit code; null where it has none (yet).</summary>
        public int? Code { get; set; }

        /// <summary>How long it still takes; nothing where its time has come.</summary>
        public TimeSpan Left => TimeSpan.FromMilliseconds(
            Math.Max(0, Math.Ceiling((_ends - (_time?.GetTimestamp() ?? _ends)) * 1000.0 / (_time?.TimestampFrequency ?? 1))));
    }
}
