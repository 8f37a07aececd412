using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Played;
using Microsoft.IdentityModel.JsonWebTokens;
using Microsoft.IdentityModel.Tokens;

namespace Bandejo.Device.Tests;

/// <summary>A played machine whose steps take no time, and a service that a test leads. What a test wants to hold back or to count goes through here.</summary>
public sealed partial class FakeMachine : IMachineFacts, IMachineUser, IMachineProcesses, IMachinePower, IMachineNetwork, IDeviceJournal, IServiceLink, IServiceTrust
{
    private readonly PlayedMachine _played;
    private readonly ECDsa _sealKey = ECDsa.Create(ECCurve.NamedCurves.nistP256);
    private readonly Dictionary<string, byte[]> _served = [];
    private readonly HashSet<string> _payload = [];

    /// <summary>The deployments whose files the device said last to have.</summary>
    public IReadOnlyList<string> Fetched { get; private set; } = [];

    /// <summary>What each piece of content that came was paced by; null for nothing.</summary>
    public List<FetchPace?> Paces { get; } = [];

    public FakeMachine() => _played = new PlayedMachine("STU-01", TimeProvider.System, Play);

    /// <summary>How many entries the journal was given.</summary>
    public int Appends { get; private set; }

    private int _checkIns;
    private int _askedWhoIsThere;
    private string _tag = "first";

    /// <summary>Files of the machine.</summary>
    public IDictionary<string, string> Files => _played.Files;

    /// <summary>What a command does: by its first word and the package's version, the exit code after its effect on the files.</summary>
    public Dictionary<string, Func<FakeMachine, string, int>> Commands { get; } = new()
    {
        ["put"] = (machine, version) =>
        {
            machine.Files["opt/foldline/VERSION"] = version;
            return 0;
        },
        ["take"] = (machine, _) =>
        {
            machine.Files.Remove("opt/foldline/VERSION");
            return 0;
        },
        ["set"] = (_, _) => 0,
        ["refuse"] = (_, _) => 9,
        ["break"] = (machine, _) =>
        {
            machine.Files.Remove("opt/foldline/VERSION");
            return 9;
        },
    };

    /// <summary>Logs of installers that were kept with an attempt's.</summary>
    public List<string> Kept { get; } = [];

    /// <summary>Whether each step that ran was to yield to others.</summary>
    public List<bool> Gentle { get; } = [];

    /// <summary>Secrets that were taken out of logs.</summary>
    public List<string> Hidden { get; } = [];

    /// <summary>Each step that ran, as <c>command version</c> and, where its app has settings, the words, environment and answers that they made.</summary>
    public List<string> Ran { get; } = [];

    /// <summary>The power goes at this entry of the journal; 0 for never.</summary>
    public int CutAtEntry
    {
        set => _played.CutAtEntry = Math.Max(0, value - Appends);
    }

    /// <summary>The power goes while a step runs, before it has any effect.</summary>
    public bool CutInStep { get; set; }

    /// <summary>The answer of this check-in is lost after the service has taken it; 0 for none.</summary>
    public int LoseAnswer { get; set; }

    /// <summary>The service cannot be reached.</summary>
    public bool IsOffline { get; set; }

    /// <summary>Called when it was tried to reach the service and it could not be.</summary>
    public Action? Unreached { get; set; }

    /// <summary>Called after an entry was written down.</summary>
    public Action<JournalEntry>? Wrote { get; set; }

    /// <summary>The device's clock; it can be moved on.</summary>
    public MovedTime Time { get; } = new();

    /// <summary>What the service tells the device to do.</summary>
    public IReadOnlyList<Order> Orders { get; set; } = [];

    public string? Withdrawn { get; set; }

    /// <summary>Reports that the service took, by name.</summary>
    public Dictionary<string, AttemptReport> Taken { get; } = [];

    /// <summary>How often the service was sent a report that it had.</summary>
    public int Repeated { get; private set; }

