using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>
/// What is said at a check-in, and what is taken of the answer: only what fits what was said, and only in the form that <see cref="OrderForm"/> has for it.
/// </summary>
internal sealed class ServiceTalk(DeviceParts parts, DeviceJournalKeeper journal, PackageKeeper packages)
{
    private const int LongestTag = 200;
    private const int MostRefused = 50;
    private const int MostWoken = 50;

    /// <summary>What JSON can say exactly everywhere (RFC 8259, section 6), in milliseconds a quarter of a million years.</summary>
    private const long HighestNumber = 1L << 53;

    private static readonly string[] Capabilities = [DeviceProtocol.CanHoldCalendars, DeviceProtocol.CanFetchAhead, DeviceProtocol.CanGiveNotice];

    private readonly List<ProofReport> _proofs = [];
    private readonly HashSet<string> _sentLogs = new(StringComparer.Ordinal);
    private bool _serviceWantsFacts = true;
    private string _factsDigest = "";
    private IReadOnlyList<WaitReport> _waits = [];
    private IReadOnlyList<WaitReport> _refused = [];

    /// <summary>The deployments whose orders wait and whose files are there.</summary>
    public Func<IReadOnlyList<string>> Fetched { get; init; } = () => [];

    /// <summary>The number of the last check-in.</summary>
    public long Sequence { get; private set; }

    /// <summary>A proof to be told at the next check-in, in the place of an earlier one of the same deployment.</summary>
    public void Report(ProofReport proof)
    {
        lock (_proofs)
        {
            _proofs.RemoveAll(each => each.Deployment == proof.Deployment);
            _proofs.Add(proof);
        }
    }

    /// <summary>What orders wait for, to be told from the next check-in on. Returns whether that is news.</summary>
    public bool Wait(IReadOnlyList<WaitReport> waits)
    {
        var isNews = !_waits.SequenceEqual(waits);
        _waits = waits;
        return isNews;
    }

    /// <summary>One check-in. Returns after how many seconds the next is due.</summary>
    /// <exception cref="LinkException">The service could not be reached, or its answer is none.</exception>
    public async Task<int> CheckIn(CancellationToken cancellation)
    {
        var state = journal.State;
        var facts = Facts(state);
        var digest = DigestOf(facts);
        List<ProofReport> proofs;
        lock (_proofs)
        {
            proofs = [.. _proofs];
        }

        var said = parts.User.Said();
        Sequence = Math.Max(Sequence + 1, parts.Time.GetUtcNow().ToUnixTimeMilliseconds());
        var request = new CheckInRequest(
            Sequence, digest, _serviceWantsFacts || digest != _factsDigest ? facts : null, state.OrdersTag, proofs, [.. state.Outbox],
            said.Count == 0 ? null : [.. said.Select(word => new UserReport(word.Id, word.Kind, word.App, word.Text, word.At))], parts.Trust.Tag,
            _waits.Count + _refused.Count == 0 ? null : [.. _refused.Concat(_waits).Take(DeviceProtocol.MaxWaits)],
            Capabilities, state.Calendars?.Tag is { Length: > 0 } calendars ? calendars : null,
            Fetched() is { Count: > 0 } fetched ? [.. fetched.Take(DeviceProtocol.MaxWaits)] : null);
        var answer = await Send(request, cancellation);
        _serviceWantsFacts = answer.WantsFacts;
        _factsDigest = digest;
        lock (_proofs)
        {
            _proofs.RemoveAll(proofs.Contains);
        }

        foreach (var left in answer.LeftOut ?? [])
        {
            parts.Says($"The service did not take {AnswerReading.Words(left)}");
        }

        if (answer.Trust is { } trust)
        {
            parts.Trust.Take(trust);
        }

        var ended = TakeAcknowledged(answer, request);
        if (answer.Withdrawn is { } signed && await packages.ReadWithdrawn(signed) is { } withdrawn && withdrawn.Serial > state.WithdrawnSerial)
        {
            journal.Append(new WithdrawnTaken(withdrawn.Serial, [.. state.Withdrawn.Union(withdrawn.Digests)]));
        }

        // Before the orders, which may depend on them.
        if (answer.Calendars is { } signedCalendars)
        {
            await TakeCalendars(signedCalendars, state);
        }

        if (answer.Orders is { } orders)
        {
            var refused = new List<WaitReport>();
            journal.Append(new OrdersTaken(
                OrderForm.Sound(orders, parts.Says, (deployment, why) => refused.Add(new WaitReport(deployment, why))),
                answer.OrdersTag is { Length: <= LongestTag } tag ? tag : "", parts.Time.GetUtcNow()));
            _refused = [.. refused.Take(MostRefused)];
        }
        else if (answer.OrdersTag == state.OrdersTag)
        {
            journal.Confirm();
        }

        foreach (var address in (answer.Wake ?? []).Take(MostWoken).Where(MagicPacket.IsAddress).Distinct())
        {
            try
            {
                parts.Network.Wake(address);
                parts.Says($"{address} was sent the packet that wakes");
            }
            catch (IOException error)
            {
                parts.Says($"{address} could not be woken: {error.Message}");
            }
        }

        // After the orders, which may say that nothing starts any more: logs can take long.
        await SendLogs(ended, cancellation);

        // Asked for once, facts are sent at once; whoever asks again and again waits as for any check-in.
        return answer.WantsFacts && request.Facts is null ? 0 : OrderForm.Pause(answer.NextSeconds);
    }

