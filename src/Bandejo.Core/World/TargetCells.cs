using Bandejo.Core.Deployments;

namespace Bandejo.Core.World;

/// <summary>
/// A target as it is held in memory, in 48 bytes: there are millions of them, and nearly all say the same as many others. What few have, and what many have
/// alike, stands in objects that they share (<see cref="Sharing"/>).
/// </summary>
internal struct TargetCell
{
    // From the lowest bit: the state (4 bits), one more than the wave (8), tries (5), yes and no (9), repairs (6).
    private const int WaveAt = 4;
    private const int TriesAt = 12;
    private const int FlagsAt = 17;
    private const int RepairsAt = 26;
    private const int MostTries = 31;
    private const int MostRepairs = 63;

    private long _since;
    private long _proven;
    private Reason _reason;
    private Common _common;
    private Seldom? _seldom;
    private int _order;
    private uint _packed;

    /// <summary>Nothing stands here.</summary>
    public readonly bool IsEmpty => _common is null;

    public readonly TargetState State => (TargetState)(_packed & 15);

    /// <summary>The wave, from 0; -1 for none.</summary>
    public readonly int Wave => (int)((_packed >> WaveAt) & 255) - 1;

    public readonly bool HasBegun => Has(1);

    /// <summary>It goes back to what was there, or is to.</summary>
    public readonly bool IsBoundBack => Has(4) || Has(8);

    public readonly bool IsGoingBack => Has(4);

    public readonly bool HasFiles => Has(64);

    public readonly bool MayFetch => Has(128);

    /// <summary>Its order was taken back, and its device may not know.</summary>
    public readonly bool Lingers => Has(256);

    public readonly bool HasTurn => IsOrdered || Lingers;

    /// <summary>Its device holds an order that it may start by itself.</summary>
    public readonly bool IsOrdered => Target.IsOrderedAs(State, _reason);

    public readonly Reason Reason => _reason;

    public readonly DateTimeOffset? Next => _seldom?.Next;

    public readonly string? Variant => _common.Variant;

    public readonly string? AppWhenOpened => _common.AppWhenOpened;

    public readonly string? BeforePackage => _common.BeforePackage;

    public readonly string? WaitsFor => _seldom?.WaitsFor;

    /// <summary>The device's user took it from the shelf.</summary>
    public readonly bool IsTaken => _seldom?.TakenAt is not null;

    /// <summary>When something last went wrong here.</summary>
    public readonly DateTimeOffset? TroubleAt => _seldom?.TroubleAt;

    public static TargetCell Of(Target target, Sharing sharing)
    {
        var (tries, repairs) = (Math.Min(target.Tries, MostTries), Math.Min(target.Repairs, MostRepairs));
        var (common, seldom) = sharing.Parts(target, tries, repairs);
        var flags = (target.HasBegun ? 1 : 0) | (target.IsInstalledHere ? 2 : 0) | (target.IsGoingBack ? 4 : 0) | (target.IsToGoBack ? 8 : 0) | (
            target.CannotGoBack ? 16 : 0) | (target.HasFailed ? 32 : 0) | (target.HasFiles ? 64 : 0) | (target.MayFetch ? 128 : 0)
            | (target.Lingers ? 256 : 0);
        return new TargetCell
        {
            _since = target.Since.UtcTicks,
            _proven = target.ProvenAt?.UtcTicks ?? 0,
            _reason = sharing.Of(target.Reason),
            _common = common,
            _seldom = seldom,
            _order = target.Order,
            _packed = (uint)target.State | ((uint)(target.Wave + 1) << WaveAt) | ((uint)tries << TriesAt) | ((uint)flags << FlagsAt) | (
                (uint)repairs << RepairsAt),
        };
    }

