namespace Bandejo.Clock;

/// <summary>
/// A clock that several processes follow together, and that can run fast, stand still or be stepped. Timers fire when the demo time they wait for has come,
/// also when it comes by a step; a periodic timer that missed several of its times fires once.
/// </summary>
public sealed class DemoClock : TimeProvider, IDisposable
{
    /// <summary>How soon a change of the file is seen where the system's own word of it is missed.</summary>
    private static readonly TimeSpan LookAgain = TimeSpan.FromMilliseconds(500);

    private readonly string _file;
    private readonly Lock _lock = new();
    private readonly PriorityQueue<(DemoTimer Timer, int Setting), long> _timers = new();
    private readonly AutoResetEvent _changed = new(false);
    private readonly FileSystemWatcher? _watcher;
    private readonly Thread _thread;
    private ClockReading _reading;
    private DateTime _written;
    private volatile bool _isEnding;

    private DemoClock(string file)
    {
        _file = Path.GetFullPath(file);
        _written = File.GetLastWriteTimeUtc(_file);
        _reading = ClockFile.Read(_file);
        try
        {
            _watcher = new FileSystemWatcher(
                Path.GetDirectoryName(_file)!, Path.GetFileName(_file)) { NotifyFilter = NotifyFilters.FileName | NotifyFilters.LastWrite };
            _watcher.Renamed += (_, _) => Reread();
            _watcher.Changed += (_, _) => Reread();
            _watcher.EnableRaisingEvents = true;
        }
        catch (IOException)
        {
            // The system has no watches left; looking at the file now and then must do.
            _watcher = null;
        }

        _thread = new Thread(Run) { IsBackground = true, Name = "demo clock" };
        _thread.Start();
    }

    /// <summary>Raised after the clock was stepped or its speed changed.</summary>
    public event Action? Changed;

    /// <summary>How the clock runs.</summary>
    public ClockReading Reading => Volatile.Read(ref _reading);

    /// <summary>When the next timer is due; null where none is set.</summary>
    public DateTimeOffset? NextDue
    {
        get
        {
            lock (_lock)
            {
                while (_timers.TryPeek(out var next, out var at))
                {
                    if (next.Setting == next.Timer.Setting)
                    {
                        return new DateTimeOffset(at, TimeSpan.Zero);
                    }

                    _timers.Dequeue();
                }

                return null;
            }
        }
    }

    public override long TimestampFrequency => TimeSpan.TicksPerSecond;

    /// <summary>Follows a clock file.</summary>
    /// <exception cref="IOException">There is no such file, or it is not a clock.</exception>
    public static DemoClock Follow(string file) => new(file);

    public override DateTimeOffset GetUtcNow() => Reading.Now(System.GetUtcNow());

    public override long GetTimestamp() => GetUtcNow().UtcTicks;

    public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period)
    {
        var timer = new DemoTimer(this, callback, state);
        timer.Change(dueTime, period);
        return timer;
    }

    /// <summary>Looks at the file now; whoever has just changed it need not wait for the word of it.</summary>
    public void Reread()
    {
        ClockReading reading;
        try
        {
            reading = ClockFile.Read(_file);
        }
        catch (IOException)
        {
            // It is being put in place at this moment; the next look finds it.
            return;
        }

        if (Interlocked.Exchange(ref _reading, reading) != reading)
        {
            _changed.Set();
            Changed?.Invoke();
        }
    }

    public void Dispose()
    {
        if (_isEnding)
        {
            return;
        }

        _isEnding = true;
        _watcher?.Dispose();
        _changed.Set();
        _thread.Join();
        _changed.Dispose();
    }

    private void Run()
    {
        while (!_isEnding)
        {
            var wait = LookAgain;
            var due = new List<DemoTimer>();
            lock (_lock)
            {
                var now = GetUtcNow();
                while (_timers.TryPeek(out var next, out var at))
                {
                    if (next.Setting == next.Timer.Setting)
                    {
                        if (at > now.UtcTicks)
                        {
                            var reading = Reading;
                            if (reading is { Goal: null, Speed: > 0 })
                            {
                                var real = TimeSpan.FromTicks((long)((at - now.UtcTicks) / reading.Speed));
                                wait = real < wait ? real : wait;
                            }

                            break;
                        }

                        if (next.Timer.Fired(next.Setting, now))
                        {
                            due.Add(next.Timer);
                        }
                    }

                    _timers.Dequeue();
                }
            }

            foreach (var timer in due)
            {
                timer.Call();
            }

            // Whole milliseconds, rounded up: a wait that is too short would only turn the loop.
            if (!_changed.WaitOne((int)Math.Ceiling(wait.TotalMilliseconds)) && File.GetLastWriteTimeUtc(_file) is var written && written != _written)
            {
                _written = written;
                Reread();
            }
        }
    }

    private void Enqueue(DemoTimer timer, int setting, DateTimeOffset at)
    {
        lock (_lock)
        {
            var isSoonest = !_timers.TryPeek(out _, out var first) || at.UtcTicks < first;
            _timers.Enqueue((timer, setting), at.UtcTicks);
            if (isSoonest)
            {
                _changed.Set();
            }
        }
    }

    private sealed class DemoTimer(DemoClock clock, TimerCallback callback, object? state) : ITimer
    {
        private readonly ExecutionContext? _context = ExecutionContext.Capture();
        private TimeSpan _period = Timeout.InfiniteTimeSpan;
        private int _setting;

        /// <summary>Raised by every change, so that an earlier due time is known to be over.</summary>
        public int Setting => Volatile.Read(ref _setting);

        public bool Change(TimeSpan dueTime, TimeSpan period)
        {
            var setting = Interlocked.Increment(ref _setting);
            _period = period;
            if (dueTime != Timeout.InfiniteTimeSpan)
            {
                clock.Enqueue(this, setting, clock.GetUtcNow() + dueTime);
            }

            return true;
        }

        /// <summary>
        /// The time of a setting has come; called under the clock's lock. False where it was set anew at this very moment: what it was set to counts then.
        /// </summary>
        public bool Fired(int setting, DateTimeOffset now)
        {
            if (Interlocked.CompareExchange(ref _setting, setting + 1, setting) != setting)
            {
                return false;
            }

            if (_period > TimeSpan.Zero)
            {
                clock._timers.Enqueue((this, setting + 1), (now + _period).UtcTicks);
            }

            return true;
        }

        public void Call() => ThreadPool.UnsafeQueueUserWorkItem(
            static timer =>
            {
                if (timer._context is null)
                {
                    timer.Invoke();
                }
                else
                {
                    ExecutionContext.Run(timer._context, static each => ((DemoTimer)each!).Invoke(), timer);
                }
            },
            this, preferLocal: false);

        public void Dispose() => Interlocked.Increment(ref _setting);

        public ValueTask DisposeAsync()
        {
            Dispose();
            return ValueTask.CompletedTask;
        }

        private void Invoke() => callback(state);
    }
}
