using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;

namespace Bandejo.Device;

/// <summary>
/// Tells whoever is signed in before something starts for its deadline alone, or programs are closed after it, and keeps the time that it promised: also over
/// an end of the agent. A start of the system is another: what was told before it is told again.
/// </summary>
internal sealed class Notices(DeviceParts parts, DeviceJournalKeeper journal, OrderHours hours, PackageKeeper packages, StartChecks checks)
{
    /// <summary>
    /// Tells of an order that its deadline will start, while calendars still hold it back.
    /// </summary>
    /// <returns>When to look again; null where nothing is to be told.</returns>
    public async Task<DateTimeOffset?> Ahead(DeviceState state, Order order, DateTimeOffset now, CancellationToken cancellation)
    {
        if (!IsOwed(order))
        {
            return null;
        }

        var says = Says(state, order, now);
        if (says.Step == NoticeStep.Tell && hours.Closed(state.Calendars, order, says.At) is null
            && await checks.InTheWay(state, order, cancellation) is null)
        {
            await Tell(order, says.At);
        }

        return says.At;
    }

    /// <summary>What an order that calendars let start waits for; null where it may start.</summary>
    public async Task<(string Why, DateTimeOffset Until)?> InTheWay(DeviceState state, Order order, DateTimeOffset now, CancellationToken cancellation)
    {
        if (!IsOwed(order) || now < order.Deadline || Says(state, order, now) is not { Step: not NoticeStep.Over } says
            || (hours.Closed(state.Calendars, order with { AtDeadline = false }, now) is null
                && !(order.ClosesPrograms && (await checks.InUse(order, cancellation)).Count > 0)))
        {
            return null;
        }

        if (says.Step == NoticeStep.Tell)
        {
            await Tell(order, says.At);
        }

        return ($"Its user was told that it starts at {Local(says.At)}", says.At);
    }

    /// <summary>
    /// Whether programs that an order has to close and that do not are ended: after its deadline, where nobody is signed in or whoever is was told and had the
    /// time that was promised.
    /// </summary>
    public bool MayEnd(Order order)
    {
        var now = parts.Time.GetUtcNow();
        return order.ClosesPrograms && now >= order.Deadline && (!parts.User.IsSignedIn || Promised(journal.State, order) <= now);
    }

    private bool IsOwed(Order order) =>
        order is { AtDeadline: true, Deadline: not null, NoticeSeconds: > 0, AtOnce: false } && order.Kind != "trial" && parts.User.IsSignedIn;

    private NoticeSays Says(DeviceState state, Order order, DateTimeOffset now) => new UserNotice(TimeSpan.FromSeconds(order.NoticeSeconds)).At(
        order.Deadline!.Value, Promised(state, order), now);

    /// <summary>When an order starts, as whoever is signed in was told since the system started; null where nobody was.</summary>
    private DateTimeOffset? Promised(DeviceState state, Order order) =>
        state.Notices.GetValueOrDefault(DeviceState.KeyOf(order)) is { } given && given.BootId == parts.Facts.BootId ? given.StartsAt : null;

    private async Task Tell(Order order, DateTimeOffset startsAt)
    {
        var document = await packages.Known(order.Package);
        var name = $"{document?.Name ?? order.Package.App} {order.Package.Version}";
        var closes = order.ClosesPrograms ? await checks.InUse(order, CancellationToken.None) : [];
        var does = order.Kind switch { "remove" => "is taken away from", "restore" => "goes back to what was before on", _ => "is put on" };
        var text = $"{name} {does} this device at {Local(startsAt)}."
            + (closes.Count == 0 ? "" : $" Save your work: {string.Join(", ", closes)} {(closes.Count == 1 ? "is" : "are")} closed for it then.");
        journal.Append(new NoticeGiven(DeviceState.KeyOf(order), startsAt, parts.Facts.BootId));
        parts.Says($"Told whoever is signed in: {text}");
        parts.User.Tell(text);
    }

    private string Local(DateTimeOffset moment) => (moment + parts.Clocks(moment)).ToString("ddd HH:mm", CultureInfo.InvariantCulture);
}
