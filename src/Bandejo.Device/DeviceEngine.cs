using System.Threading.Channels;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Device.Trials;

namespace Bandejo.Device;

/// <summary>
/// The device side: checks in, keeps orders, and carries each out once. Goes on without the service as long as the leases of its orders last.
/// </summary>
public sealed class DeviceEngine
{
    private static readonly TimeSpan ProofRepeat = TimeSpan.FromHours(12);
    /// <summary>How often it is looked whether what an order waits for is over.</summary>
    internal static readonly TimeSpan WaitPause = TimeSpan.FromSeconds(15);
    private static readonly TimeSpan LongestBackoff = TimeSpan.FromMinutes(10);

    private readonly DeviceParts _parts;
    private readonly DeviceIdentity _identity;
    private readonly DeviceJournalKeeper _journal;
    private readonly PackageKeeper _packages;
    private readonly Prover _prover;
    private readonly AttemptRunner _runner;
    private readonly DeviceTrial _trial;
    private readonly Rest _checkIns = new();
    private readonly Rest _work = new();
    private readonly Rest _fetches = new();
    private readonly Dictionary<string, (string Answer, DateTimeOffset At)> _provenLast = new(StringComparer.Ordinal);
    private readonly HashSet<string> _holding = new(StringComparer.Ordinal);
    private readonly ServiceTalk _talk;
    private readonly CallPace _pace;
    private readonly OrderHours _hours;
    private readonly Fetching _fetching;
    private readonly Restarts _restarts;
    private readonly StartChecks _checks;
    private readonly Notices _notices;

    public DeviceEngine(DeviceParts parts, DeviceIdentity identity)
    {
        _parts = parts;
        _identity = identity;
        _journal = new DeviceJournalKeeper(parts.Journal, parts.Time, parts.Says);
        _packages = new PackageKeeper(parts.Cache, parts.Link, identity.TrustedKeys);
        _hours = new OrderHours(parts.Clocks);
        var fetching = _fetching = new Fetching(parts, _packages, _hours, () => _journal.State);
        _talk = new ServiceTalk(parts, _journal, _packages) { Fetched = () => fetching.There };
        _pace = new CallPace(parts.Time);
        _restarts = new Restarts(parts, _journal, _hours);
        var surroundings = new Surroundings(parts.Files, parts.Processes, parts.User, parts.Facts, parts.Companions);
        _checks = new StartChecks(parts, _packages, surroundings);
        _notices = new Notices(parts, _journal, _hours, _packages, _checks);
        _prover = new Prover(parts.Files, parts.Processes, parts.Settings, parts.Facts, surroundings);
        _runner = new AttemptRunner(_packages, _prover, parts.Processes, surroundings, _journal, parts.Time, () => _checkIns.Wake(), _notices.MayEnd, InTheWay);
        _trial = new DeviceTrial(
            _packages, new TrialMachine(null!, _prover, parts.Files, parts.Processes, parts.Facts, surroundings) { Payload = parts.Cache.Text }, parts.Ground,
            _journal, parts.Time);
    }

    /// <summary>The device's user said something; it is told at once.</summary>
    public void Hear() => _checkIns.Wake();

    private IEnumerable<Rest> Lines => [_checkIns, _work, _fetches];

    /// <summary>How many of the engine's lines of work (checking in, carrying out orders, fetching ahead) are not resting.</summary>
    public int Busy => Lines.Count(line => line.Until is null);

    /// <summary>The earliest moment at which a resting line goes on by itself; null where none rests.</summary>
    public DateTimeOffset? RestsUntil => Lines.Min(line => line.Until);

    /// <summary>What the device knows.</summary>
    public DeviceState State => _journal.State;

