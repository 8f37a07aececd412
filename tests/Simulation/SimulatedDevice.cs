using Bandejo.Contract.Device;
using Bandejo.Device;
using Bandejo.Device.Trials;
using Bandejo.Played;

namespace Bandejo.Simulation.Tests;

/// <summary>A played machine with the real device engine on it, and the way between it and the service with all that goes wrong there.</summary>
internal sealed class SimulatedDevice : IServiceLink, IServiceTrust, ITrialGround
{
    private static readonly TimeSpan JoinAgain = TimeSpan.FromMinutes(5);

    private readonly Simulation _simulation;
    private readonly DeviceClock _clock;
    private readonly Dictionary<string, int> _tries = new(StringComparer.Ordinal);
    private CancellationTokenSource? _life;
    private TaskCompletionSource _hail = new();
    private int _messages;
    private int _attempts;
    private int _keys;
    private int _lives;

    public SimulatedDevice(Simulation simulation, int number)
    {
        _simulation = simulation;
        _clock = new DeviceClock(simulation.Clock);
        var name = $"DESK-{number:000}";
        Machine = new PlayedMachine(name, _clock, Play);
        Machine.Facts["kind"] = simulation.Chance.Share($"{name}/kind") < 0.6 ? "desktop" : "laptop";
        Machine.Facts["site"] = simulation.Chance.Share($"{name}/site") < 0.5 ? "ALD" : "BRO";
        Machine.Facts["zone"] = Machine.Facts["site"] == "ALD" ? "Europe/Lisbon" : "America/Sao_Paulo";
        if (simulation.Chance.Share($"{name}/resets") < 0.12)
        {
            Machine.Facts["resets"] = "03:30";
        }

        Machine.Facts["memory"] = simulation.Chance.Share($"{name}/memory") < 0.8 ? "17179869184" : "4294967296";
        Machine.IsSignedIn = simulation.Chance.Share($"{name}/signed-in") < 0.5;
        Machine.Kept = entry => simulation.Watch.Journal(this, entry);
        Machine.Begun = run => simulation.Watch.StepBegins(this, run);
        Machine.Restarting = () =>
        {
            simulation.Say($"{name} restarts");
            simulation.Watch.Restarts(this);
            Machine.Cut();
        };
        Machine.Died = () =>
        {
            simulation.Say($"{name} loses power");
            simulation.Watch.Count("power");
            End();
            var longest = simulation.IsResting || simulation.Chance.Share($"{name}/off/{_lives}/long") < 0.8
                ? TimeSpan.FromMinutes(10)
                : TimeSpan.FromHours(20);
            var off = simulation.Chance.Between($"{name}/off/{_lives}", TimeSpan.FromSeconds(20), longest);
            simulation.Clock.At(simulation.Clock.Now + off, Start);
        };
    }

    public PlayedMachine Machine { get; }

    public string Name => Machine.Name;

    /// <summary>When its power came last.</summary>
    public DateTimeOffset SwitchedOnAt { get; private set; }

    /// <summary>Who it is; null before it joined.</summary>
    public DeviceIdentity? Identity { get; private set; }

    public DeviceEngine? Engine { get; private set; }

    /// <summary>It was removed from the service, and its agent has ended.</summary>
    public bool IsGone { get; private set; }

    /// <summary>The service cannot be reached before.</summary>
    public DateTimeOffset AwayUntil { get; set; }

    /// <summary>So many answers are lost on the way, after the service has taken what was said.</summary>
    public int AnswersLost { get; set; }

    /// <summary>So many check-ins arrive twice.</summary>
    public int Doubled { get; set; }

    /// <summary>The next check-in arrives once more, much later.</summary>
    public TimeSpan? ComesAgain { get; set; }

    public TimeSpan Ahead => _clock.Ahead;

    string? IServiceTrust.Tag => null;

    string ITrialGround.Name => "The device";

    /// <summary>Its power comes, or its agent is started.</summary>
    public void Start()
    {
        if (IsGone || _life is not null)
        {
            return;
        }

        if (!Machine.IsOn)
        {
            Machine.Start();
            SwitchedOnAt = _simulation.Clock.Now;
        }

        _lives++;
        _simulation.Say($"{Name} starts");
        _life = new CancellationTokenSource();
        _ = Live(_life.Token);
    }

