using System.Globalization;
using Bandejo.Core.World;

namespace Bandejo.Core.Catalogue;

/// <summary>
/// After a service was restored from a backup: devices know of what happened in the time that is lost, and must not be taken back in it. What the service
/// numbers for them goes on well above whatever it may have given out then.
/// </summary>
public static class Restoring
{
    /// <summary>How many of each may have been given out in no time at all.</summary>
    private const int Least = 1000;

    /// <summary>What a restored service does before anything else.</summary>
    /// <param name="sign">Signs the list of withdrawn packages, by digest, with its number.</param>
    /// <returns>Whether there was anything to do.</returns>
    public static Outcome<bool> TakeUp(Decision decision, Func<long, IReadOnlyList<string>, string> sign)
    {
        var world = decision.World;
        if (world.SiteSettings.GetValueOrDefault(Restored.FromSetting) is not { Length: > 0 } from
            || !long.TryParse(from, NumberStyles.None, CultureInfo.InvariantCulture, out var ticks) || ticks > DateTimeOffset.MaxValue.UtcTicks)
        {
            return false;
        }

        // Nobody starts a deployment, tries a device again or withdraws a package more often than once a minute for long.
        var then = new DateTimeOffset(ticks, TimeSpan.Zero);
        var lost = decision.Now > then ? decision.Now - then : TimeSpan.Zero;
        var ahead = Least + (int)Math.Min(lost.TotalMinutes, 10_000_000);
        Set(Restored.OrderLeadSetting, Restored.OrderLead(world) + ahead);
        Set(
            Restored.LastDeploymentSetting,
            world.Deployments.Keys.Select(id => int.Parse(id.AsSpan(1), CultureInfo.InvariantCulture)).Append(Restored.LastDeployment(world)).Max() + ahead);
        PackageLives.List(decision, ahead, sign);
        decision.Do(new PutSetting(Restored.FromSetting, ""));
        var text = $"The service was restored to what it was {Rules.Units.FormatDuration(lost)} ago ({then.UtcDateTime:yyyy-MM-dd HH:mm} UTC). What was "
            + "decided after that is not known here; what devices did since then they tell when they check in.";
        decision.Event("journal", "restored", text);
        decision.Audit("service-restored", text);
        return true;

        void Set(string name, int number) => decision.Do(new PutSetting(name, number.ToString(CultureInfo.InvariantCulture)));
    }
}