    private async Task TakeCalendars(string signed, DeviceState state)
    {
        if (await packages.ReadCalendars(signed) is not { } content)
        {
            parts.Says("Calendars were refused: they are not signed by a service that this device trusts, or are not in their form.");
        }
        else if (content.At < state.Calendars?.At)
        {
            parts.Says("Calendars were refused: they are older than those that this device has.");
        }
        else
        {
            journal.Append(new CalendarsTaken(content));
        }
    }

    /// <summary>
    /// Sends a check-in. The numbers follow the device's clock, which may have been ahead before a restart; where the service has taken a higher one, they go
    /// on from there.
    /// </summary>
    private async Task<CheckInAnswer> Send(CheckInRequest request, CancellationToken cancellation)
    {
        try
        {
            return await parts.Link.CheckIn(request, cancellation);
        }
        catch (LinkException error) when (error is { Status: 412, Taken: { } taken } && taken >= Sequence && taken < HighestNumber)
        {
            Sequence = taken + 1;
            return await parts.Link.CheckIn(request with { Sequence = Sequence }, cancellation);
        }
    }

    /// <summary>Takes as kept what the service says is kept, of what it was sent just now; other names mean nothing.</summary>
    /// <returns>The attempts whose end is kept.</returns>
    private IReadOnlyList<string> TakeAcknowledged(CheckInAnswer answer, CheckInRequest request)
    {
        var kept = answer.Acknowledged.ToHashSet(StringComparer.Ordinal);
        var reports = request.Attempts.Where(report => kept.Contains(DeviceState.NameOf(report))).ToList();
        if (reports.Count > 0)
        {
            journal.Append(new ReportsAcknowledged([.. reports.Select(DeviceState.NameOf)]));
        }

        foreach (var word in (request.Said ?? []).Where(word => kept.Contains(word.Id + "/said")))
        {
            parts.User.Taken(word.Id);
        }

        return [.. reports.Where(report => report.HasEnded).Select(report => report.Id)];
    }

    private async Task SendLogs(IReadOnlyList<string> attempts, CancellationToken cancellation)
    {
        foreach (var id in attempts)
        {
            try
            {
                await using (var log = parts.Processes.OpenLog(id))
                {
                    if (log is not null && _sentLogs.Add(id))
                    {
                        await parts.Link.SendLog(id, log, cancellation);
                    }
                }

                parts.Processes.Forget(id);
            }
            catch (Exception error) when (error is LinkException or IOException)
            {
                parts.Says($"The log of attempt {id} could not be sent: {error.Message}");
            }
        }
    }

    private FactReport Facts(DeviceState state)
    {
        var gathered = parts.Facts.Gather();
        if (state.Progress.Values.Any(progress => progress.WaitsForBoot == parts.Facts.BootId))
        {
            gathered = gathered with { Facts = new Dictionary<string, string>(gathered.Facts, StringComparer.Ordinal) { ["restart.pending"] = "yes" } };
        }

        var receipts = state.Receipts.Values.Select(receipt => new ProgramReport(receipt.App, receipt.Version, "receipt"));
        return gathered.Programs is null
            ? gathered
            : gathered with
            {
                Programs = [
                    .. gathered.Programs.Where(program => !state.Receipts.ContainsKey(Core.Rules.FactCatalog.Slug(program.Name))).Concat(receipts)
                        .OrderBy(program => program.Name, StringComparer.Ordinal)],
            };
    }

    private static string DigestOf(FactReport facts)
    {
        var canonical = facts with { Facts = new SortedDictionary<string, string>(facts.Facts.ToDictionary(), StringComparer.Ordinal) };
        return Convert.ToHexStringLower(SHA256.HashData(JsonSerializer.SerializeToUtf8Bytes(canonical, ContractJson.Default.FactReport)));
    }
}
