using Bandejo.Core.Deployments;
using Google.Protobuf;

namespace Bandejo.Store.Forms;

/// <summary>Targets in the form in which they are kept (<c>targets.proto</c>), a page of neighbouring devices at a time.</summary>
internal static class TargetForm
{
    /// <summary>How many devices have their place in a page.</summary>
    public const int Places = 64;

    private static readonly Google.Protobuf.MessageParser<TargetPageStates> States = TargetPageStates.Parser.WithDiscardUnknownFields(true);

    /// <summary>How many reasons may stand one behind the other.</summary>
    private const int DeepestReason = 8;

    /// <summary>Writes a page.</summary>
    /// <param name="targets">By the places of their devices; null where there is none.</param>
    /// <param name="gone">Places whose targets are there no more; only where what changed is told.</param>
    public static byte[] Write(ReadOnlySpan<Target?> targets, IReadOnlyCollection<uint>? gone = null)
    {
        var page = new TargetPage { Gone = { gone ?? [] } };
        var shares = new List<Target>();
        for (var place = 0; place < targets.Length; place++)
        {
            if (targets[place] is not { } target)
            {
                continue;
            }

            var since = target.Since.UtcTicks;
            page.From = page.Entries.Count == 0 ? since : page.From;
            var entry = new TargetEntry
            {
                Place = (uint)place,
                Share = (uint)Share(target),
                State = (uint)target.State,
                Wave = (uint)(target.Wave + 1),
                Flags = (target.HasBegun ? 1u : 0) | (target.IsInstalledHere ? 2u : 0) | (target.IsGoingBack ? 4u : 0) | (target.HasFailed ? 8u : 0)
                    | (target.IsToGoBack ? 16u : 0) | (target.CannotGoBack ? 32u : 0) | (target.HasFiles ? 64u : 0) | (target.MayFetch ? 128u : 0)
                    | (target.Lingers ? 256u : 0),
                Tries = (uint)target.Tries,
                Repairs = (uint)target.Repairs,
                Order = (uint)target.Order,
                Since = since - page.From,
            };
            if (target.ProvenAt is { } proven)
            {
                entry.Proven = proven.UtcTicks - page.From;
            }

            page.Entries.Add(entry);
        }

        return page.ToByteArray();

        int Share(Target target)
        {
            var known = shares.FindIndex(target.IsAlike);
            if (known < 0)
            {
                known = shares.Count;
                shares.Add(target);
                page.Shares.Add(ShareOf(target));
            }

            return known;
        }
    }

    /// <summary>Reads of a page only in which state each target is.</summary>
    /// <param name="states">By the places of their devices, with what is known of them so far: 0 for none, else the number of the state and one.</param>
    /// <exception cref="FormatException">It is not in the form.</exception>
    public static void ReadStates(ReadOnlySpan<byte> form, Span<byte> states)
    {
        TargetPageStates page;
        try
        {
            page = States.ParseFrom(form);
        }
        catch (InvalidProtocolBufferException error)
        {
            throw new FormatException($"Kept targets are damaged: {error.Message}", error);
        }

        foreach (var entry in page.Entries)
        {
            if (entry.Place >= Places || !Enum.IsDefined((TargetState)entry.State))
            {
                throw new FormatException($"A kept target cannot be: {entry}.");
            }

            states[(int)entry.Place] = (byte)(entry.State + 1);
        }

        foreach (var place in page.Gone)
        {
            states[place < Places ? (int)place : throw new FormatException($"Kept targets cannot lack one in place {place}.")] = 0;
        }
    }

