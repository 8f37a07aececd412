using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Bandejo.Core.Calendars;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>What all devices of a fleet have in common.</summary>
internal sealed record FleetParts(
    FleetScript Script, HttpClient Http, TimeProvider Time, FleetRecord Record, SharedContent Content, IReadOnlyDictionary<string, string> Codes,
    SemaphoreSlim Joining)
{
    private long _hails;

    /// <summary>The client with which devices listen.</summary>
    public required HttpClient Lines { get; init; }

    /// <summary>How many calls of the service the devices have heard.</summary>
    public long Hails => Interlocked.Read(ref _hails);

    public void Hailed() => Interlocked.Increment(ref _hails);
}

/// <summary>One device from day to day: switched on and off, joining, and working with the same engine as a real agent.</summary>
internal sealed class PlayedLife
{
    private static readonly TimeSpan JoinAgain = TimeSpan.FromMinutes(5);
    private static readonly TimeSpan RestartTakes = TimeSpan.FromMinutes(3);

    /// <summary>Timers are set for no longer than this.</summary>
    private static readonly TimeSpan LongestTimer = TimeSpan.FromDays(20);

    private readonly FleetParts _fleet;
    private readonly DeviceKind _kind;
    private readonly Chance _chance;
    private readonly PlayedMachine _machine;
    private readonly PlayedFacts _facts;
    private readonly PlayedContent _content;
    private readonly PlayedSteps _steps;
    private readonly PlayedUser _user;
    private byte[]? _key;
    private DeviceIdentity? _identity;
    private CancellationTokenSource? _power;
    private DateTimeOffset? _deadUntil;
    private int _sleeping;
    private long _sleepsUntil = long.MaxValue;
    private bool _isSwitchedOff;
    private volatile bool _isRemoved;

    public PlayedLife(FleetParts fleet, DeviceKind kind, string name, string site)
    {
        (_fleet, _kind, Name) = (fleet, kind, name);
        _chance = new Chance(fleet.Script.Seed);
        _steps = new PlayedSteps(name, fleet.Script.Apps, _chance, () => _facts!);
        _machine = new PlayedMachine(name, fleet.Time, _steps.Play)
        {
            Sleep = Sleep,
            Kept = entry => Write("journal", line => line with { Entry = entry, HeardAt = entry is AttemptBegan ? HeardAt : null }),
            Changing = (put, gone) => Write("changed", line => line with { Put = Some(put), Gone = Some(gone) }),
            Begun = run => Write("step-began", line => line with
            {
                Attempt = run.Attempt, Step = run.Name, App = run.Environment["BANDEJO_APP"], Version = run.Environment["BANDEJO_VERSION"],
                Deployment = Engine?.State.Current?.Order.Deployment, HeardAt = HeardAt,
            }),

            // One line for the effect and the end: there is no moment between them at which the fleet could be cut off.
            Ended = (run, play) => Write("step-ended", line => line with
            {
                Attempt = run.Attempt, Step = run.Name, Code = play?.Code, Put = Some(play?.Put), Gone = Some(play?.Gone), Later = Some(play?.Later),
            }),
            Restarting = () => Die(RestartTakes),
            Died = () =>
            {
                if (!_isSwitchedOff)
                {
                    Die(_steps.OffFor);
                }
            },
        };
        _facts = new PlayedFacts(_machine, site, kind, _chance, fleet.Script.Apps);
        _content = new PlayedContent(fleet.Content, digest => Write("content", line => line with { Name = digest }));
        _user = new PlayedUser(name, _facts, fleet.Script.Apps, _chance, this);
    }

    public string Name { get; }

    public TimeProvider Time => _fleet.Time;

    public DateTimeOffset Now => _fleet.Time.GetUtcNow();

    /// <summary>The engine while the device is on and has joined.</summary>
    public DeviceEngine? Engine { get; private set; }

    /// <summary>When the service last answered a check-in; null where it has not since the fleet was started.</summary>
    public DateTimeOffset? HeardAt { get; set; }

    public bool HasJoined => _identity is not null;

    /// <summary>Work is in hand: the clock should go in small steps.</summary>
    public bool IsAtWork => Engine?.State.Current is not null;

