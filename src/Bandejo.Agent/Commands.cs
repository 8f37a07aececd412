using System.Globalization;
using Bandejo.Clock;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>What the agent's commands do.</summary>
internal static class Commands
{
    public static async Task<int> Join(Home home, string service, string code, string? name, TimeProvider time, CancellationToken cancellation)
    {
        using var owned = home.Lock();
        if (!Uri.TryCreate(service, UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https"))
        {
            throw new InvalidDataException($"'{service}' is not an address such as https://bandejo.example:7410.");
        }

        if (home.Identity() is { } known)
        {
            Console.Error.WriteLine($"This machine is enrolled already, as {known.Device.Name} at {known.Service}.");
            return 1;
        }

        using var key = home.Key();
        using var http = new HttpClient { BaseAddress = address };
        var link = new HttpLink(http, key, time);
        var answer = await link.Join(new JoinRequest(DeviceProtocol.Version, code, HttpLink.PublicOf(key), name ?? Environment.MachineName, new LinuxFacts(home.Root).Gather()), cancellation);
        home.Keep(new AgentIdentity(service, new DeviceIdentity(answer.DeviceId, answer.Name, answer.TrustedKeys, answer.CheckInSeconds)));
        Console.WriteLine($"Joined as {answer.Name}. Start the agent with: bandejo-agent run{(home.Root == "/" ? "" : $" --root {home.Root}")}");
        return 0;
    }

    public static async Task<int> Run(Home home, TimeProvider time, CancellationToken cancellation)
    {
        using var owned = home.Lock();
        if (home.Identity() is not { } identity)
        {
            Console.Error.WriteLine("This machine is not enrolled. Join first: bandejo-agent join --service ADDRESS --code CODE");
            return 2;
        }

        using var key = home.Key();
        using var handler = new SocketsHttpHandler { PooledConnectionIdleTimeout = TimeSpan.FromMinutes(10) };
        using var http = new HttpClient(handler) { BaseAddress = new Uri(identity.Service), Timeout = TimeSpan.FromSeconds(100) };
        using var journal = new FileJournal(home.JournalFile, line => Say(time, line));
        var cache = new FolderCache(home.CacheFolder);
        var files = new LinuxFiles(home.Root);
        var link = new HttpLink(http, key, time) { DeviceId = identity.Device.DeviceId };
        var engine = new DeviceEngine(
            new DeviceParts(files, new LinuxProcesses(home.Root, home.Folder, cache, time), files, new LinuxFacts(home.Root), new UserWords(home.SaidFolder, home.Root), new LinuxCompanions(home.Root, cache), () => new MachineGround(home.Root, home.Folder), link, cache, journal, time, line => Say(time, line)), identity.Device);
        Say(time, $"{identity.Device.Name} is at work for {identity.Service}");
        await engine.Run(cancellation);
        return 3;
    }

    /// <summary>Keeps the user's word; a running agent takes it to the service at its next check-in.</summary>
    public static int Say(Home home, string kind, string app, string text, TimeProvider time)
    {
        if (home.Identity() is null)
        {
            Console.Error.WriteLine("This machine is not enrolled.");
            return 2;
        }

        using var journal = new FileJournal(home.JournalFile, Console.Error.WriteLine);
        var state = DeviceState.Of(journal.Load(), Console.Error.WriteLine);
        var known = state.Orders.Where(order => kind == "harm" || order.Kind == "offer").Select(order => order.Package.App).Concat(kind == "harm" ? state.Receipts.Keys : []).Distinct().Order(StringComparer.Ordinal).ToList();
        if (!known.Contains(app))
        {
            Console.Error.WriteLine($"{(kind == "take" ? "The shelf does not offer" : "Nothing here has to do with")} '{app}'.{(known.Count == 0 ? "" : $" It could be: {string.Join(", ", known)}.")}");
            return 1;
        }

        new UserWords(home.SaidFolder, home.Root).Say(kind, app, text, time.GetUtcNow());
        Console.WriteLine(kind == "take" ? $"{app} was asked for; it is installed after the next check-in." : "Thank you; it is reported at the next check-in.");
        return 0;
    }

    public static int Show(Home home)
    {
        if (home.Identity() is not { } identity)
        {
            Console.WriteLine("Not enrolled. Join with: bandejo-agent join --service ADDRESS --code CODE");
            return 1;
        }

        using var journal = new FileJournal(home.JournalFile, Console.Error.WriteLine);
        var state = DeviceState.Of(journal.Load(), Console.Error.WriteLine);
        Console.WriteLine($"{identity.Device.Name} at {identity.Service}");
        foreach (var order in state.Orders)
        {
            Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"  {order.Kind,-8} {order.Package.App} {order.Package.Version} ({order.Deployment}/{order.Number}){(order.MayStart ? "" : ", may not start")}"));
        }

        foreach (var receipt in state.Receipts.Values)
        {
            Console.WriteLine($"  receipt  {receipt.App} {receipt.Version}");
        }

        return 0;
    }

    private static void Say(TimeProvider time, string line)
    {
        var speed = time is DemoClock demo ? string.Create(CultureInfo.InvariantCulture, $" ({demo.Reading.Speed:0.###}x)") : "";
        Console.WriteLine($"{time.GetUtcNow():HH:mm:ss}{speed} {line}");
    }
}