    public List<ProofReport> Proofs { get; } = [];

    /// <summary>What the user said and the service has not taken yet.</summary>
    public List<UserWord> Words { get; } = [];

    /// <summary>What the user said, as the service was told.</summary>
    public List<UserReport> Told { get; } = [];

    public string BootId { get; set; } = "boot-1";

    /// <summary>What whoever is signed in was told of restarts, with the notice that was given.</summary>
    public List<(TimeSpan Notice, string Why)> Restarted { get; } = [];

    /// <summary>Whether the device said last that it waits for a restart.</summary>
    public bool SaysRestartPending { get; private set; }

    /// <summary>The device does not restart, whatever it is asked.</summary>
    public bool StaysOn { get; set; }

    public bool? IsOnMains { get; set; } = true;

    public bool? IsMetered { get; set; }

    /// <summary>The addresses of those that it woke.</summary>
    public List<string> Woken { get; } = [];

    public void Wake(string address) => Woken.Add(address);

    /// <summary>Whom it is told to wake.</summary>
    public IReadOnlyList<string>? ToWake { get; set; }

    public TimeSpan Running { get; set; } = TimeSpan.FromDays(1);

    public void Restart(TimeSpan notice, string why)
    {
        Restarted.Add((notice, why));
        BootId = StaysOn ? BootId : $"boot-{Restarted.Count + 1}";
    }

    /// <summary>Completed when the service has taken the end of an attempt, or a proof, that the test waits for.</summary>
    public Func<FakeMachine, bool> Until { get; set; } = machine => machine.Taken.Values.Any(report => report.HasEnded);

    /// <summary>Once a try has begun something happens, and once that is known the try goes on to its end, for which the test waits.</summary>
    public void OnceBegun(Action happens, Func<FakeMachine, bool> isKnown, TaskCompletionSource goesOn, int number = 0)
    {
        var has = false;
        Until = each =>
        {
            if (!has && each.Taken.Values.Any(report => !report.HasEnded && report.Order == number))
            {
                has = true;
                happens();
            }
            else if (has && isKnown(each))
            {
                goesOn.TrySetResult();
            }

            return each.Taken.Values.Any(report => report.HasEnded && report.Order == number);
        };
    }

    public CancellationTokenSource Reached { get; private set; } = new();

    /// <summary>Starts an engine on what is on disk and runs it until the test's condition holds, the power goes or the patience ends.</summary>
    /// <returns>True where the condition held.</returns>
    public async Task<bool> Run(TimeSpan? patience = null)
    {
        Reached = new CancellationTokenSource();
        using var limit = new CancellationTokenSource(patience ?? TimeSpan.FromSeconds(20));
        using var either = CancellationTokenSource.CreateLinkedTokenSource(Reached.Token, limit.Token);
        if (!_played.IsOn)
        {
            _played.Start();
        }

        var engine = new DeviceEngine(
            new DeviceParts(
                _played, this, _played, this, this, _played, this, this, () => new PlayedGround(_played), this, this, _played, this, Time, _ => { })
            {
                Clocks = _ => Ahead,
            },
            new DeviceIdentity("d1", "STU-01", [PublicOf(_sealKey)], 1));
        try
        {
            await engine.Run(either.Token);
        }
        catch (Exception error) when (error is OperationCanceledException or PowerCutException)
        {
            // Either what the test waited for has come, or the power went.
        }

        return Reached.IsCancellationRequested;
    }

    /// <summary>What the service answers a device that holds other calendars than the tag says; null for nothing.</summary>
    public (string Tag, string Signed)? Calendars { get; set; }

    /// <summary>The tag of the calendars that the device said last that it holds; null for none.</summary>
    public string? HeldCalendars { get; private set; }

    /// <summary>How far the device's clocks are ahead of UTC.</summary>
    public TimeSpan Ahead { get; set; }

