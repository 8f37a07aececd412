using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;

namespace Bandejo.Device;

/// <summary>Restarts the device where orders need it and say so: once for all of them.</summary>
internal sealed class Restarts(DeviceParts parts, DeviceJournalKeeper journal, OrderHours hours)
{
    /// <summary>So long before it goes down those who are signed in are told.</summary>
    private static readonly TimeSpan Notice = TimeSpan.FromMinutes(15);

    /// <summary>So long after it was to go down, a restart did not happen.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(10);

    /// <summary>Until when nothing is begun, since the device is about to go down; null where it is not.</summary>
    public DateTimeOffset? GoesDown(DateTimeOffset now) =>
        journal.State.Restart is { } asked && asked.BootId == parts.Facts.BootId && now < asked.GoesAt + Patience && asked.GoesAt - now <= Notice
            ? asked.GoesAt + Patience
            : null;

    /// <summary>Restarts the device where that is due.</summary>
    /// <param name="waits">Is added to for what restarts wait, by deployment.</param>
    /// <returns>When to look again; null where nothing is set.</returns>
    public DateTimeOffset? Look(DateTimeOffset now, List<WaitReport> waits)
    {
        var state = journal.State;
        var waiting = state.Orders.Where(order => state.Progress.GetValueOrDefault(DeviceState.KeyOf(order))?.WaitsForBoot == parts.Facts.BootId).ToList();

        // One that may not start, or was not confirmed for long, holds the others back as well: its software is part of what a restart brings into force.
        var needs = new List<RestartNeed>();
        foreach (var order in waiting)
        {
            if (!order.MayStart || !state.IsLeased(order, now) || hours.TableOf(state.Calendars, order, now) is not { } table)
            {
                continue;
            }

            var progress = state.Progress[DeviceState.KeyOf(order)];
            needs.Add(new RestartNeed(
                OrderWords.Restart(order), progress.NeedsRestartSince ?? now, table, order.AtOnce, order.AtDeadline ? order.Deadline : null));
        }

        if (needs.Count == 0 || needs.Count < waiting.Count)
        {
            return null;
        }

        var isSignedIn = parts.User.IsSignedIn;
        var says = Restarting.At(needs, isSignedIn, now);
        if (says.IsNow)
        {
            return Ask(now, isSignedIn ? Notice : TimeSpan.Zero, waiting);
        }

        waits.AddRange(waiting.Select(order => new WaitReport(order.Deployment, says.ToString(), says.Until)));
        return says.Why == RestartHeld.SignedIn && !(says.Until < now + DeviceEngine.WaitPause) ? now + DeviceEngine.WaitPause : says.Until;
    }

    private DateTimeOffset Ask(DateTimeOffset now, TimeSpan notice, IReadOnlyList<Order> waiting)
    {
        if (journal.State.Restart is { } before && before.BootId == parts.Facts.BootId)
        {
            parts.Says(string.Create(
                CultureInfo.InvariantCulture, $"A restart was asked for and did not happen by {before.GoesAt + Patience:u}; it is asked for again"));
        }

        var apps = string.Join(", ", waiting.Select(order => $"{order.Package.App} {order.Package.Version}").Distinct());
        journal.Append(new RestartAsked(parts.Facts.BootId, now + notice));
        parts.Says($"Restart for {apps}{(notice > TimeSpan.Zero ? $", in {notice.TotalMinutes:0} minutes" : "")}");
        parts.Power.Restart(notice, $"This device restarts to complete {apps}.");
        return now + notice + Patience;
    }
}
