using System.CommandLine;
using System.Globalization;
using Bandejo.Clock;
using Bandejo.Device;
using Bandejo.Fleet;

var script = new Argument<string>("script") { Description = "The fleet script; docs/guide/fleet.md says how it is written" };
var service = new Option<string>("--service") { Description = "The service's address", DefaultValueFactory = _ => "http://127.0.0.1:7410" };
var data = new Option<string>("--data")
{
    Description = "The folder for the record and the content of the devices", DefaultValueFactory = _ => "bandejo-fleet-data",
};
var codes = new Option<string>("--codes") { Description = "A file with join codes, lines of 'GROUP=CODE' and 'unsorted=CODE'", Required = true };
var clock = new Option<string?>("--demo-clock") { Description = "A demo clock's file to go by [the real time]" };
var lead = new Option<bool>("--lead") { Description = "Lead the demo clock where somebody asks it to go, step by step" };

var check = new Command("check", "Reads a script and says what is wrong with it, or what it would play") { script };
check.SetAction(parsed => Guarded(() => Task.FromResult(Check(parsed.GetValue(script)!))));
var play = new Command("play", "Plays the devices of a script until it is ended; goes on where its record stops") { script, service, data, codes, clock, lead };
play.SetAction((parsed, cancellation) => Guarded(() => Play(parsed, cancellation)));
return await new RootCommand(
    "bandejo-fleet: plays devices over the real protocol, with the engine of the real agent on machines made up by a script") { check, play }
    .Parse(args).InvokeAsync();

int Check(string file)
{
    var read = ScriptOf(file);
    foreach (var kind in read.Kinds)
    {
        Console.WriteLine(string.Create(
            CultureInfo.InvariantCulture,
            $"{kind.Count,7} {kind.Name}, {(kind.On.IsAlways ? "always on" : $"on {kind.On.From:HH:mm} to {kind.On.To:HH:mm}")}"
                + $"{(kind.Joins is null ? ", unsorted" : $", joining '{kind.Joins}'")}"));
    }

    Console.WriteLine(string.Create(
        CultureInfo.InvariantCulture, $"{read.Kinds.Sum(kind => kind.Count),7} devices in all; {read.Apps.Count} apps with behaviour of their own"));
    return 0;
}

async Task<int> Play(ParseResult parsed, CancellationToken cancellation)
{
    var read = ScriptOf(parsed.GetValue(script)!);
    if (!Uri.TryCreate(parsed.GetValue(service), UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https"))
    {
        throw new InvalidDataException($"'{parsed.GetValue(service)}' is not an address such as http://127.0.0.1:7410.");
    }

    var known = File.ReadLines(parsed.GetValue(codes)!).Select(line => line.Split('=', 2)).Where(pair => pair.Length == 2)
        .ToDictionary(pair => pair[0].Trim(), pair => pair[1].Trim());
    if (read.Kinds.FirstOrDefault(kind => !known.ContainsKey(kind.Joins ?? "unsorted")) is { } without)
    {
        throw new InvalidDataException($"{parsed.GetValue(codes)} has no code for '{without.Joins ?? "unsorted"}', which '{without.Name}' join with.");
    }

    using var demo = parsed.GetValue(clock) is { } file ? DemoClock.Follow(file) : null;
    var (record, lines) = FleetRecord.Open(Path.Combine(parsed.GetValue(data)!, "record.jsonl"));
    using var kept = record;
    // What devices do one after the other shares some connections; lines on which they listen take one each.
    using var http = Client(address, 256);
    using var listening = Client(address, int.MaxValue);
    using var joining = new SemaphoreSlim(32);
    var playing = Playing.Prepare(
        new FleetParts(
            read, http, demo ?? TimeProvider.System, record, new SharedContent(Path.Combine(parsed.GetValue(data)!, "content")), known,
            joining) { Lines = listening },
        lines);
    using var led = parsed.GetValue(lead)
        ? ClockFile.TakeLead(parsed.GetValue(clock) ?? throw new InvalidDataException("--lead needs --demo-clock FILE."))
            ?? throw new IOException("Somebody else leads this clock.")
        : null;
    Console.WriteLine(string.Create(
        CultureInfo.InvariantCulture,
        $"{playing.Lives.Count} devices play for {address}{(lines.Count > 0 ? $", going on after {lines.Count} lines of their record" : "")}"
            + $"{(demo is null ? "" : $"; their clock shows {demo.GetUtcNow():yyyy-MM-dd HH:mm} UTC and runs ")}"
            + $"{(demo is null ? "" : $"{demo.Reading.Speed:0.###} times as fast as the real time")}"));
    var all = playing.Play(cancellation);
    await await Task.WhenAny(all, led is null ? all : playing.Lead(parsed.GetValue(clock)!, demo!, cancellation));
    return 0;
}

static HttpClient Client(Uri address, int connections) =>
    new(
        new SocketsHttpHandler { MaxConnectionsPerServer = connections, PooledConnectionIdleTimeout = TimeSpan.FromMinutes(5) })
        { BaseAddress = address, Timeout = TimeSpan.FromSeconds(100) };

static FleetScript ScriptOf(string file)
{
    var read = ScriptReader.Read(File.ReadAllText(file));
    if (read.Ok)
    {
        return read.Value;
    }

    foreach (var finding in read.Failure!.Findings)
    {
        Console.Error.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{file}:{finding.Line}:{finding.Column}: {finding.Message}"));
    }

    throw new InvalidDataException(read.Failure.Message);
}

static async Task<int> Guarded(Func<Task<int>> action)
{
    try
    {
        return await action();
    }
    catch (OperationCanceledException)
    {
        return 0;
    }
    catch (LinkException error)
    {
        Console.Error.WriteLine(error.Message);
        return 3;
    }
    catch (Exception error) when (error is IOException or UnauthorizedAccessException or InvalidDataException)
    {
        Console.Error.WriteLine(error.Message);
        return 2;
    }
}