    /// <summary>Signed calendars; or, where told so, signed by somebody else.</summary>
    public (string Tag, string Signed) SignedCalendars(CalendarsContent content, bool isForged = false)
    {
        using var stranger = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        return (content.Tag, Sign(JsonSerializer.Serialize(content, ContractJson.Default.CalendarsContent), isForged ? stranger : _sealKey));
    }

    /// <summary>A sealed list of withdrawn packages.</summary>
    public string WithdrawnList(long serial, params string[] digests) =>
        Sign(JsonSerializer.Serialize(new WithdrawnContent("withdrawn", serial, digests), ContractJson.Default.WithdrawnContent), _sealKey);

    /// <summary>Gives the device other orders.</summary>
    public void Give(params Order[] orders)
    {
        Orders = orders;
        _tag = Guid.NewGuid().ToString();
        KnowsItsOrders = false;
    }

    public static Order Order(PackageLink package, string kind = "install", int number = 0, PackageLink? previous = null, int lease = 3600, int tries = 1) =>
        new("D1", number, kind, true, package, "linux", previous, lease, null, false, tries, 1, 1);

    /// <summary>Programs that the operating system lists, by name; null where it cannot say.</summary>
    public Dictionary<string, string>? Programs { get; set; } = [];

    /// <summary>Companions in place, as <c>app kind subject</c>.</summary>
    public IReadOnlyList<string> Companions =>
        [.. _played.Paths().Select(path => path.Split('/')).Where(parts => parts[0] == "companions").Select(parts => string.Join(' ', parts[1..]))];

    public bool IsSignedIn
    {
        get
        {
            LooksWhoIsThere?.Invoke();
            return field || ++_askedWhoIsThere == SignsInAtQuestion;
        }

        set;
    }

    /// <summary>Called when it is asked whether somebody is signed in; null for nothing.</summary>
    public Action? LooksWhoIsThere { get; set; }

    /// <summary>Somebody is signed in only when that is asked for the time with this number; 0 for never.</summary>
    public int SignsInAtQuestion { get; set; }

    /// <summary>What the device said at its last check-in that it waits for.</summary>
    public IReadOnlyList<WaitReport> Waits { get; private set; } = [];

    FactReport IMachineFacts.Gather() =>
        new(new Dictionary<string, string> { ["kind"] = "desk" }, Programs is null ? null : [.. Programs.Select(pair => new ProgramReport(
            pair.Key, pair.Value, "system"))]);

    IReadOnlyList<UserWord> IMachineUser.Said() => [.. Words];

    /// <summary>What whoever is signed in was told.</summary>
    public List<string> Shown { get; } = [];

    void IMachineUser.Tell(string text) => Shown.Add(text);

    void IMachineUser.Taken(string id) => Words.RemoveAll(word => word.Id == id);

    /// <summary>No program is closed before this is completed; null for at once.</summary>
    public Task? HoldClose { get; set; }

    /// <summary>Nothing is fetched before this is completed; null for at once.</summary>
    public Task? HoldFetch { get; set; }

    /// <summary>The same of the files of packages alone.</summary>
    public Task? HoldFiles { get; set; }

    /// <summary>Hears that a log is to be sent; null where there are none.</summary>
    public Action? SendsLog { get; set; }

    /// <summary>The numbers of the check-ins that were refused for them.</summary>
    public List<long> Refused { get; } = [];

    /// <summary>Check-ins up to this number were taken before; 0 for none.</summary>
    public long NumberTaken { get; set; }

    /// <summary>The test ends with so many refusals; 0 for never.</summary>
    public int RefusalsWanted { get; set; }

    /// <summary>Whether the device has the orders that it was given last.</summary>
    public bool KnowsItsOrders { get; private set; }

    /// <summary>A step does not end before this is completed; null for at once.</summary>
    public Task? HoldStep { get; set; }

    /// <summary>Completed when the device has told that a step takes long.</summary>
    public Task IsTold => _told.Task;

