using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>The files of the device, named relative to its root with <c>/</c> between parts.</summary>
public interface IMachineFiles
{
    bool Exists(string path);

    /// <summary>The text of a file, at most <paramref name="max"/> characters; null where there is none.</summary>
    /// <exception cref="IOException">It is there and cannot be read.</exception>
    string? Read(string path, int max);

    /// <summary>The SHA-256 of a file in lower-case hexadecimal; null where there is none.</summary>
    /// <exception cref="IOException">It is there and cannot be read.</exception>
    string? Sha256(string path);

    /// <summary>The version that a program carries in itself; null where there is no such file, empty where it carries none.</summary>
    /// <exception cref="IOException">It is there and cannot be read, or programs of this system carry none.</exception>
    string? VersionOf(string path) => throw new IOException("programs of this operating system carry no version in themselves");

    /// <summary>Deletes a file, or a folder with all that is in it; nothing where it is not there.</summary>
    /// <exception cref="IOException">It cannot be deleted.</exception>
    void Delete(string path);
}

/// <summary>What is put beside software on the device. Everything may be asked for twice.</summary>
public interface IMachineCompanions
{
    /// <summary>Whether a companion is in place as the package has it.</summary>
    /// <param name="app">The app that it belongs to.</param>
    /// <param name="sha256">The digest of its file; null where it is none.</param>
    bool Holds(string app, DocumentCompanion companion, string? sha256);

    /// <summary>Puts it in place.</summary>
    /// <exception cref="IOException">It cannot be put there.</exception>
    void Put(string app, DocumentCompanion companion, string? sha256);

    /// <summary>Takes it away.</summary>
    /// <exception cref="IOException">It cannot be taken away.</exception>
    void Take(string app, DocumentCompanion companion);
}

/// <summary>What a step needs to run.</summary>
/// <param name="Attempt">The attempt it belongs to; names its run for <see cref="IMachineProcesses.Find"/>.</param>
/// <param name="Name">Which step of the attempt: <c>install</c>, <c>remove</c>, …</param>
/// <param name="Command">The command and its arguments.</param>
/// <param name="Files">The payload: path in the working folder to digest in the cache.</param>
/// <param name="Environment">What it finds in its environment besides the usual.</param>
/// <param name="Answers">Files that are written beside the payload, path to text; only the system account may read them.</param>
/// <param name="IsGentle">It yields to everything else that runs.</param>
/// <param name="As">Whom it runs as, in that person's own folder; null for the system account.</param>
public sealed record StepRun(
    string Attempt, string Name, IReadOnlyList<string> Command, IReadOnlyDictionary<string, string> Files, IReadOnlyDictionary<string, string> Environment,
    IReadOnlyDictionary<string, string> Answers, bool IsGentle = false, MachinePerson? As = null);

/// <summary>A user of the machine without rights.</summary>
/// <param name="Number">The user's number, and that of the group of the same name.</param>
/// <param name="Home">The folder that is the person's own, absolute.</param>
public sealed record MachinePerson(string Name, uint Number, string Home);

/// <summary>How a step ended.</summary>
/// <param name="ExitCode">Its exit code; null where it did not end by itself or could not be started.</param>
/// <param name="Problem">Why it could not be started, or null.</param>
/// <param name="TimedOut">It was at its limit.</param>
public sealed record StepEnd(int? ExitCode, string? Problem, bool TimedOut);

/// <summary>What is known of a step that was begun before the agent stopped.</summary>
public enum StepTrace
{
    /// <summary>It was never started, and from now on cannot be.</summary>
    NeverStarted,

    /// <summary>It still runs.</summary>
    Running,

    /// <summary>It has ended, and its exit code is known.</summary>
    Ended,

    /// <summary>It was started and is gone without an exit code: the device lost power, or somebody ended it.</summary>
    Gone,
}

