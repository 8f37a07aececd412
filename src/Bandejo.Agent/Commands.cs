using System.Globalization;
using Bandejo.Clock;
using Bandejo.Contract.Device;
using Bandejo.Device;
using Bandejo.Identity;

namespace Bandejo.Agent;

/// <summary>What the agent's commands do.</summary>
internal static class Commands
{
    /// <summary>Enrols the machine.</summary>
    /// <param name="isStarted">Whether the agent is started at once, so that nobody has to be told how.</param>
    public static async Task<int> Join(
        IAgentSystem system, Home home, string service, string code, string? name, bool isPlain, TimeProvider time, bool isStarted,
        CancellationToken cancellation)
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

        var words = JoinWords.Read(code)
            ?? throw new InvalidDataException($"'{code}' is no join code: what stands behind its full stop names no service. Copy all of it.");
        PinnedService.Check(address, isPlain);
        var pinned = address.Scheme == "https" && words.Authority is { } authority ? await PinnedService.Fetch(address, authority, cancellation) : null;
        using var key = home.Key();
        var trust = new PinnedService(home, new AgentIdentity(
            service, new DeviceIdentity("", "", [], 60), pinned is null ? null : [new AuthorityInfo(pinned.Name, pinned.Pem)], isPlain));
        using var http = new HttpClient(trust.Handler()) { BaseAddress = address };
        var link = new HttpLink(http, key, time);
        var answer = await link.Join(
            new JoinRequest(DeviceProtocol.Version, words.Code, HttpLink.PublicOf(key), name ?? Environment.MachineName, system.Facts(home)),
            cancellation);
        home.Keep(new AgentIdentity(
            service, new DeviceIdentity(answer.DeviceId, answer.Name, answer.TrustedKeys, answer.CheckInSeconds),
            pinned is null ? null : [new AuthorityInfo(pinned.Name, pinned.Pem)], isPlain));
        var next = isStarted ? "" : $" Start the agent with: bandejo-agent run{(home.Root == system.UsualRoot ? "" : $" --root {home.Root}")}";
        Console.WriteLine($"Joined as {answer.Name}{(pinned is null ? "" : $" at the service {pinned.Name}")}.{next}");
        return 0;
    }

    /// <summary>Runs until it is ended.</summary>
    /// <param name="says">Hears one line for people about what it does.</param>
    public static async Task<int> Run(
        IAgentSystem system, Home home, bool isUnguarded, TimeProvider time, Action<string> says, CancellationToken cancellation)
    {
        if (system.WhyUnguarded(home, isUnguarded) is { } why)
        {
            Console.Error.WriteLine($"What is installed cannot be kept within {home.Root}: {why} To let it write to all of this machine, add --unguarded.");
            return 2;
        }

        using var owned = home.Lock();
        if (home.Identity() is not { } identity)
        {
            Console.Error.WriteLine("This machine is not enrolled. Join first: bandejo-agent join --service ADDRESS --code CODE");
            return 2;
        }

        using var key = home.Key();
        var trust = new PinnedService(home, identity);
        using var handler = trust.Handler();
        using var http = new HttpClient(handler) { BaseAddress = new Uri(identity.Service), Timeout = TimeSpan.FromSeconds(100) };
        using var journal = new FileJournal(home.JournalFile, Say);
        var link = new HttpLink(http, key, time) { DeviceId = identity.Device.DeviceId };
        var engine = new DeviceEngine(system.Parts(home, isUnguarded, link, trust, journal, time, Say), identity.Device);
        Say($"{identity.Device.Name} is at work for {identity.Service}");
        await engine.Run(cancellation);
        return 3;

        void Say(string line)
        {
            var speed = time is DemoClock demo ? string.Create(CultureInfo.InvariantCulture, $" ({demo.Reading.Speed:0.###}x)") : "";
            says($"{time.GetUtcNow():HH:mm:ss}{speed} {line}");
        }
    }

    /// <summary>Believes another authority from now on, in the place of all that were believed before. A running agent takes it up by itself.</summary>
    public static async Task<int> Accept(Home home, string name, CancellationToken cancellation)
    {
        if (home.Identity() is not { } identity || !Authority.IsName(name))
        {
            Console.Error.WriteLine(
                Authority.IsName(name) ? "This machine is not enrolled." : $"'{name}' is no identity; 'bandejo identity show' says the service's.");
            return 2;
        }

        var authority = await PinnedService.Fetch(new Uri(identity.Service), name, cancellation);
        home.Keep(identity with { Authorities = [new AuthorityInfo(authority.Name, authority.Pem)] });
        Console.WriteLine($"From now on {identity.Service} is believed as {authority.Name}, and as nobody else.");
        return 0;
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
        var known = state.Orders.Where(order => kind == "harm" || order.Kind == "offer").Select(order => order.Package.App)
            .Concat(kind == "harm" ? state.Receipts.Keys : []).Distinct().Order(StringComparer.Ordinal).ToList();
        if (!known.Contains(app))
        {
            Console.Error.WriteLine(
                $"{(kind == "take" ? "The shelf does not offer" : "Nothing here has to do with")} "
                    + $"'{app}'.{(known.Count == 0 ? "" : $" It could be: {string.Join(", ", known)}.")}");
            return 1;
        }

        UserWords.Say(home.SaidFolder, kind, app, text, time.GetUtcNow());
        Console.WriteLine(
            kind == "take" ? $"{app} was asked for; it is installed after the next check-in." : "Thank you; it is reported at the next check-in.");
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
            Console.WriteLine(string.Create(
                CultureInfo.InvariantCulture,
                $"  {order.Kind,-8} {order.Package.App} {order.Package.Version} "
                    + $"({order.Deployment}/{order.Number}){(order.MayStart ? "" : ", may not start")}"));
        }

        foreach (var receipt in state.Receipts.Values)
        {
            Console.WriteLine($"  receipt  {receipt.App} {receipt.Version}");
        }

        return 0;
    }
}