    /// <summary>The target of a device.</summary>
    public readonly Target ToTarget(string device)
    {
        var seldom = _seldom ?? Seldom.Nothing;
        return new Target
        {
            Device = device,
            Wave = Wave,
            State = State,
            Reason = _reason,
            Since = new DateTimeOffset(_since, TimeSpan.Zero),
            Next = seldom.Next,
            Variant = _common.Variant,
            Tries = seldom.Tries > 0 ? seldom.Tries : (int)((_packed >> TriesAt) & MostTries),
            Repairs = seldom.Repairs > 0 ? seldom.Repairs : (int)((_packed >> RepairsAt) & MostRepairs),
            HasBegun = Has(1),
            IsInstalledHere = Has(2),
            IsGoingBack = Has(4),
            IsToGoBack = Has(8),
            CannotGoBack = Has(16),
            HasFailed = Has(32),
            HasFiles = Has(64),
            MayFetch = Has(128),
            Lingers = Has(256),
            Before = _common.Before,
            BeforePackage = _common.BeforePackage,
            ProvenAt = _proven == 0 ? null : new DateTimeOffset(_proven, TimeSpan.Zero),
            TroubleAt = seldom.TroubleAt,
            TakenAt = seldom.TakenAt,
            WaitsFor = seldom.WaitsFor,
            Harms = seldom.Harms,
            Harm = seldom.Harm,
            AppWhenOpened = _common.AppWhenOpened,
            Order = _order,
        };
    }

    private readonly bool Has(uint flag) => ((_packed >> FlagsAt) & flag) != 0;

    /// <summary>What many targets have alike.</summary>
    internal sealed record Common(string? Variant, string? AppWhenOpened, string? Before, string? BeforePackage);

    /// <summary>What few targets have.</summary>
    internal sealed record Seldom(
        DateTimeOffset? Next, DateTimeOffset? TroubleAt, DateTimeOffset? TakenAt, string? WaitsFor, int Harms, string? Harm, int Tries, int Repairs)
    {
        public static Seldom Nothing { get; } = new(null, null, null, null, 0, null, 0, 0);
    }

    /// <summary>Finds for what is equal the one object that all use. It holds a bounded number; what it has let go is only shared no more.</summary>
    internal sealed class Sharing
    {
        /// <summary>Of how many different ones it knows.</summary>
        private const int Most = 4096;

        private readonly Dictionary<object, object> _known = [];
        private (Target Of, Common Common, Seldom? Seldom)? _lastParts;
        private readonly object?[] _last = new object?[8];
        private int _next;

        /// <summary>What a target has alike with many, and what few have; null for nothing of that.</summary>
        /// <param name="tries">Its tries, as far as they stand in its cell.</param>
        /// <param name="repairs">Its repairs, as far as they stand in its cell.</param>
        public (Common Common, Seldom? Seldom) Parts(Target target, int tries, int repairs)
        {
            // Those that come one after the other are often alike; what does not fit into a cell is not looked at there.
            var fits = target.Tries == tries && target.Repairs == repairs;
            if (fits && _lastParts is { } last && target.IsAlike(last.Of))
            {
                return (last.Common, last.Seldom);
            }

            var common = Of(new Common(target.Variant, target.AppWhenOpened, target.Before, target.BeforePackage));
            var seldom = new Seldom(
                target.Next, target.TroubleAt, target.TakenAt, target.WaitsFor, target.Harms, target.Harm, target.Tries > tries ? target.Tries : 0,
                target.Repairs > repairs ? target.Repairs : 0);
            seldom = seldom == Seldom.Nothing ? null : Of(seldom);
            _lastParts = fits ? (target, common, seldom) : null;
            return (common, seldom);
        }

        public T Of<T>(T value)
            where T : class
        {
            // Those that are shared already come again and again.
            foreach (var each in _last)
            {
                if (ReferenceEquals(each, value))
                {
                    return value;
                }
            }

            if (_known.TryGetValue(value, out var known))
            {
                return Recent((T)known);
            }

            if (_known.Count >= Most)
            {
                _known.Clear();
            }

            _known[value] = value;
            return Recent(value);
        }

        private T Recent<T>(T value)
        {
            _last[_next++ % _last.Length] = value;
            return value;
        }
    }
}