    /// <summary>Whether all that could be done by now is done, and the device waits for the clock.</summary>
    public bool IsIdle
    {
        get
        {
            if (_isRemoved)
            {
                return true;
            }

            var now = Now;
            var sleeping = Volatile.Read(ref _sleeping);
            if (sleeping > 0 && Volatile.Read(ref _sleepsUntil) <= now.UtcTicks)
            {
                return false;
            }

            return Engine is { } engine ? engine.Busy <= sleeping && !(engine.RestsUntil <= now) : sleeping > 0;
        }
    }

    /// <summary>Takes a line of the record over, when the fleet is started again.</summary>
    public void Replay(RecordLine line)
    {
        switch (line.What)
        {
            case "made":
                _key = Convert.FromBase64String(line.Key!);
                break;
            case "joined":
                _identity = line.Identity;
                break;
            case "died":
                _deadUntil = line.Until;
                break;
            case "started":
                _machine.Start();
                break;
            case "journal":
                _machine.Remember(line.Entry!);
                break;
            case "content":
                _content.Replay(line.Name!);
                break;
            case "step-began":
                _machine.Remember(line.Attempt!, line.Step!, null);
                _steps.Begun(line.App!, line.Version!);
                break;
            default:
                if (line.What == "step-ended")
                {
                    _machine.Remember(line.Attempt!, line.Step!, line.Code);
                }

                _machine.Change(line.Put ?? new Dictionary<string, string>(), line.Gone ?? [], line.Later);
                _user.Replay(line);
                break;
        }
    }

    /// <summary>Writes into the record.</summary>
    public RecordLine Write(string what, Func<RecordLine, RecordLine> with)
    {
        var line = with(new RecordLine(Now, Name, what));
        _fleet.Record.Write(line);
        return line;
    }

    /// <summary>The service has called, and is about to be answered.</summary>
    public void Hailed() => _fleet.Hailed();

    /// <summary>
    /// How long it is until then, as a timer can be set for: nothing where the clock was stepped past it, at most <see cref="LongestTimer"/>, and in whole
    /// milliseconds, rounded up. Timers cut off what is less, and whoever wakes a moment too soon on a clock that stands still would only turn round.
    /// </summary>
    public TimeSpan Left(DateTimeOffset until) =>
        TimeSpan.FromMilliseconds(Math.Ceiling(Math.Clamp((until - Now).TotalMilliseconds, 0, LongestTimer.TotalMilliseconds)));

    /// <summary>Lets a length of time pass, in a way that whoever leads the clock knows of.</summary>
    /// <param name="length">How long; of a longer one only <see cref="LongestTimer"/> passes.</param>
    public async Task Sleep(TimeSpan length, CancellationToken cancellation)
    {
        length = length < LongestTimer ? length : LongestTimer;
        // The timer is set before the sleep is told of: the clock must not be stepped between the two. The sleep ends no sooner than the timer, since whoever
        // leads the clock waits for the device from then on.
        var delay = Task.Delay(length, Time, cancellation);
        Volatile.Write(ref _sleepsUntil, (Now + length).UtcTicks);
        Interlocked.Increment(ref _sleeping);
        try
        {
            await delay;
        }
        finally
        {
            Interlocked.Decrement(ref _sleeping);
        }
    }

    /// <summary>The device loses power and stays off for a while.</summary>
    public void Die(TimeSpan length)
    {
        _deadUntil = Write("died", line => line with { Until = line.At + length }).Until;
        _power?.Cancel();
    }

    /// <summary>Plays the device until cancelled.</summary>
    public async Task Live(CancellationToken cancellation)
    {
        while (true)
        {
            if (Left(NextOn()) is var rest && rest > TimeSpan.Zero)
            {
                await Sleep(rest, cancellation);
                continue;
            }

            using var power = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
            _power = power;
            Write("started", line => line);
            _isSwitchedOff = false;
            _machine.Start();
            using var off = NextOff() is { } at ? Time.CreateTimer(_ => Cut(power), null, Left(at), Timeout.InfiniteTimeSpan) : null;
            try
            {
                await Work(power.Token);
            }
            catch (Exception error) when (error is PowerCutException || (error is OperationCanceledException && !cancellation.IsCancellationRequested))
            {
                // Switched off, restarted, or died.
            }
            catch (LinkException error) when (error.IsGone && HasJoined)
            {
                // Somebody has removed it from the service; the others play on.
                _isRemoved = true;
                return;
            }
            finally
            {
                Engine = null;
                _power = null;
                _isSwitchedOff = true;
                _machine.Cut();
            }
        }
    }

    private static IReadOnlyList<string>? Some(IReadOnlyList<string>? files) => files is { Count: > 0 } ? files : null;

