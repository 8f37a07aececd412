using System.Globalization;
using Bandejo.Clock;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Server.Time;

/// <summary>The time that the service goes by: the real one, or a demo clock's.</summary>
internal sealed class ServiceClock(string? file, DemoClock? demo)
{
    public bool IsDemo => demo is not null;

    /// <summary>How many times as fast as the real time it runs.</summary>
    public double Speed => demo?.Reading.Speed ?? 1;

    /// <summary>The clock as it is answered. A goal that nobody leads to any more is reached at once.</summary>
    public ClockInfo Info()
    {
        if (file is not null && demo?.Reading.Goal is not null && !ClockFile.IsLed(file))
        {
            ClockFile.Change(file, (before, real) => before.Goal is { } goal ? new ClockReading(goal, real, before.Speed) : before);
            demo.Reread();
        }

        return new ClockInfo(demo?.GetUtcNow() ?? TimeProvider.System.GetUtcNow(), Speed, IsDemo, demo?.Reading.Goal);
    }

    /// <summary>Takes over what others did to the clock, at once.</summary>
    public void Reread() => demo?.Reread();

    /// <summary>Sets the clock. Where somebody leads it, it is led to the moment asked for; otherwise it jumps there.</summary>
    public Outcome<ClockReading> Set(ClockRequest request)
    {
        if (file is null || demo is null)
        {
            return new Failure(
                ErrorKind.Conflict,
                "This service goes by the real time. A clock that can be set is for demonstrations: start the service with --demo-clock FILE.");
        }

        if (request.Speed is < 0 or > ClockReading.MaxSpeed)
        {
            return new Failure(ErrorKind.Invalid, string.Create(
                CultureInfo.InvariantCulture, $"The speed is 0 to {ClockReading.MaxSpeed:0} times that of the real time."));
        }

        var length = TimeSpan.Zero;
        if (request.Advance is { } advance && !Units.TryParseDuration(advance, out length))
        {
            return new Failure(ErrorKind.Invalid, $"'{advance}' is not a length of time such as 2h or 3d.");
        }

        if (request.To is { } moment && moment < demo.GetUtcNow())
        {
            return new Failure(ErrorKind.Invalid, $"The clock goes forward only; it is {demo.GetUtcNow():yyyy-MM-dd HH:mm} UTC already.");
        }

        var isLed = ClockFile.IsLed(file);
        var reading = ClockFile.Change(file, (before, real) =>
        {
            var now = before.Now(real);
            var to = request.To ?? now + length;
            return isLed && to > now
                ? new ClockReading(now, real, request.Speed ?? before.Speed, to)
                : new ClockReading(to > now ? to : now, real, request.Speed ?? before.Speed, before.Goal > to ? before.Goal : null);
        });
        demo.Reread();
        return reading;
    }
}
