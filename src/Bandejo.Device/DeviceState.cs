using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>What the device knows, as the fold of its journal.</summary>
public sealed record DeviceState
{
    private static readonly string Waits = Core.Deployments.Attempts.Word(Core.Deployments.AttemptOutcome.Waits);

    public IReadOnlyList<Order> Orders { get; init; } = [];

    public string OrdersTag { get; init; } = "";

    /// <summary>When the orders were last confirmed by the service; leases run from here.</summary>
    public DateTimeOffset ConfirmedAt { get; init; }

    /// <summary>Progress by <see cref="KeyOf(Order)"/>.</summary>
    public IReadOnlyDictionary<string, OrderProgress> Progress { get; init; } = new Dictionary<string, OrderProgress>();

    /// <summary>The attempt in hand, or null.</summary>
    public Attempt? Current { get; init; }

    /// <summary>Reports that the service has not acknowledged.</summary>
    public IReadOnlyList<AttemptReport> Outbox { get; init; } = [];

    /// <summary>What we installed, by app.</summary>
    public IReadOnlyDictionary<string, Receipt> Receipts { get; init; } = new Dictionary<string, Receipt>();

    /// <summary>The packages before the present ones, by app; kept so that they can be put back.</summary>
    public IReadOnlyDictionary<string, Receipt> Earlier { get; init; } = new Dictionary<string, Receipt>();

    /// <summary>The calendars that rule it; null where it never had any.</summary>
    public CalendarsContent? Calendars { get; init; }

    /// <summary>The last restart that was asked for; null for none.</summary>
    public RestartAsked? Restart { get; init; }

    /// <summary>What whoever is signed in was told last of each order, by <see cref="KeyOf(Order)"/>.</summary>
    public IReadOnlyDictionary<string, NoticeGiven> Notices { get; init; } = new Dictionary<string, NoticeGiven>();

    public long WithdrawnSerial { get; init; }

    public IReadOnlyList<string> Withdrawn { get; init; } = [];

    /// <summary>Whether an order was confirmed by the service recently enough for anything to be begun upon it.</summary>
    public bool IsLeased(Order order, DateTimeOffset now) => now < ConfirmedAt + TimeSpan.FromSeconds(order.LeaseSeconds);

    /// <summary>Names one asking of one deployment.</summary>
    public static string KeyOf(Order order) => KeyOf(order.Deployment, order.Number, order.Kind);

    public static string KeyOf(string deployment, int number, string kind) =>
        string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{deployment}/{number}/{kind}");

    /// <summary>The state that all entries lead to.</summary>
    /// <param name="tell">Hears of entries that mean nothing here, which are passed over: an agent that cannot read one line must not end at each
    /// start.</param>
    public static DeviceState Of(IEnumerable<JournalEntry> entries, Action<string> tell)
    {
        var state = new DeviceState();
        foreach (var entry in entries)
        {
            try
            {
                state = state.After(entry);
            }
            catch (Exception error) when (Unforeseen.Is(error))
            {
                tell($"An entry of the journal ({entry.GetType().Name}) means nothing here and is passed over: {error.Message}");
            }
        }

        return state with { Orders = OrderForm.Sound(state.Orders ?? [], tell) };
    }

    /// <summary>The state after an entry.</summary>
    public DeviceState After(JournalEntry entry)
    {
        switch (entry)
        {
            case Whole whole:
                return whole.State;
            case OrdersTaken taken:
                // Progress of deployments that are gone is forgotten; that of others stays, also for earlier numbers.
                var known = taken.Orders.Select(order => order.Deployment).ToHashSet(StringComparer.Ordinal);
                return this with
                {
                    Orders = taken.Orders,
                    OrdersTag = taken.Tag,
                    ConfirmedAt = taken.At,
                    Progress = Progress.Where(pair => known.Contains(pair.Key.Split('/')[0])).ToDictionary(),
                    Notices = Notices.Where(pair => known.Contains(pair.Key.Split('/')[0])).ToDictionary(),
                };
            case AttemptBegan began:
                var first = new AttemptReport(
                    began.Attempt.Id, began.Attempt.Order.Deployment, began.Attempt.Order.Number, false, began.Attempt.Order.Kind, began.Attempt.StartedAt,
                    null, null, began.Attempt.Phase, null, "", null, null, null, false);
                return this with { Current = began.Attempt, Outbox = [.. Outbox, first] };
            case AttemptMoved moved:
                return this with
                {
                    Current = Current! with
                    {
                        Phase = moved.Phase, Before = moved.Before ?? Current.Before, BeforePackage = moved.BeforePackage ?? Current.BeforePackage,
                    },
                };
            case AttemptEnded ended:
                var progress = new Dictionary<string, OrderProgress>(Progress)
                {
                    [KeyOf(Current!.Order)] = new OrderProgress(
                        ended.Report.Outcome == Waits ? Current.Try - 1 : Current.Try, ended.NextTry, ended.BootId, ended.HasPutBack,
                        ended.BootId is null ? null : ended.Report.EndedAt),
                };
                return this with { Current = null, Outbox = [.. Outbox, ended.Report], Progress = progress };
            case ReportsAcknowledged acknowledged:
                return this with { Outbox = [.. Outbox.Where(report => !acknowledged.Names.Contains(NameOf(report)))] };
            case ReceiptKept kept:
                var receipts = new Dictionary<string, Receipt>(Receipts);
                var earlier = new Dictionary<string, Receipt>(Earlier);
                if (receipts.TryGetValue(kept.Receipt.App, out var before) && before.Link.Digest != kept.Receipt.Link.Digest)
                {
                    earlier[kept.Receipt.App] = before;
                }

                receipts[kept.Receipt.App] = kept.Receipt;
                return this with { Receipts = receipts, Earlier = earlier };
            case ReceiptDropped dropped:
                return this with
                {
                    Receipts = Receipts.Where(pair => pair.Key != dropped.App).ToDictionary(),
                    Earlier = Earlier.Where(pair => pair.Key != dropped.App).ToDictionary(),
                };
            case WithdrawnTaken withdrawn:
                return this with { WithdrawnSerial = withdrawn.Serial, Withdrawn = withdrawn.Digests };
            case CalendarsTaken taken:
                return this with { Calendars = taken.Content };
            case RestartAsked asked:
                return this with { Restart = asked };
            case NoticeGiven given:
                return this with { Notices = new Dictionary<string, NoticeGiven>(Notices) { [given.Order] = given } };
            case StepTakesLong slow:
                return Current is { } current && current.Id == slow.Attempt
                    ? this with
                    {
                        Outbox = [.. Outbox.Where(report => report.Id != slow.Attempt || report.HasEnded), new AttemptReport(
                            current.Id, current.Order.Deployment, current.Order.Number, false, current.Order.Kind, current.StartedAt, null, null, current.Phase,
                            null, slow.Says, null, null, null, false)],
                    }
                    : this;
            case RestartSeen restarted:
                return this with
                {
                    Progress = new Dictionary<string,
                    OrderProgress>(Progress)
                    {
                        [restarted.Order] = Progress[restarted.Order] with { WaitsForBoot = null, NextTry = restarted.NextTry, NeedsRestartSince = null },
                    },
                };
            default:
                throw new InvalidOperationException($"The journal has no meaning for {entry.GetType().Name}.");
        }
    }

    /// <summary>The name under which a report is acknowledged.</summary>
    public static string NameOf(AttemptReport report) => $"{report.Id}/{(report.HasEnded ? "ended" : "began")}";
}
