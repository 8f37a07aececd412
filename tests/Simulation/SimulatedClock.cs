namespace Bandejo.Simulation.Tests;

/// <summary>
/// A clock that moves only when it is told to, to the next moment that somebody waits for. Timers of one moment come in the order in which they were set.
/// </summary>
internal sealed class SimulatedClock(DateTimeOffset from) : TimeProvider
{
    private readonly PriorityQueue<(Timer Timer, int Setting), (long At, long Order)> _timers = new();
    private long _order;

    public DateTimeOffset Now { get; private set; } = from;

    public override long TimestampFrequency => TimeSpan.TicksPerSecond;

    public override DateTimeOffset GetUtcNow() => Now;

    public override long GetTimestamp() => Now.UtcTicks;

    public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period)
    {
        var timer = new Timer(this, callback, state);
        timer.Change(dueTime, period);
        return timer;
    }

    /// <summary>Does something at a moment.</summary>
    public void At(DateTimeOffset moment, Action act) => CreateTimer(_ => act(), null, moment > Now ? moment - Now : TimeSpan.Zero, Timeout.InfiniteTimeSpan);

    /// <summary>Goes to the next moment that somebody waits for, no later than <paramref name="end"/>, and fires its first timer.</summary>
    /// <returns>False, and the clock is at the end, where nobody waits until then.</returns>
    public bool Step(DateTimeOffset end)
    {
        while (_timers.TryPeek(out var next, out var when) && when.At <= end.UtcTicks)
        {
            _timers.Dequeue();
            if (next.Timer.Setting == next.Setting)
            {
                Now = new DateTimeOffset(Math.Max(when.At, Now.UtcTicks), TimeSpan.Zero);
                next.Timer.Fire();
                return true;
            }
        }

        Now = end;
        return false;
    }

    private sealed class Timer(SimulatedClock clock, TimerCallback callback, object? state) : ITimer
    {
        private TimeSpan _period;

        /// <summary>Which of its settings holds: each change makes those before it void.</summary>
        public int Setting { get; private set; }

        public bool Change(TimeSpan dueTime, TimeSpan period)
        {
            Setting++;
            _period = period;
            if (dueTime >= TimeSpan.Zero)
            {
                clock._timers.Enqueue((this, Setting), (clock.Now.UtcTicks + dueTime.Ticks, clock._order++));
            }

            return true;
        }

        public void Fire()
        {
            if (_period > TimeSpan.Zero)
            {
                Change(_period, _period);
            }
            else
            {
                Setting++;
            }

            callback(state);
        }

        public void Dispose() => Setting++;

        public ValueTask DisposeAsync()
        {
            Dispose();
            return ValueTask.CompletedTask;
        }
    }
}

/// <summary>The clock of one device: it may be wrong, and jump.</summary>
internal sealed class DeviceClock(SimulatedClock clock) : TimeProvider
{
    /// <summary>By how much it is ahead.</summary>
    public TimeSpan Ahead { get; set; }

    public override long TimestampFrequency => clock.TimestampFrequency;

    public override DateTimeOffset GetUtcNow() => clock.Now + Ahead;

    public override long GetTimestamp() => clock.GetTimestamp();

    public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period) =>
        clock.CreateTimer(callback, state, dueTime, period);
}