    private readonly TaskCompletionSource _told = new();

    /// <summary>All reports that the service was sent, also those that it had.</summary>
    public List<AttemptReport> Said { get; } = [];

    async Task<StepEnd> IMachineProcesses.Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        await (HoldStep ?? Task.CompletedTask).WaitAsync(cancellation);
        return await _played.Run(run, limit, endAtLimit, cancellation);
    }

    private StepPlay Play(StepRun run)
    {
        Ran.Add(string.Join(' ', [
            run.Command[0], run.Environment["BANDEJO_VERSION"], .. run.Command.Skip(1),
            .. run.Environment.Where(pair => !pair.Key.StartsWith("BANDEJO_", StringComparison.Ordinal)).Select(pair => $"{pair.Key}={pair.Value}"),
            .. run.Answers.Select(pair => $"{pair.Key}:{pair.Value}")]));
        Gentle.Add(run.IsGentle);
        if (CutInStep)
        {
            CutInStep = false;
            return new StepPlay(TimeSpan.Zero, 0) { CutsPower = true };
        }

        return new StepPlay(TimeSpan.Zero, Commands[run.Command[0]](this, run.Environment["BANDEJO_VERSION"]));
    }

    StepTrace IMachineProcesses.Find(string attempt, string name) => _played.Find(attempt, name);

    bool IMachineProcesses.HasBegun(string attempt) => _played.HasBegun(attempt);

    Task<StepEnd> IMachineProcesses.Await(string attempt, string name, TimeSpan limit, bool endAtLimit, CancellationToken cancellation) =>
        _played.Await(attempt, name, limit, endAtLimit, cancellation);

    Task<(int Code, string Output)?> IMachineProcesses.Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation) =>
        _played.Ask(command, limit, cancellation);

    async Task<IReadOnlyList<string>> IMachineProcesses.Close(IReadOnlyList<string> names, TimeSpan patience, bool ends, CancellationToken cancellation)
    {
        await (HoldClose ?? Task.CompletedTask).WaitAsync(cancellation);
        return await _played.Close(names, patience, ends, cancellation);
    }

    IReadOnlyList<string> IMachineProcesses.InUse(IReadOnlyList<string> names) => _played.InUse(names);

    /// <summary>The programs that run, by name.</summary>
    public HashSet<string> Open => _played.Programs;

    /// <summary>The programs that do not close when they are asked to.</summary>
    public HashSet<string> Stubborn => _played.Stubborn;

    Stream? IMachineProcesses.OpenLog(string attempt) => SendsLog is null ? null : new MemoryStream("it went well"u8.ToArray());

    void IMachineProcesses.AddToLog(string attempt, string path) => Kept.Add(path);

    void IMachineProcesses.Hide(string attempt, IReadOnlyList<string> secrets) => Hidden.AddRange(secrets);

    void IMachineProcesses.Forget(string attempt) => _played.Forget(attempt);

    // Through the form in which a real agent keeps it.
    IReadOnlyList<JournalEntry> IDeviceJournal.Load() => [.. _played.Load().Select(entry => JsonSerializer.Deserialize(
        JsonSerializer.Serialize(entry, JournalJson.Default.JournalEntry), JournalJson.Default.JournalEntry)!)];

    void IDeviceJournal.Append(JournalEntry entry)
    {
        Appends++;
        _played.Append(entry);
        Wrote?.Invoke(entry);
    }

    void IDeviceJournal.Replace(JournalEntry entry) => _played.Replace(entry);

    Task<JoinAnswer> IServiceLink.Join(JoinRequest request, CancellationToken cancellation) => throw new NotSupportedException();

    Task<CheckInAnswer> IServiceLink.CheckIn(CheckInRequest request, CancellationToken cancellation)
    {
        if (IsOffline)
        {
            Unreached?.Invoke();
            throw new LinkException("The service cannot be reached", 0);
        }

        if (request.Sequence <= NumberTaken)
        {
            Refused.Add(request.Sequence);
            if (Refused.Count == RefusalsWanted)
            {
                Reached.Cancel();
            }

            throw new LinkException("It was taken already", 412) { Taken = NumberTaken };
        }

        KnowsItsOrders = request.OrdersTag == _tag;
        SaysRestartPending = request.Facts?.Facts.GetValueOrDefault("restart.pending") is { } pending ? pending == "yes" : SaysRestartPending;

        foreach (var report in request.Attempts)
        {
            Repeated += Taken.TryAdd(DeviceState.NameOf(report), report) ? 0 : 1;
        }

        Proofs.AddRange(request.Proofs);
        Said.AddRange(request.Attempts);
        if (request.Attempts.Any(report => !report.HasEnded && report.Message.Length > 0))
        {
            _told.TrySetResult();
        }

        Waits = request.Waits ?? [];
        Fetched = request.Fetched ?? [];
        HeldCalendars = request.CalendarsTag;
        Told.AddRange(request.Said ?? []);
        if (++_checkIns == LoseAnswer)
        {
            throw new LinkException("The answer was lost", 0);
        }

        if (Until(this))
        {
            Reached.Cancel();
        }

        var isNew = request.OrdersTag != _tag;
        return Task.FromResult(new CheckInAnswer(
            [.. request.Attempts.Select(DeviceState.NameOf), .. (request.Said ?? []).Select(word => word.Id + "/said")], false, isNew ? Orders : null, _tag, 1,
            isNew ? Withdrawn : null, Wake: isNew ? ToWake : null, Calendars: Calendars is var (calendars, signed) && calendars != (request.CalendarsTag ?? "") ? signed : null));
    }

    Task IServiceLink.AwaitHail(CancellationToken cancellation) => Task.Delay(Timeout.Infinite, cancellation);

    async Task IServiceLink.Fetch(string sha256, long most, IContentCache cache, FetchPace? pace, CancellationToken cancellation)
    {
        await (HoldFetch ?? Task.CompletedTask).WaitAsync(cancellation);
        await ((_payload.Contains(sha256) ? HoldFiles : null) ?? Task.CompletedTask).WaitAsync(cancellation);
        if (IsOffline || !_served.TryGetValue(sha256, out var bytes))
        {
            throw new LinkException("The file cannot be fetched", 0);
        }

        Paces.Add(pace);
        await (pace?.Take(bytes.Length, cancellation) ?? default);
        cache.AppendPart(sha256).Write(bytes);
        cache.Complete(sha256);
    }

    Task IServiceLink.SendLog(string attempt, Stream log, CancellationToken cancellation)
    {
        SendsLog?.Invoke();
        return Task.CompletedTask;
    }

    string? IServiceTrust.Tag => null;

    void IServiceTrust.Take(TrustInfo trust) => throw new NotSupportedException();

    private static string Sign(string json, ECDsa key) =>
        new JsonWebTokenHandler { SetDefaultTimesOnTokenCreation = false }
            .CreateToken(json, new SigningCredentials(new ECDsaSecurityKey(key), SecurityAlgorithms.EcdsaSha256));

    private static PublicKeyInfo PublicOf(ECDsa key)
    {
        var point = key.ExportParameters(false).Q;
        return new PublicKeyInfo("seal", Base64UrlEncoder.Encode(point.X), Base64UrlEncoder.Encode(point.Y));
    }
}

/// <summary>The clock of the machine these tests run on, moved on by as much as a test says.</summary>
public sealed class MovedTime : TimeProvider
{
    private long _by;

    /// <summary>Moves it on.</summary>
    public void Move(TimeSpan by) => Interlocked.Add(ref _by, by.Ticks);

    public override DateTimeOffset GetUtcNow() => base.GetUtcNow() + new TimeSpan(Interlocked.Read(ref _by));
}