    /// <summary>Its agent ends, and is started again; the machine goes on.</summary>
    public void EndAgent(TimeSpan until)
    {
        if (Machine.IsOn && _life is not null)
        {
            _simulation.Say($"{Name}'s agent ends");
            End();
            _simulation.Clock.At(_simulation.Clock.Now + until, () =>
            {
                if (Machine.IsOn)
                {
                    Start();
                }
            });
        }
    }

    /// <summary>Its clock jumps.</summary>
    public void Jump(TimeSpan by)
    {
        _clock.Ahead += by;
        _simulation.Watch.Jumped(this);
    }

    /// <summary>Once it is gone from the service it joins anew, as one that nobody knows.</summary>
    public void JoinAnew()
    {
        // Whoever sets an agent up anew has started the machine anew, too: nothing of the old one runs there any more.
        if (IsGone && Machine is { IsOn: true, IsAtWork: false })
        {
            (IsGone, Identity) = (false, null);
            Machine.Replace(new Whole(new DeviceState()));
            Start();
        }
    }

    /// <summary>The service calls it.</summary>
    public void Hail()
    {
        if (!IsAway)
        {
            _hail.TrySetResult();
        }
    }

    private bool IsAway => _simulation.Clock.Now < AwayUntil;

    private void End()
    {
        var life = _life;
        (_life, Engine) = (null, null);
        life?.Cancel();
    }

    private async Task Live(CancellationToken cancellation)
    {
        var life = _lives;
        try
        {
            while (Identity is null)
            {
                try
                {
                    var answer = await Join(
                        new JoinRequest(DeviceProtocol.Version, "code", new PublicKeyInfo($"{Name}-{_keys}", "x", "y"), Name, Machine.Gather()), cancellation);
                    Identity = new DeviceIdentity(answer.DeviceId, answer.Name, answer.TrustedKeys, answer.CheckInSeconds);
                    _keys++;
                }
                catch (LinkException)
                {
                    await Task.Delay(JoinAgain, _clock, cancellation);
                }
            }

            _simulation.Watch.Starts(this);
            Engine = new DeviceEngine(
                new DeviceParts(
                    Machine, Machine, Machine, Machine, Machine, Machine, Machine, Machine, () => this, this, this, Machine, Machine, _clock,
                    says => _simulation.Say($"{Name}: {says}"))
                {
                    Clocks = Core.Calendars.Zones.Of(Machine.Facts["zone"])!,
                    NewId = _ => $"{Name.Replace("-", "", StringComparison.Ordinal)}x{_attempts++:x6}",
                },
                Identity);
            await Engine.Run(cancellation);
            if (life == _lives && !cancellation.IsCancellationRequested)
            {
                // The service does not know it any more.
                _simulation.Say($"{Name} is gone from the service");
                (IsGone, _life, Engine) = (true, null, null);
            }
        }
        catch (Exception error) when (error is OperationCanceledException or PowerCutException)
        {
            // The power went, or the agent was ended.
        }
        catch (Exception error)
        {
            _simulation.Find(new Breach("no agent fails", $"{Name}: {error}"));
        }
    }

    public async Task<JoinAnswer> Join(JoinRequest request, CancellationToken cancellation)
    {
        await OnTheWay(cancellation);
        var answer = await _simulation.Service.Join(request);
        await OnTheWayBack(cancellation);
        return answer;
    }

    public async Task<CheckInAnswer> CheckIn(CheckInRequest request, CancellationToken cancellation)
    {
        await OnTheWay(cancellation);
        var id = Identity!.DeviceId;
        if (ComesAgain is { } later)
        {
            ComesAgain = null;
            _simulation.Clock.At(_simulation.Clock.Now + later, () => _ = ComeAgain(id, request));
        }

        if (Doubled > 0)
        {
            Doubled--;
            _ = ComeAgain(id, request);
        }

        var answer = await _simulation.Service.CheckIn(id, request);
        await OnTheWayBack(cancellation);
        _simulation.Watch.Hears(this, request, answer);
        return answer;
    }

    public async Task AwaitHail(CancellationToken cancellation)
    {
        if (!_simulation.History.Hails)
        {
            await Task.Delay(Timeout.InfiniteTimeSpan, _clock, cancellation);
        }

        _hail = new TaskCompletionSource();
        await _hail.Task.WaitAsync(cancellation);
        await OnTheWayBack(cancellation);
    }