/// <summary>The processes of the device.</summary>
public interface IMachineProcesses
{
    /// <summary>Starts a step. It goes on if the agent stops.</summary>
    Task<StepEnd> Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation);

    /// <summary>What became of a step that was begun earlier.</summary>
    StepTrace Find(string attempt, string name);

    /// <summary>Whether any step of an attempt was begun.</summary>
    bool HasBegun(string attempt);

    /// <summary>Waits for a step that still runs or has ended.</summary>
    Task<StepEnd> Await(string attempt, string name, TimeSpan limit, bool endAtLimit, CancellationToken cancellation);

    /// <summary>Runs a short command of a presence check. Null output where it could not be started or took too long.</summary>
    Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation);

    /// <summary>Those of some programs that run, by their names.</summary>
    IReadOnlyList<string> InUse(IReadOnlyList<string> names);

    /// <summary>Asks programs to close and waits a while. Returns the names that still run.</summary>
    /// <param name="ends">What does not close in that time is ended.</param>
    Task<IReadOnlyList<string>> Close(IReadOnlyList<string> names, TimeSpan patience, bool ends, CancellationToken cancellation);

    /// <summary>The log of an attempt so far; null where there is none.</summary>
    Stream? OpenLog(string attempt);

    /// <summary>Adds the end of a log that an installer wrote by itself; nothing where there is none.</summary>
    /// <param name="path">Where it is, below the machine's root.</param>
    void AddToLog(string attempt, string path);

    /// <summary>Takes secrets out of the log of an attempt whose steps have ended.</summary>
    void Hide(string attempt, IReadOnlyList<string> secrets);

    /// <summary>Removes what an attempt left in the agent's folder, the log included.</summary>
    void Forget(string attempt);
}

/// <summary>What the device says of itself.</summary>
public interface IMachineFacts
{
    /// <summary>The facts and the programs that the operating system knows.</summary>
    FactReport Gather();

    /// <summary>Changes with each start of the operating system.</summary>
    string BootId { get; }
}

/// <summary>Something the device's user said.</summary>
/// <param name="Id">Its identity.</param>
/// <param name="Kind"><c>take</c> or <c>harm</c>.</param>
/// <param name="App">The app it is about.</param>
/// <param name="Text">What the user wrote.</param>
public sealed record UserWord(string Id, string Kind, string App, string Text, DateTimeOffset At);

/// <summary>The device's user.</summary>
public interface IMachineUser
{
    /// <summary>What was said and the service has not taken yet.</summary>
    IReadOnlyList<UserWord> Said();

    /// <summary>The service has taken a word.</summary>
    void Taken(string id);

    /// <summary>Whether anybody is signed in at the device.</summary>
    bool IsSignedIn { get; }

    /// <summary>Shows something to whoever is signed in, as far as the system can.</summary>
    void Tell(string text);
}

/// <summary>The device's power.</summary>
public interface IMachinePower
{
    /// <summary>Whether it runs on mains power; null where that is not known.</summary>
    bool? IsOnMains { get; }

    /// <summary>For how long its operating system has been running.</summary>
    TimeSpan Running { get; }

    /// <summary>Asks the operating system to restart the device. Returns before it does; asked for again, the same.</summary>
    /// <param name="notice">So much later, so that whoever is signed in can end their work.</param>
    /// <param name="why">What they are told.</param>
    /// <exception cref="IOException">It cannot be asked.</exception>
    void Restart(TimeSpan notice, string why);
}

/// <summary>The device's network.</summary>
public interface IMachineNetwork
{
    /// <summary>Whether somebody pays for the link to the service by what goes over it; null where that is not known.</summary>
    bool? IsMetered { get; }

    /// <summary>Sends the packet that wakes a machine in the same network.</summary>
    /// <param name="address">The address of its network card, as twelve hexadecimal digits in pairs.</param>
    /// <exception cref="IOException">It cannot be sent.</exception>
    void Wake(string address);
}

/// <summary>Settings of the device: files, and on Windows the registry.</summary>
public interface IMachineSettings
{
    /// <summary>The value of a key (<c>key = value</c> lines); null where file or key are missing.</summary>
    string? Read(string path, string key);