    /// <summary>Reads a page.</summary>
    /// <param name="form">As <see cref="Write"/> wrote it, or an earlier version of it.</param>
    /// <param name="deviceOf">The identity of the device in a place; null where what is kept of it is to be passed by.</param>
    /// <param name="take">Takes each target with its place.</param>
    /// <param name="gone">Takes each place whose target is there no more; null where none can be.</param>
    /// <exception cref="FormatException">It is not in the form.</exception>
    public static void Read(ReadOnlySpan<byte> form, Func<int, string?> deviceOf, Action<int, Target> take, Action<int>? gone = null)
    {
        var page = Parsed(form);
        var shares = new Target?[page.Shares.Count];

        foreach (var entry in page.Entries)
        {
            if (entry.Place >= Places || entry.Share >= shares.Length || !Enum.IsDefined((TargetState)entry.State) || entry.Wave > byte.MaxValue
                || (entry.Tries | entry.Repairs | entry.Order) > int.MaxValue)
            {
                throw new FormatException($"A kept target cannot be: {entry}.");
            }

            if (deviceOf((int)entry.Place) is { } device)
            {
                take((int)entry.Place, (shares[entry.Share] ??= Shared(page.Shares[(int)entry.Share])) with
                {
                    Device = device,
                    State = (TargetState)entry.State,
                    Wave = (int)entry.Wave - 1,
                    HasBegun = (entry.Flags & 1) != 0,
                    IsInstalledHere = (entry.Flags & 2) != 0,
                    IsGoingBack = (entry.Flags & 4) != 0,
                    HasFailed = (entry.Flags & 8) != 0,
                    IsToGoBack = (entry.Flags & 16) != 0,
                    CannotGoBack = (entry.Flags & 32) != 0,
                    HasFiles = (entry.Flags & 64) != 0,
                    MayFetch = (entry.Flags & 128) != 0,
                    Lingers = (entry.Flags & 256) != 0,
                    Tries = (int)entry.Tries,
                    Repairs = (int)entry.Repairs,
                    Order = (int)entry.Order,
                    Since = Instant(page.From + entry.Since),
                    ProvenAt = entry.HasProven ? Instant(page.From + entry.Proven) : null,
                });
            }
        }

        foreach (var place in page.Gone)
        {
            (gone ?? throw new FormatException($"Kept targets lack one in place {place}."))((int)Math.Min(place, Places));
        }
    }

    private static TargetPage Parsed(ReadOnlySpan<byte> form)
    {
        try
        {
            return TargetPage.Parser.ParseFrom(form);
        }
        catch (InvalidProtocolBufferException error)
        {
            throw new FormatException($"Kept targets are damaged: {error.Message}", error);
        }
    }

    private static TargetShare ShareOf(Target target)
    {
        var share = new TargetShare { Reason = ReasonOf(target.Reason), Harms = (uint)target.Harms };
        Set(target.Variant, text => share.Variant = text);
        Set(target.AppWhenOpened, text => share.AppWhenOpened = text);
        Set(target.Before, text => share.Before = text);
        Set(target.BeforePackage, text => share.BeforePackage = text);
        Set(target.WaitsFor, text => share.WaitsFor = text);
        Set(target.Harm, text => share.Harm = text);
        SetInstant(target.Next, ticks => share.Next = ticks);
        SetInstant(target.TroubleAt, ticks => share.TroubleAt = ticks);
        SetInstant(target.TakenAt, ticks => share.TakenAt = ticks);
        return share;

        static void Set(string? text, Action<string> set)
        {
            if (text is not null)
            {
                set(text);
            }
        }

        static void SetInstant(DateTimeOffset? at, Action<long> set)
        {
            if (at is { } known)
            {
                set(known.UtcTicks);
            }
        }
    }

    /// <summary>A target that has a share and nothing else.</summary>
    private static Target Shared(TargetShare share) => new()
    {
        Device = "",
        Reason = Reason(share.Reason),
        Variant = share.HasVariant ? share.Variant : null,
        AppWhenOpened = share.HasAppWhenOpened ? share.AppWhenOpened : null,
        Before = share.HasBefore ? share.Before : null,
        BeforePackage = share.HasBeforePackage ? share.BeforePackage : null,
        Next = share.HasNext ? Instant(share.Next) : null,
        TroubleAt = share.HasTroubleAt ? Instant(share.TroubleAt) : null,
        TakenAt = share.HasTakenAt ? Instant(share.TakenAt) : null,
        WaitsFor = share.HasWaitsFor ? share.WaitsFor : null,
        Harms = share.Harms <= int.MaxValue ? (int)share.Harms : throw new FormatException($"A kept target cannot be: {share}."),
        Harm = share.HasHarm ? share.Harm : null,
    };

    private static KeptReason ReasonOf(Reason reason)
    {
        var kept = new KeptReason { Code = ReasonNames.Of(reason.Code), Because = reason.Because is { } because ? ReasonOf(because) : null };
        kept.Arguments.Add(reason.Arguments);
        return kept;
    }

    private static Reason Reason(KeptReason? kept, int depth = 0)
    {
        if (kept is null || depth > DeepestReason)
        {
            throw new FormatException("A kept target has no reason, or reasons behind it without end.");
        }

        return new Reason(
            ReasonNames.Read(kept.Code) ?? throw new FormatException($"A kept target has the reason '{kept.Code}', which this version does not know."),
            [.. kept.Arguments]) { Because = kept.Because is null ? null : Reason(kept.Because, depth + 1) };
    }

    private static DateTimeOffset Instant(long ticks) =>
        ticks >= 0 && ticks <= DateTimeOffset.MaxValue.UtcTicks
            ? new DateTimeOffset(ticks, TimeSpan.Zero)
            : throw new FormatException("A kept instant is outside the calendar.");
}