    private static IReadOnlyDictionary<string, string>? Some(IReadOnlyDictionary<string, string>? files) => files is { Count: > 0 } ? files : null;

    private static void Cut(CancellationTokenSource power)
    {
        try
        {
            power.Cancel();
        }
        catch (ObjectDisposedException)
        {
            // It is off already.
        }
    }

    private async Task Work(CancellationToken cancellation)
    {
        using var key = Key();
        var link = new HttpLink(_fleet.Http, key, Time) { Lines = _fleet.Lines };
        _identity ??= await Join(link, key, cancellation);
        link.DeviceId = _identity.DeviceId;
        Engine = new DeviceEngine(
            new DeviceParts(
                _machine, _machine, _machine, _facts, _user, _machine, _machine, _machine, () => new PlayedGround(_machine),
                new PlayedLink(link, this, _kind, _fleet.Script, _chance), new PlayedTrust(), _content, _machine, Time, _ => { })
            {
                Clocks = Zones.Of(_machine.Facts.GetValueOrDefault("zone", "")) ?? (_ => TimeSpan.Zero),
            },
            _identity);
        await Engine.Run(cancellation);
        cancellation.ThrowIfCancellationRequested();
        throw new LinkException($"{Name} is not enrolled any more.", 410);
    }

    private async Task<DeviceIdentity> Join(HttpLink link, ECDsa key, CancellationToken cancellation)
    {
        var code = _fleet.Codes.GetValueOrDefault(_kind.Joins ?? "unsorted")
            ?? throw new InvalidOperationException($"There is no join code for '{_kind.Joins ?? "unsorted"}'.");
        while (true)
        {
            await _fleet.Joining.WaitAsync(cancellation);
            try
            {
                var answer = await link.Join(new JoinRequest(DeviceProtocol.Version, code, HttpLink.PublicOf(key), Name, _facts.Gather()), cancellation);
                return Write(
                    "joined",
                    line => line with { Identity = new DeviceIdentity(answer.DeviceId, answer.Name, answer.TrustedKeys, answer.CheckInSeconds) }).Identity!;
            }
            catch (LinkException error) when (error.Status is 0 or 429 or >= 500)
            {
                // Tried again below, when others had their turn.
            }
            finally
            {
                _fleet.Joining.Release();
            }

            await Sleep(JoinAgain, cancellation);
        }
    }

    private ECDsa Key()
    {
        var key = ECDsa.Create();
        if (_key is not null)
        {
            key.ImportPkcs8PrivateKey(_key, out _);
            return key;
        }

        key.GenerateKey(ECCurve.NamedCurves.nistP256);
        _key = key.ExportPkcs8PrivateKey();
        Write("made", line => line with { Key = Convert.ToBase64String(_key) });
        return key;
    }

    /// <summary>When the device is switched on next, or now; spread over some minutes, as people come.</summary>
    private DateTimeOffset NextOn()
    {
        var now = Now;
        if (_deadUntil > now)
        {
            return _deadUntil.Value;
        }

        if (_kind.On.IsAlways)
        {
            return now;
        }

        for (var day = DateOnly.FromDateTime(now.UtcDateTime); ; day = day.AddDays(1))
        {
            if (!_kind.On.Days.Contains(day.DayOfWeek))
            {
                continue;
            }

            var (from, to) = OnDay(day);
            if (now < to)
            {
                return now < from ? from : now;
            }
        }
    }

    private DateTimeOffset? NextOff()
    {
        var now = Now;
        var day = DateOnly.FromDateTime(now.UtcDateTime);
        DateTimeOffset? off = _kind.On.IsAlways ? null : OnDay(day).To;
        if (_kind.Restarts is { } time)
        {
            var at = At(day, time) + (TimeSpan.FromMinutes(20) * _chance.Share(Name + "/restart"));
            at = at > now ? at : at.AddDays(1);
            off = off < at ? off : at;
        }

        return off;
    }

    private (DateTimeOffset From, DateTimeOffset To) OnDay(DateOnly day) =>
        (At(day, _kind.On.From) + (TimeSpan.FromMinutes(25) * _chance.Share($"{Name}/on/{day.DayNumber}")), At(day, _kind.On.To) - (
            TimeSpan.FromMinutes(25) * _chance.Share($"{Name}/off/{day.DayNumber}")));

    private static DateTimeOffset At(DateOnly day, TimeOnly time) => new(day.ToDateTime(time), TimeSpan.Zero);
}