    /// <summary>A value in the registry as text: numbers in decimal, lists with line ends between, bytes in hexadecimal. Null where there is none.</summary>
    /// <param name="key">The key (<see cref="Core.Packages.RegistryPath"/>), looked for in the view of 64 bits, then in that of 32.</param>
    /// <param name="name">The value's name; <c>@</c> for the key's own; null asks for the key alone, whose text is empty.</param>
    /// <exception cref="IOException">That cannot be told.</exception>
    string? Registry(string key, string? name) => throw new IOException("this device has no registry");

    /// <summary>Whether a service runs; null where the machine's own service manager is asked in another way.</summary>
    /// <exception cref="IOException">That cannot be told.</exception>
    bool? Runs(string service) => null;

    /// <summary>The version of a product of the Windows Installer; null where none of that code is installed.</summary>
    /// <param name="code">The product code, in braces.</param>
    /// <exception cref="IOException">That cannot be told.</exception>
    string? Product(string code) => Read($"HKLM/SOFTWARE/Microsoft/Windows/CurrentVersion/Uninstall/{code.ToUpperInvariant()}", "DisplayVersion");
}

/// <summary>The way to the service.</summary>
public interface IServiceLink
{
    Task<JoinAnswer> Join(JoinRequest request, CancellationToken cancellation);

    Task<CheckInAnswer> CheckIn(CheckInRequest request, CancellationToken cancellation);

    /// <summary>Completes when the service asks for a check-in.</summary>
    Task AwaitHail(CancellationToken cancellation);

    /// <summary>Brings content into the cache, going on where an earlier try stopped, and checks its digest.</summary>
    /// <param name="most">How many bytes it may have; whatever sends more is not believed to have it.</param>
    /// <param name="pace">How fast it may come; null for as fast as it comes.</param>
    /// <exception cref="LinkException">It could not be fetched whole.</exception>
    Task Fetch(string sha256, long most, IContentCache cache, FetchPace? pace, CancellationToken cancellation);

    Task SendLog(string attempt, Stream log, CancellationToken cancellation);
}

/// <summary>Whom the device believes to be its service.</summary>
public interface IServiceTrust
{
    /// <summary>The tag of what it believes; null where it speaks without TLS.</summary>
    string? Tag { get; }

    /// <summary>Believes these from now on; durable when it returns. What is no sound list is refused, and changes nothing.</summary>
    void Take(TrustInfo trust);
}

/// <summary>Content by digest on the device.</summary>
public interface IContentCache
{
    /// <summary>True where the content is there whole.</summary>
    bool Has(string sha256);

    /// <summary>How much of it has arrived.</summary>
    long PartLength(string sha256);

    /// <summary>Opens the part for appending.</summary>
    Stream AppendPart(string sha256);

    /// <summary>Checks the part's digest and takes it in. False, and the part is thrown away, where it is not what it should be.</summary>
    bool Complete(string sha256);

    /// <summary>The content as a package's document. What a digest names never changes, so that it may be read once and kept.</summary>
    /// <exception cref="PackageException">It is none that this device can carry out.</exception>
    PackageDocument Document(string sha256);

    /// <summary>The content as text; null where it is not there, or the machine keeps none.</summary>
    string? Text(string sha256) => null;

    /// <summary>Throws away all content but what is named.</summary>
    void KeepOnly(IReadOnlySet<string> digests);
}

/// <summary>The device's journal: each entry is durable before <see cref="Append"/> returns.</summary>
public interface IDeviceJournal
{
    IReadOnlyList<JournalEntry> Load();

    void Append(JournalEntry entry);

    /// <summary>Puts one entry in the place of all.</summary>
    void Replace(JournalEntry entry);
}

/// <summary>The service could not be reached, or refused.</summary>
/// <param name="message">What happened.</param>
/// <param name="status">The HTTP status, 0 where there was no answer.</param>
public sealed class LinkException(string message, int status, Exception? inner = null) : Exception(message, inner)
{
    public int Status => status;

    /// <summary>Of a check-in that was refused because one with a higher number was taken: that number; null otherwise.</summary>
    public long? Taken { get; init; }

    /// <summary>The service does not know this device any more.</summary>
    public bool IsGone => status == 410;
}
