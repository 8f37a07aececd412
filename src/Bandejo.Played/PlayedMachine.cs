using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract.Device;
using Bandejo.Core.Rules;
using Bandejo.Device;

namespace Bandejo.Played;

/// <summary>The power is gone: nothing more can be done on a machine until it is started again.</summary>
public sealed class PowerCutException() : Exception("The power is gone.");

/// <summary>
/// A machine that is made up: its files, facts, processes, and what its agent keeps, all in memory. Its power can go at any moment, in the middle of a step
/// too; its agent can end while a step goes on. What is on its disk stays. One thread at a time.
/// </summary>
/// <param name="name">Its name.</param>
/// <param name="time">Runs its steps.</param>
/// <param name="play">How a step goes.</param>
public sealed class PlayedMachine(
    string name, TimeProvider time, Func<StepRun,
    StepPlay> play) : IMachineFiles, IMachineSettings, IMachineFacts, IMachineUser, IMachineCompanions, IMachineProcesses, IContentCache, IDeviceJournal
{
    // What a digest names is the same on every machine, and there are many machines.
    private static readonly ConcurrentDictionary<string, PackageDocument> Documents = new(StringComparer.Ordinal);

    private readonly Dictionary<string, string> _later = new(StringComparer.Ordinal);
    private readonly Dictionary<string, byte[]> _content = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MemoryStream> _parts = new(StringComparer.Ordinal);
    private readonly Dictionary<string, PlayedStep> _steps = new(StringComparer.Ordinal);
    private readonly Dictionary<string, StringBuilder> _logs = new(StringComparer.Ordinal);
    private readonly List<JournalEntry> _journal = [];
    private readonly List<UserWord> _words = [];
    private int _starts;

    public string Name => name;

    /// <summary>Whether it has power.</summary>
    public bool IsOn { get; private set; }

    /// <summary>Its files, path to content.</summary>
    public Dictionary<string, string> Files { get; } = new(StringComparer.Ordinal);

    /// <summary>What it says of itself.</summary>
    public Dictionary<string, string> Facts { get; } = new(StringComparer.Ordinal);

    /// <summary>Companions in place, as <c>app kind subject</c>, to the digest of their file.</summary>
    public Dictionary<string, string> Companions { get; } = new(StringComparer.Ordinal);

    public bool IsSignedIn { get; set; }

    /// <summary>The power goes at this entry of the journal from now, before it is kept; 0 for never.</summary>
    public int CutAtEntry { get; set; }

    /// <summary>Hears of each entry of the journal that is kept.</summary>
    public Action<JournalEntry> Kept { get; set; } = _ => { };

    /// <summary>Hears of each step that is begun.</summary>
    public Action<StepRun> Begun { get; set; } = _ => { };

    /// <summary>Hears when the power goes.</summary>
    public Action Died { get; set; } = () => { };

    public string BootId => string.Create(CultureInfo.InvariantCulture, $"{name}-{_starts}");

    /// <summary>Whether a step of any attempt runs.</summary>
    public bool IsAtWork => _steps.Values.Any(step => step.IsRunning);

    /// <summary>The version of an app that is in place; null for none.</summary>
    public string? VersionOf(string app) => Files.GetValueOrDefault(VersionFile(app));

    /// <summary>The file that says which version of an app is in place.</summary>
    public static string VersionFile(string app) => $"opt/{app}/VERSION";

    /// <summary>The power comes: what waited for a start comes into place.</summary>
    public void Start()
    {
        IsOn = true;
        _starts++;
        foreach (var (path, content) in _later)
        {
            Files[path] = content;
        }

        _later.Clear();
    }

    /// <summary>The power goes: steps that run are gone without an effect.</summary>
    public void Cut()
    {
        IsOn = false;
        CutAtEntry = 0;
        foreach (var step in _steps.Values)
        {
            step.Cut();
        }

        Died();
    }

    /// <summary>Its user says something.</summary>
    public void Say(UserWord word) => _words.Add(word);

    public bool Exists(string path) => Files.ContainsKey(path);

    string? IMachineFiles.Read(string path, int max) => Files.GetValueOrDefault(path);

    public string? Sha256(string path) =>
        Files.GetValueOrDefault(path) is { } content ? Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(content))) : null;

    public void Delete(string path)
    {
        foreach (var file in Files.Keys.Where(file => file == path || file.StartsWith(path + "/", StringComparison.Ordinal)).ToList())
        {
            Files.Remove(file);
        }
    }

    string? IMachineSettings.Read(string path, string key) =>
        Files.GetValueOrDefault(path)?.Split('\n').Select(line => line.Split('=', 2, StringSplitOptions.TrimEntries))
            .FirstOrDefault(pair => pair.Length == 2 && pair[0] == key)?[1];

    public FactReport Gather()
    {
        var facts = new Dictionary<string, string>(Facts, StringComparer.Ordinal) { ["restart.pending"] = _later.Count > 0 ? "yes" : "no" };
        return new FactReport(facts, [
            .. Files.Where(file => file.Key.EndsWith("/VERSION", StringComparison.Ordinal)).OrderBy(file => file.Key, StringComparer.Ordinal)
                .Select(file => new ProgramReport(file.Key.Split('/')[1], file.Value, "system"))]);
    }

    public IReadOnlyList<UserWord> Said() => [.. _words];

    public void Heard(string id)
    {
        Power();
        _words.RemoveAll(word => word.Id == id);
    }

    public bool Holds(string app, DocumentCompanion companion, string? sha256) =>
        Companions.GetValueOrDefault($"{app} {companion.Kind} {companion.Subject}") == (sha256 ?? "");

    public void Put(string app, DocumentCompanion companion, string? sha256)
    {
        Power();
        Companions[$"{app} {companion.Kind} {companion.Subject}"] = sha256 ?? "";
    }

    public void Take(string app, DocumentCompanion companion)
    {
        Power();
        Companions.Remove($"{app} {companion.Kind} {companion.Subject}");
    }

    public async Task<StepEnd> Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        Power();
        Begun(run);
        Log(run.Attempt, string.Join(' ', run.Command));
        var plays = play(run);
        _steps.Add($"{run.Attempt}/{run.Name}", new PlayedStep(time, plays.Takes, () => End(run, plays)));
        return await Await(run.Attempt, run.Name, limit, endAtLimit, cancellation);
    }

    public StepTrace Find(string attempt, string name) =>
        !_steps.TryGetValue($"{attempt}/{name}", out var step) ? StepTrace.NeverStarted
            : step.IsRunning ? StepTrace.Running
            : step.Code is null ? StepTrace.Gone
            : StepTrace.Ended;

    public async Task<StepEnd> Await(string attempt, string name, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        var step = _steps[$"{attempt}/{name}"];
        await step.Wait(limit, cancellation);
        if (!step.IsRunning)
        {
            return new StepEnd(step.Code, null, false);
        }

        if (endAtLimit)
        {
            step.Cut();
        }

        return new StepEnd(null, null, true);
    }

    public Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation) =>
        Task.FromResult<(int, string)?>(null);

    public Task<IReadOnlyList<string>> Close(IReadOnlyList<string> names, TimeSpan patience, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyList<string>>([]);

    public Stream? OpenLog(string attempt) => _logs.TryGetValue(attempt, out var log) ? new MemoryStream(Encoding.UTF8.GetBytes(log.ToString())) : null;

    public void AddToLog(string attempt, string path) => Log(attempt, Files.GetValueOrDefault(path, ""));

    public void Hide(string attempt, IReadOnlyList<string> secrets)
    {
        if (_logs.GetValueOrDefault(attempt) is { } log)
        {
            secrets.Aggregate(log, (rest, secret) => rest.Replace(secret, "***"));
        }
    }

    public void Forget(string attempt) => _logs.Remove(attempt);

    public bool Has(string sha256) => _content.ContainsKey(sha256);

    public long PartLength(string sha256) => 0;

    public Stream AppendPart(string sha256) => _parts[sha256] = new MemoryStream();

    public bool Complete(string sha256)
    {
        Power();
        if (!_parts.Remove(sha256, out var part) || Convert.ToHexStringLower(SHA256.HashData(part.ToArray())) != sha256)
        {
            return false;
        }

        _content[sha256] = part.ToArray();
        return true;
    }

    public PackageDocument Document(string sha256) => Documents.GetOrAdd(sha256, static (_, content) => PackageKeeper.Parse(content), _content[sha256]);

    public void KeepOnly(IReadOnlySet<string> digests)
    {
        foreach (var digest in _content.Keys.Where(digest => !digests.Contains(digest)).ToList())
        {
            _content.Remove(digest);
        }
    }

    public IReadOnlyList<JournalEntry> Load() => [.. _journal];

    public void Append(JournalEntry entry)
    {
        Power();
        if (CutAtEntry > 0 && --CutAtEntry == 0)
        {
            Cut();
            Power();
        }

        _journal.Add(entry);
        Kept(entry);
    }

    public void Replace(JournalEntry entry)
    {
        Power();
        _journal.Clear();
        _journal.Add(entry);
    }

    private void End(StepRun run, StepPlay plays)
    {
        foreach (var (path, content) in plays.Put)
        {
            Files[path] = content;
        }

        foreach (var (path, content) in plays.Later)
        {
            _later[path] = content;
        }

        foreach (var path in plays.Gone)
        {
            Files.Remove(path);
            _later.Remove(path);
        }

        Log(run.Attempt, plays.Says);
        _steps[$"{run.Attempt}/{run.Name}"].Code = plays.Code;
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
        private readonly TimeProvider _time;
        private readonly TaskCompletionSource _end = new();
        private readonly ITimer _timer;

        public PlayedStep(TimeProvider time, TimeSpan takes, Action end)
        {
            _time = time;
            _timer = time.CreateTimer(
                _ =>
                {
                    if (IsRunning)
                    {
                        end();
                        _end.TrySetResult();
                    }
                },
                null, takes, Timeout.InfiniteTimeSpan);
        }

        public bool IsRunning => !_end.Task.IsCompleted;

        public int? Code { get; set; }

        public void Cut()
        {
            _timer.Dispose();
            _end.TrySetResult();
        }

        /// <summary>Waits for its end, at most so long.</summary>
        public Task Wait(TimeSpan limit, CancellationToken cancellation) =>
            Task.WhenAny(_end.Task, Task.Delay(limit, _time, cancellation)).WaitAsync(cancellation);
    }
}
