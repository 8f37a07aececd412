using System.Collections.Concurrent;
using Bandejo.Core.Fleet;

namespace Bandejo.Core.World;

/// <summary>The enrolled devices, found by row, identity, name or key.</summary>
public sealed class DeviceBook
{
    /// <summary>So many places of devices that went are let be in any case.</summary>
    private const int MostGone = 1000;

    /// <summary>A page holds two to the power of this.</summary>
    private const int PageBits = 8;

    private static readonly DeviceEntry?[] NoDevices = EmptyPage.Of<DeviceEntry?>(PageBits, null);

    // Where to look: shared with all that stand still, for what counts is the device that stands in the row. Of a device that went the places stay for those,
    // until they are more than the others.
    private ConcurrentDictionary<string, int> _ids;
    private ConcurrentDictionary<string, int> _names;
    private ConcurrentDictionary<string, int> _keys;
    private readonly Pages<DeviceEntry?> _rows;
    private Lazy<(string[] Names, int[] Rows)>? _byName;
    private DeviceBook? _still;

    public DeviceBook() =>
        (_ids, _names, _keys, _rows) = (new(StringComparer.Ordinal), new(StringComparer.Ordinal), new(StringComparer.Ordinal), new(NoDevices));

    private DeviceBook(DeviceBook moving)
    {
        (_ids, _names, _keys, _rows, Count) = (moving._ids, moving._names, moving._keys, moving._rows.Still(), moving.Count);
        _byName = moving._byName ??= new(PutInOrder);
        _still = this;
    }

    public int Count { get; private set; }

    /// <summary>All devices, by row.</summary>
    public IEnumerable<DeviceEntry> Values
    {
        get
        {
            for (var row = 0; row < _rows.Room; row++)
            {
                if (_rows[row] is { } device)
                {
                    yield return device;
                }
            }
        }
    }

    /// <summary>The device of an identity that is known to be one.</summary>
    /// <exception cref="KeyNotFoundException">There is none.</exception>
    public DeviceEntry this[string id] => Get(id) ?? throw new KeyNotFoundException($"There is no device '{id}'.");

    /// <summary>The device of an identity; null for none.</summary>
    public DeviceEntry? Get(string id) => Find(_ids, id, device => device.Id);

    /// <summary>The device of a name; null for none.</summary>
    public DeviceEntry? Named(string name) => Find(_names, name, device => device.Name);

    /// <summary>The device that has a key; null for none.</summary>
    public DeviceEntry? OfKey(string key) => Find(_keys, key, device => device.Record.Key.KeyId);

    /// <summary>The device of an identity or a name; null for none.</summary>
    public DeviceEntry? Find(string idOrName) => Get(idOrName) ?? Named(idOrName);

    /// <summary>The device of a row that is known to stand for one.</summary>
    /// <exception cref="KeyNotFoundException">It does not.</exception>
    public DeviceEntry At(int row) => _rows[row] ?? throw new KeyNotFoundException($"No device has row {row}.");

    /// <summary>All devices in the order of their names.</summary>
    public IEnumerable<DeviceEntry> InOrder() => InOrder(null, null);

    /// <summary>The devices of some rows in the order of their names.</summary>
    /// <param name="rows">Which; null for all.</param>
    /// <param name="after">Only those after this name; null for all.</param>
    public IEnumerable<DeviceEntry> InOrder(Bitmap? rows, string? after = null)
    {
        // The rows are walked beside the names: those that are not meant are passed over without a look at them.
        var (names, order) = (_byName ??= new(PutInOrder)).Value;
        var from = after is null ? 0 : Array.BinarySearch(names, after, StringComparer.Ordinal);
        for (var i = from < 0 ? ~from : after is null ? 0 : from + 1; i < order.Length; i++)
        {
            if ((rows is null || rows[order[i]]) && _rows[order[i]] is { } device)
            {
                yield return device;
            }
        }
    }

    /// <summary>The rows in which there stands something else than in another book.</summary>
    internal Bitmap Differing(DeviceBook other)
    {
        var rows = new Bitmap(_rows.Room);
        for (var page = 0; page << PageBits < Math.Max(_rows.Room, other._rows.Room); page++)
        {
            var (ours, theirs) = (_rows.Page(page), other._rows.Page(page));
            for (var at = 0; !ReferenceEquals(ours, theirs) && at < ours.Length; at++)
            {
                if (!ReferenceEquals(ours[at], theirs[at]))
                {
                    rows[(page << PageBits) + at] = true;
                }
            }
        }

        return rows;
    }

    internal DeviceBook Still() => _still ??= new DeviceBook(this);

    /// <summary>Puts a device into its row, in the place of what it was before.</summary>
    internal void Put(DeviceEntry device)
    {
        if (_rows[device.Row] is null)
        {
            Count++;
            _byName = null;
            Place(device);
        }

        _rows[device.Row] = device;
        _still = null;
    }

    internal void Remove(DeviceEntry device)
    {
        _rows[device.Row] = null;
        Count--;
        _byName = null;
        _still = null;
        if (_ids.Count > (Count * 2) + MostGone)
        {
            (_ids, _names, _keys) = (new(StringComparer.Ordinal), new(StringComparer.Ordinal), new(StringComparer.Ordinal));
            foreach (var each in Values)
            {
                Place(each);
            }
        }
    }

    private void Place(DeviceEntry device)
    {
        _ids[device.Id] = device.Row;
        _names[device.Name] = device.Row;
        _keys[device.Record.Key.KeyId] = device.Row;
    }

    private DeviceEntry? Find(ConcurrentDictionary<string, int> places, string word, Func<DeviceEntry, string> wordOf)
    {
        if (!places.TryGetValue(word, out var row))
        {
            return null;
        }

        // Another may have come to be called so after this was made to stand still.
        return _rows[row] is { } device && wordOf(device) == word ? device : _still == this ? Values.FirstOrDefault(each => wordOf(each) == word) : null;
    }

    private (string[] Names, int[] Rows) PutInOrder()
    {
        var names = Values.Select(device => device.Name).ToArray();
        var rows = Values.Select(device => device.Row).ToArray();
        Array.Sort(names, rows, StringComparer.Ordinal);
        return (names, rows);
    }
}
