using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.World;

/// <summary>What the words of the book mean in the columns, worked out once for each.</summary>
internal sealed class WordMeanings(WordBook book, FleetColumns columns)
{
    private readonly List<FactMeaning?> _facts = [];
    private readonly List<FactColumn?> _apps = [];
    private readonly List<FactLookup?> _versions = [];

    public WordBook Book => book;

    /// <summary>Where the devices' names stand.</summary>
    public FactColumn Name { get; } = columns.Column(new FactRef("name", false));

    /// <summary>Where the days stand on which devices joined.</summary>
    public FactColumn Joined { get; } = columns.Column(new FactRef("joined", false));

    /// <summary>A word as the name of a fact.</summary>
    public FactMeaning Fact(int word) => Known(_facts, word) ?? (_facts[word] = new FactMeaning(book[word], columns));

    /// <summary>Where the versions stand of the program whose name is that word.</summary>
    public FactColumn App(int word) => Known(_apps, word) ?? (_apps[word] = columns.Column(new FactRef(FactCatalog.Slug(book[word]), true))).Value;

    /// <summary>A word as a version; not known where it is none.</summary>
    public FactLookup Version(int word) =>
        Known(_versions, word)
            ?? (_versions[word] = AppVersion.TryParse(book[word], out var version) ? FactLookup.Of(FactValue.OfVersion(version)) : FactLookup.NotKnown).Value;

    private static T Known<T>(List<T> known, int word)
    {
        while (known.Count <= word)
        {
            known.Add(default!);
        }

        return known[word];
    }
}

/// <summary>A fact, and what its values mean.</summary>
internal sealed class FactMeaning(string name, FleetColumns columns)
{
    /// <summary>Of how many different values the meaning is kept; facts that differ on each device would only fill the memory.</summary>
    private const int MostValues = 1000;

    private readonly Dictionary<string, FactLookup> _values = new(StringComparer.Ordinal);
    private readonly FactType? _type = FactCatalog.TypeOf(name);

    public FactColumn Column { get; } = columns.Column(new FactRef(name, false));

    /// <summary>People may look for a device by it.</summary>
    public bool IsLookedFor { get; } = name is "model" or "site" or "kind" or "host";

    /// <summary>What a value means; not known where it does not fit the fact's type.</summary>
    public FactLookup Value(ReadOnlySpan<char> text)
    {
        var values = _values.GetAlternateLookup<ReadOnlySpan<char>>();
        if (!values.TryGetValue(text, out var value))
        {
            value = _type is { } type && FactValue.Read(type, text.ToString()) is { } read ? FactLookup.Of(read) : FactLookup.NotKnown;
            if (_values.Count < MostValues)
            {
                values[text] = value;
            }
        }

        return value;
    }
}