    /// <summary>Runs until cancelled, or until the service says that this device is not enrolled any more.</summary>
    public async Task Run(CancellationToken cancellation)
    {
        _work.Leave();
        _checkIns.Leave();
        _fetches.Leave();
        using var ending = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        Task[] lines = [CheckIns(ending.Token), Work(ending.Token), Fetches(ending.Token), ListenForHails(ending.Token)];
        try
        {
            // Whichever of the first three ends first ends the agent: one that checks in and does nothing would look alive.
            await await Task.WhenAny(lines[0], lines[1], lines[2]);
        }
        finally
        {
            // None may still write when this one has ended and another takes its place.
            // On this thread, and on with where it was begun: an engine that is played goes the same way each time.
            ending.Cancel();
            await Task.WhenAll(lines).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing | ConfigureAwaitOptions.ContinueOnCapturedContext);
        }
    }

    private async Task CheckIns(CancellationToken cancellation)
    {
        var failures = 0;
        while (!cancellation.IsCancellationRequested)
        {
            TimeSpan pause;
            try
            {
                pause = TimeSpan.FromSeconds(await _talk.CheckIn(cancellation));
                failures = 0;
                _fetching.Heard();
                _work.Wake();
                _fetches.Wake();
            }
            catch (LinkException error) when (error.IsGone)
            {
                _parts.Says($"The service does not know this device any more: {error.Message}");
                return;
            }
            catch (Exception error) when (error is LinkException || Unforeseen.Is(error))
            {
                failures++;
                var usual = OrderForm.Pause(_identity.CheckInSeconds);
                pause = TimeSpan.FromSeconds(Math.Min(Math.Max(LongestBackoff.TotalSeconds, usual / 4.0), Math.Min(usual, 60) * Math.Pow(2, Math.Min(
                    failures - 1, 10))));
                _parts.Says($"Check-in failed: {error.Message}");
            }

            // Spread by up to a tenth, so that devices that started together do not stay together.
            var spread = StableHash.Share($"{_identity.DeviceId}/{_talk.Sequence}") * 0.1;
            await Wait(_checkIns, pause * (1 - spread), cancellation);
            for (var held = _pace.Next(); held > TimeSpan.Zero; held = _pace.Left())
            {
                await Wait(_checkIns, held, cancellation);
            }
        }
    }

    private async Task Work(CancellationToken cancellation)
    {
        while (true)
        {
            cancellation.ThrowIfCancellationRequested();
            DateTimeOffset? next;
            try
            {
                if (_journal.State.Current is not null)
                {
                    await Finish(_runner.LaidAside(), cancellation);
                    next = _parts.Time.GetUtcNow();
                }
                else
                {
                    await ProveAll(cancellation);
                    next = await BeginDue(cancellation);
                }
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException || Unforeseen.Is(error))
            {
                // What cannot be written down is not acted on; the attempt in hand is taken up again from where the journal says.
                _parts.Says($"Cannot go on: {error.Message}");
                next = _parts.Time.GetUtcNow() + TimeSpan.FromSeconds(30);
            }

            var pause = next is { } at ? at - _parts.Time.GetUtcNow() : TimeSpan.FromMinutes(10);
            await Wait(_work, pause < TimeSpan.Zero ? TimeSpan.Zero : pause > TimeSpan.FromMinutes(10) ? TimeSpan.FromMinutes(10) : pause, cancellation);
        }
    }

    private async Task Fetches(CancellationToken cancellation)
    {
        while (true)
        {
            cancellation.ThrowIfCancellationRequested();
            var (next, hasNews) = await _fetching.Fetch(_journal.State, cancellation);
            if (hasNews)
            {
                // What waits for it may start, and others of the site may have waited for their turn.
                _work.Wake();
                _checkIns.Wake();
            }

            await Wait(_fetches, next - _parts.Time.GetUtcNow(), cancellation);
        }
    }

    /// <summary>Begins the first order that is due. Returns when to look again; null where nothing is set.</summary>
    private async Task<DateTimeOffset?> BeginDue(CancellationToken cancellation)
    {
        var state = _journal.State;
        var now = _parts.Time.GetUtcNow();
        if (_restarts.GoesDown(now) is { } down)
        {
            return down;
        }

        DateTimeOffset? soonest = null;
        var waits = new List<WaitReport>();
        foreach (var order in state.Orders)
        {
            if (!order.MayStart || !state.IsLeased(order, now) || _holding.Contains(DeviceState.KeyOf(order)))
            {
                continue;
            }

            var progress = state.Progress.GetValueOrDefault(DeviceState.KeyOf(order));
            if (progress is null || (progress.NextTry is { } due && due <= now && progress.WaitsForBoot is null))
            {
                if (_hours.Closed(state.Calendars, order, now) is { } closed)
                {
                    // No try either; it is looked at again when it opens, and in between in case the clocks are set.
                    waits.Add(new WaitReport(order.Deployment, closed.Why, closed.Until));
                    soonest = Sooner(soonest, closed.Until);
                    soonest = Sooner(soonest, await _notices.Ahead(state, order, now, cancellation));
                    continue;
                }

                if ((await _fetching.InTheWay(order, now) ?? await _checks.InTheWay(state, order, cancellation)) is { } why)
                {
                    // No try, and others need not wait with it.
                    waits.Add(new WaitReport(order.Deployment, why));
                    soonest = soonest < now + WaitPause ? soonest : now + WaitPause;
                    continue;
                }

                if (await _notices.InTheWay(state, order, now, cancellation) is { } told)
                {
                    waits.Add(new WaitReport(order.Deployment, told.Why));
                    soonest = Sooner(soonest, told.Until);
                    continue;
                }

                if (!_journal.AppendIf(
                    each => each.Orders.Any(held => ReferenceEquals(held, order)),
                    new AttemptBegan(new Attempt(_parts.NewId(now), order, (progress?.Tries ?? 0) + 1, now, "fetch", null, null))))
                {
                    // Other orders came while it was looked at.
                    return now;
                }

                _parts.Says($"{Verb(order.Kind)} {order.Package.App} {order.Package.Version}, try {(progress?.Tries ?? 0) + 1}");
                _checkIns.Wake();
                await Finish(null, cancellation);
                return now;
            }

            if (progress.NextTry is { } later && (soonest is null || later < soonest))
            {
                soonest = later;
            }
        }

        // When nothing else is to be done first.
        if (_restarts.Look(now, waits) is { } restarts && (soonest is null || restarts < soonest))
        {
            soonest = restarts;
        }

        if (_talk.Wait(waits))
        {
            _checkIns.Wake();
        }

        return soonest;
    }

    private static DateTimeOffset? Sooner(DateTimeOffset? one, DateTimeOffset? other) => one is null || other < one ? other ?? one : one;

    /// <summary>What keeps an order from being started that has not changed anything yet.</summary>
    private async Task<string?> InTheWay(Order order, CancellationToken cancellation) =>
        _hours.Closed(_journal.State.Calendars, order, _parts.Time.GetUtcNow())?.Why ?? await _checks.InTheWay(_journal.State, order, cancellation);

    /// <summary>Takes the attempt in hand to its end and writes down what came of it.</summary>
    /// <param name="end">How it ended already; null where it is to be carried out.</param>
    private async Task Finish(AttemptEnd? end, CancellationToken cancellation)
    {
        end ??= await _runner.Run(_trial, cancellation);
        var now = _parts.Time.GetUtcNow();
        var attempt = _journal.State.Current!;
        var order = attempt.Order;
        var retry = new RetryRule(order.Tries, TimeSpan.FromSeconds(order.RetryPauseSeconds), TimeSpan.FromSeconds(order.RetryLongestSeconds));
        var next = end.Outcome is AttemptOutcome.Done or AttemptOutcome.Restart ? null
            : end.Outcome is AttemptOutcome.Waits ? now
            : Attempts.NextTry(end.Outcome, attempt.Try, retry, _identity.DeviceId, now);
        var secrets = await _packages.Secrets(order, _journal.State);
        _parts.Processes.Hide(attempt.Id, secrets);
        end = end with { Message = Steps.Hide(end.Message, secrets) };
        var proof = end.Proof is { } proven
            ? new ProofReport(order.Deployment, order.Number, Prover.Word(proven.Answer), proven.Version, proven.Why, now)
            : null;
        bool hasLog;
        using (var log = _parts.Processes.OpenLog(attempt.Id))
        {
            hasLog = log is not null;
        }

        var report = new AttemptReport(
            attempt.Id, order.Deployment, order.Number, true, order.Kind, attempt.StartedAt, now, Attempts.Word(end.Outcome), end.Phase ?? attempt.Phase,
            end.Code, end.Message, attempt.Before, attempt.BeforePackage, proof, hasLog, end.Steps);
        _journal.Append(new AttemptEnded(report, next, end.Outcome == AttemptOutcome.Restart ? _parts.Facts.BootId : null, end.HasPutBack));
        if (proof is not null && end.Outcome == AttemptOutcome.Done)
        {
            // The report carries this proof; saying it again at once would only hide what the report says.
            _provenLast[order.Deployment] = ($"{order.Number}/{proof.Answer}/{proof.Version}", now);
        }

        _parts.Says($"{Verb(order.Kind)} {order.Package.App} {order.Package.Version}: {report.Outcome}, {end.Message}");
        await Tidy();
        _checkIns.Wake();
    }

    /// <summary>Looks for what the orders ask, and reports what is new or was not said for a while.</summary>
    private async Task ProveAll(CancellationToken cancellation)
    {
        var state = _journal.State;
        var news = 0;
        _holding.Clear();
        foreach (var order in state.Orders.Where(order => order.Kind is "install" or "remove" or "restore"))
        {
            var key = DeviceState.KeyOf(order);
            if (state.Progress.GetValueOrDefault(key)?.WaitsForBoot is { } boot)
            {
                if (boot == _parts.Facts.BootId)
                {
                    continue;
                }

                await AfterRestart(order, key, cancellation);
                news++;
                continue;
            }

            if (order.Kind == "restore")
            {
                continue;
            }

            if (await Look(order, cancellation) is not { } result)
            {
                continue;
            }

            // What holds already needs no attempt; saying so is enough.
            if (order.Kind == "remove" ? result.Answer == PresenceAnswer.Absent : result.Answer == PresenceAnswer.Present
                || (result.Answer == PresenceAnswer.Newer && !order.AllowDowngrade))
            {
                _holding.Add(key);
            }

            var now = _parts.Time.GetUtcNow();
            var answer = $"{order.Number}/{Prover.Word(result.Answer)}/{result.Version}";
            if (_provenLast.TryGetValue(order.Deployment, out var last) && last.Answer == answer && now - last.At < ProofRepeat)
            {
                continue;
            }

            _provenLast[order.Deployment] = (answer, now);
            Report(order, result, now);
            news++;
        }

        if (news > 0)
        {
            _checkIns.Wake();
        }
    }

    private async Task AfterRestart(Order order, string key, CancellationToken cancellation)
    {
        if (order.Kind == "restore")
        {
            // It may have been the taking away that asked for the restart, with the putting back still to come; an attempt finds out, and is what the service
            // goes by.
            _journal.Append(new RestartSeen(key, _parts.Time.GetUtcNow()));
            return;
        }

        if (await Look(order, cancellation) is not { } result)
        {
            return;
        }

        if (result.IsMet && await _packages.Known(order.Package) is { } document)
        {
            _journal.Append(new ReceiptKept(new Receipt(
                document.App, document.Name, document.Version, order.Package, order.Variant, _parts.Time.GetUtcNow(),
                Filling.Written(document, order.Settings))));
        }

        _journal.Append(new RestartSeen(key));
        Report(order, result, _parts.Time.GetUtcNow());
    }

    private async Task<PresenceResult?> Look(Order order, CancellationToken cancellation)
    {
        try
        {
            // Only the document is needed for looking; fetching the payload waits until it may start.
            var document = await _packages.Open(order.Package, cancellation);
            var written = Filling.Written(document, order.Settings);
            var variant = Filling.Fill(PackageKeeper.VariantOf(document, order.Variant), written);
            var receipt = _journal.State.Receipts.GetValueOrDefault(order.Package.App);
            return order.Kind == "remove"
                ? await _prover.ProveGone(document, variant, _journal.State.Receipts, cancellation)
                : Filling.Weigh(await _prover.Prove(document, variant, receipt, cancellation), variant, order, written, receipt);
        }
        catch (Exception error) when (
            error is LinkException or SealException or PackageException or IOException or UnauthorizedAccessException || Unforeseen.Is(error))
        {
            _parts.Says($"Cannot look for {order.Package.App}: {error.Message}");
            return null;
        }
    }

    private void Report(Order order, PresenceResult result, DateTimeOffset now) =>
        _talk.Report(new ProofReport(order.Deployment, order.Number, Prover.Word(result.Answer), result.Version, result.Why, now));

    /// <summary>Throws away content that neither an order, nor what is installed, nor what could be put back needs.</summary>
    private async Task Tidy()
    {
        var state = _journal.State;
        var needed = new HashSet<string>(
            state.Orders.SelectMany(order => new[] { order.Package.Digest, order.Previous?.Digest }).OfType<string>(), StringComparer.Ordinal);
        foreach (var (package, variant) in state.Receipts.Values.Concat(state.Earlier.Values).Select(receipt => (receipt.Link, receipt.Variant)).Concat(
            state.Orders.Where(order => order.MayStart).Select(order => (order.Package, order.Variant))))
        {
            needed.UnionWith(await _packages.Digests(package, variant));
        }

        _parts.Cache.KeepOnly(needed);
    }

    private async Task ListenForHails(CancellationToken cancellation)
    {
        while (!cancellation.IsCancellationRequested)
        {
            try
            {
                await _parts.Link.AwaitHail(cancellation);
                _checkIns.Wake();
            }
            catch (Exception error) when (error is LinkException || Unforeseen.Is(error))
            {
                // Without the line the device still comes at its usual times; the line is tried again later, much later where the service has no line to give.
                var spread = 1 - (StableHash.Share(_identity.DeviceId) * 0.5);
                await Task.Delay(
                    TimeSpan.FromSeconds((error is LinkException { Status: 409 } ? 1800 : Math.Min(30, OrderForm.Pause(_identity.CheckInSeconds))) * spread),
                    _parts.Time, cancellation);
            }
        }
    }

    private static string Verb(string kind) => kind switch { "install" => "Install", "remove" => "Remove", "trial" => "Try", _ => "Put back what was before" };

    private async Task Wait(Rest rest, TimeSpan pause, CancellationToken cancellation)
    {
        if (pause <= TimeSpan.Zero)
        {
            return;
        }

        // The timer is set before the rest is told of: whoever steps the clock must not step it between the two. The rest ends no sooner than the timer, since
        // whoever steps the clock waits for it from then on.
        using var timer = _parts.Time.CreateTimer(_ => rest.Wake(), null, pause, Timeout.InfiniteTimeSpan);
        rest.Enter(_parts.Time.GetUtcNow() + pause);
        try
        {
            await rest.Woken(cancellation);
        }
        finally
        {
            rest.Leave();
        }
    }

    /// <summary>
    /// One line of work at rest. Woken any number of times while it works, it does not rest once afterwards. Whoever steps a clock asks until when it rests, to
    /// know that all is done that could be done by now.
    /// </summary>
    private sealed class Rest
    {
        private readonly Channel<bool> _wakings = Channel.CreateBounded<bool>(new BoundedChannelOptions(1) { FullMode = BoundedChannelFullMode.DropWrite });
        private long _until;

        public DateTimeOffset? Until => Volatile.Read(ref _until) is var ticks and > 0 ? new DateTimeOffset(ticks, TimeSpan.Zero) : null;

        public void Enter(DateTimeOffset until) => Volatile.Write(ref _until, _wakings.Reader.Count > 0 ? 0 : until.UtcTicks);

        public void Leave() => Volatile.Write(ref _until, 0);

        public void Wake()
        {
            Leave();
            _wakings.Writer.TryWrite(true);
        }

        public ValueTask<bool> Woken(CancellationToken cancellation) => _wakings.Reader.ReadAsync(cancellation);
    }
}