    public async Task Fetch(string sha256, long most, IContentCache cache, FetchPace? pace, CancellationToken cancellation)
    {
        await OnTheWay(cancellation);
        _simulation.Say($"{Name} fetches {sha256[..8]}");
        _simulation.Watch.Fetches(this, sha256);
        byte[] content;
        try
        {
            content = _simulation.Service.Fetch(Identity!.DeviceId, sha256) ?? throw new LinkException("No order of this device names this file.", 404);
            await Task.Delay(
                _simulation.Chance.Between($"{Name}/fetch/{_messages++}", TimeSpan.FromMilliseconds(50), TimeSpan.FromMinutes(
                    _simulation.Chance.Share($"{Name}/slow/{_messages}") < 0.2 ? 20 : 1)),
                _clock, cancellation);
        }
        finally
        {
            _simulation.Watch.Fetched(this);
        }

        Reach();
        await using (var part = cache.AppendPart(sha256))
        {
            part.Write(content);
        }

        cache.Complete(sha256);
    }

    public async Task SendLog(string attempt, Stream log, CancellationToken cancellation)
    {
        await OnTheWay(cancellation);
        await Task.Delay(
            _simulation.Chance.Between($"{Name}/log/{_messages++}", TimeSpan.FromMilliseconds(20), TimeSpan.FromMinutes(
                _simulation.Chance.Share($"{Name}/slow/{_messages}") < 0.2 ? 20 : 1)),
            _clock, cancellation);
        Reach();
    }

    void IServiceTrust.Take(TrustInfo trust)
    {
        // Nobody is pinned.
    }

    IReadOnlyList<ChangedFile> ITrialGround.Changes() => [];

    string? ITrialGround.Now(string path) => null;

    IReadOnlyList<string> ITrialGround.Waiting() => [];

    private async Task ComeAgain(string id, CheckInRequest request)
    {
        try
        {
            await _simulation.Service.CheckIn(id, request);
        }
        catch (LinkException)
        {
            // Nobody hears the answer.
        }
    }

    private async Task OnTheWay(CancellationToken cancellation)
    {
        Reach();
        await Task.Delay(
            _simulation.Chance.Between($"{Name}/way/{_messages++}", TimeSpan.FromMilliseconds(2), TimeSpan.FromMilliseconds(400)), _clock, cancellation);
        Reach();
    }

    private async Task OnTheWayBack(CancellationToken cancellation)
    {
        await Task.Delay(
            _simulation.Chance.Between($"{Name}/way/{_messages++}", TimeSpan.FromMilliseconds(2), TimeSpan.FromMilliseconds(400)), _clock, cancellation);
        if (AnswersLost > 0)
        {
            AnswersLost--;
            throw new LinkException("The answer was lost on the way.", 0);
        }

        Reach();
    }

    private void Reach()
    {
        if (IsAway)
        {
            throw new LinkException("There is no network where the device is.", 0);
        }
    }

    /// <summary>How a step goes: mostly well, and otherwise as installers do.</summary>
    private StepPlay Play(StepRun run)
    {
        string app = run.Environment["BANDEJO_APP"], version = run.Environment["BANDEJO_VERSION"];
        var file = new Dictionary<string, string> { [PlayedMachine.VersionFile(app)] = version };
        var tries = _tries[$"{app}/{version}/{run.Command[0]}"] = _tries.GetValueOrDefault($"{app}/{version}/{run.Command[0]}") + 1;
        var takes = _simulation.Chance.Between($"{Name}/takes/{run.Attempt}/{run.Name}", TimeSpan.FromSeconds(2), TimeSpan.FromMinutes(6));
        if (run.Command[0] == "remove")
        {
            return new StepPlay(takes, 0) { Gone = [.. file.Keys] };
        }

        // Of an app in a version some devices never take it, and some not at once.
        var trouble = _simulation.Chance.Share($"{Name}/{app}/{version}") + (tries > 2 ? 0.1 : 0);
        return trouble switch
        {
            < 0.04 => new StepPlay(takes, 9) { Says = "it cannot be written" },
            < 0.07 => new StepPlay(takes, 9) { Gone = [.. file.Keys], Says = "it broke half-way" },
            < 0.10 => new StepPlay(takes, 0),
            < 0.13 => new StepPlay(TimeSpan.FromHours(30), 0),
            < 0.17 when tries <= 2 => new StepPlay(takes, 1618),
            < 0.24 => new StepPlay(takes, 3010) { Later = file },
            _ => new StepPlay(takes, 0) { Put = file },
        };
    }
}
