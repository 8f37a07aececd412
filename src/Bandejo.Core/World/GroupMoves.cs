using System.Globalization;
using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>
/// Who comes into rule groups by a change, and who leaves them: told with the change, so that it is kept who was in a group when. Who is put into a listed
/// group or taken out of it is told by the change itself.
/// </summary>
public static class GroupMoves
{
    /// <summary>The setting with the moment from which on it is known how everything was, in ticks of UTC.</summary>
    internal const string KnownFromSetting = "keep.history-from";

    private const string ToldSetting = "keep.moves";

    /// <summary>Looks who is in what before a change that may move somebody; null where it moves nobody.</summary>
    /// <returns>Tells the moves, after the change.</returns>
    internal static Func<IEnumerable<PutMoves>>? Before(FleetWorld world, Change change) => change switch
    {
        PutDevice(var device) => OfDevice(world, device),
        PutGroup(var group) => OfGroup(world, group),
        _ => null,
    };

    /// <summary>What is to be told where who is in rule groups was kept otherwise than it is, or not at all.</summary>
    /// <param name="kept">Who was kept as being in a group, by rows.</param>
    public static IEnumerable<PutMoves> Differing(FleetWorld world, Func<string, Bitmap> kept) => world.Groups.Values.Where(group => group.Rule is not null)
        .SelectMany(group => Between(world, group.Record.Slug, kept(group.Record.Slug), group.In));

    /// <summary>
    /// What is kept at a start before anything is decided, and done: the moves that are to be told. Of a world from before they were told, how it was is known
    /// only from now on: who was in rule groups before is not.
    /// </summary>
    /// <inheritdoc cref="Differing" path="/param"/>
    public static IReadOnlyList<Change> AtStart(FleetWorld world, Func<string, Bitmap> kept)
    {
        var changes = new List<Change>(Differing(world, kept));
        if (!world.SiteSettings.ContainsKey(ToldSetting))
        {
            changes.Add(new PutSetting(ToldSetting, "told"));
            changes.AddRange(world.LastEvent > 0 ? [KnownFrom(world.Now)] : []);
        }

        changes.ForEach(world.Apply);
        return changes;
    }

    /// <summary>From when on it is known how everything was, in the settings.</summary>
    internal static PutSetting KnownFrom(DateTimeOffset from) => new(KnownFromSetting, from.UtcTicks.ToString(CultureInfo.InvariantCulture));

    private static Func<IEnumerable<PutMoves>>? OfDevice(FleetWorld world, DeviceRecord device)
    {
        var known = world.Devices.Get(device.Id);
        if (known is not null && ReferenceEquals(known.Record.Sheet, device.Sheet) && known.Name == device.Name)
        {
            return null;
        }

        var wasIn = known is null ? [] : world.Groups.Values.Where(group => group.Rule is not null && group.In[known.Row]).ToHashSet();
        return () =>
        {
            var row = world.Devices[device.Id].Row;
            return world.Groups.Values.Where(group => group.Rule is not null && group.In[row] != wasIn.Contains(group)).Select(
                group => wasIn.Contains(group) ? new PutMoves(group.Record.Slug, [], [device.Id]) : new PutMoves(group.Record.Slug, [device.Id], []));
        };
    }

    private static Func<IEnumerable<PutMoves>>? OfGroup(FleetWorld world, GroupRecord record)
    {
        var before = world.Groups.GetValueOrDefault(record.Slug);
        if (before?.Record.Rule == record.Rule)
        {
            return null;
        }

        var wasIn = before?.In.Copy() ?? new Bitmap();
        return () => Between(world, record.Slug, wasIn, world.Groups[record.Slug].In);
    }

    private static IEnumerable<PutMoves> Between(FleetWorld world, string group, Bitmap before, Bitmap after)
    {
        var (into, outOf) = (Devices(after.Copy().Except(before)), Devices(before.Copy().Except(after)));
        return into.Count + outOf.Count > 0 ? [new PutMoves(group, into, outOf)] : [];

        List<string> Devices(Bitmap rows) => [.. rows.Rows().Select(row => world.Devices.At(row).Id)];
    }
}
