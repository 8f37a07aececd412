using System.Text.Json.Serialization;
using Bandejo.Contract.Device;

namespace Bandejo.Device;

/// <summary>Something that the device must still know after losing power.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "entry")]
[JsonDerivedType(typeof(Whole), "whole")]
[JsonDerivedType(typeof(OrdersTaken), "orders")]
[JsonDerivedType(typeof(AttemptBegan), "began")]
[JsonDerivedType(typeof(AttemptMoved), "moved")]
[JsonDerivedType(typeof(AttemptEnded), "ended")]
[JsonDerivedType(typeof(ReportsAcknowledged), "acknowledged")]
[JsonDerivedType(typeof(ReceiptKept), "receipt")]
[JsonDerivedType(typeof(ReceiptDropped), "receipt-dropped")]
[JsonDerivedType(typeof(WithdrawnTaken), "withdrawn")]
[JsonDerivedType(typeof(RestartSeen), "restarted")]
[JsonDerivedType(typeof(RestartAsked), "restart-asked")]
[JsonDerivedType(typeof(NoticeGiven), "notice-given")]
[JsonDerivedType(typeof(StepTakesLong), "takes-long")]
[JsonDerivedType(typeof(CalendarsTaken), "calendars")]
public abstract record JournalEntry;

/// <summary>The whole state, in the place of all that was before.</summary>
public sealed record Whole(DeviceState State) : JournalEntry;

/// <summary>New orders came with a check-in.</summary>
public sealed record OrdersTaken(IReadOnlyList<Order> Orders, string Tag, DateTimeOffset At) : JournalEntry;

/// <summary>An attempt begins.</summary>
public sealed record AttemptBegan(Attempt Attempt) : JournalEntry;

/// <summary>The attempt in hand is about to enter a phase.</summary>
public sealed record AttemptMoved(string Phase, string? Before, string? BeforePackage) : JournalEntry;

/// <summary>The attempt in hand has ended.</summary>
/// <param name="Report">What the service is told.</param>
/// <param name="NextTry">When the next try is due; null for none.</param>
/// <param name="BootId">The start of the system that must be over before the proof is taken; null where no restart is needed.</param>
/// <param name="HasPutBack">What was there before was put back, and only the restart is missing.</param>
public sealed record AttemptEnded(AttemptReport Report, DateTimeOffset? NextTry, string? BootId, bool HasPutBack = false) : JournalEntry;

/// <summary>The service has reports safely.</summary>
public sealed record ReportsAcknowledged(IReadOnlyList<string> Names) : JournalEntry;

/// <summary>An app was installed by us.</summary>
public sealed record ReceiptKept(Receipt Receipt) : JournalEntry;

/// <summary>An app of ours was taken away.</summary>
public sealed record ReceiptDropped(string App) : JournalEntry;

/// <summary>A newer list of withdrawn packages.</summary>
public sealed record WithdrawnTaken(long Serial, IReadOnlyList<string> Digests) : JournalEntry;

/// <summary>The calendars that rule the device, whose signature held.</summary>
public sealed record CalendarsTaken(CalendarsContent Content) : JournalEntry;

/// <summary>The restart that an order waited for has happened.</summary>
/// <param name="NextTry">When the order is taken up again; null where the proof was all that was missing.</param>
public sealed record RestartSeen(string Order, DateTimeOffset? NextTry = null) : JournalEntry;

/// <summary>The operating system is about to be asked for a restart.</summary>
/// <param name="BootId">The start of the system that is to end by it.</param>
/// <param name="GoesAt">When it is to go down.</param>
public sealed record RestartAsked(string BootId, DateTimeOffset GoesAt) : JournalEntry;

/// <summary>Whoever is signed in is told when something starts.</summary>
/// <param name="Order">The order, by <see cref="DeviceState.KeyOf(Contract.Device.Order)"/>.</param>
/// <param name="BootId">The start of the system in which it is told.</param>
public sealed record NoticeGiven(string Order, DateTimeOffset StartsAt, string BootId) : JournalEntry;

/// <summary>A step of an attempt takes much longer than its package expects.</summary>
public sealed record StepTakesLong(string Attempt, string Says) : JournalEntry;

/// <summary>What we installed.</summary>
/// <param name="App">The app's slug.</param>
/// <param name="Link">The package as an order named it.</param>
/// <param name="Variant">Which variant.</param>
/// <param name="Written">What was written for its settings; null in receipts from before there were any.</param>
public sealed record Receipt(
    string App, string Name, string Version, PackageLink Link, string Variant, DateTimeOffset At, IReadOnlyDictionary<string, string>? Written = null);

/// <summary>An attempt in hand.</summary>
/// <param name="Id">Its identity.</param>
/// <param name="Order">The order, as it was when it began.</param>
/// <param name="Try">1 for the first.</param>
/// <param name="Phase">The phase it is in, or is about to enter.</param>
public sealed record Attempt(string Id, Order Order, int Try, DateTimeOffset StartedAt, string Phase, string? Before, string? BeforePackage);

/// <summary>What became of an order's number so far.</summary>
/// <param name="Tries">Tries that have ended.</param>
/// <param name="NextTry">When the next is due; null where none follows.</param>
/// <param name="WaitsForBoot">The start of the system that must be over before the proof is taken.</param>
/// <param name="HasPutBack">What was there before was put back, but for a restart.</param>
/// <param name="NeedsRestartSince">Since when a restart is needed; null where none is, or where it was before that was kept.</param>
public sealed record OrderProgress(
    int Tries, DateTimeOffset? NextTry, string? WaitsForBoot, bool HasPutBack = false, DateTimeOffset? NeedsRestartSince = null);

/// <summary>JSON for the journal.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(JournalEntry))]
public sealed partial class JournalJson : JsonSerializerContext;
