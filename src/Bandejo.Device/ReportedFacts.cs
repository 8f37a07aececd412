using Bandejo.Contract.Device;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Device;

/// <summary>What a machine says of itself, for rules.</summary>
internal sealed class ReportedFacts(FactReport report) : IFactSource
{
    public FactLookup Find(FactRef fact)
    {
        if (fact.IsApp)
        {
            var found = report.Programs?.FirstOrDefault(program => FactCatalog.Slug(program.Name) == fact.Name);
            return found is not null && AppVersion.TryParse(found.Version, out var version) ? FactLookup.Of(FactValue.OfVersion(version))
                : report.Programs is null ? FactLookup.NotKnown
                : FactLookup.Absent;
        }

        return report.Facts.TryGetValue(fact.Name, out var text) && FactCatalog.TypeOf(fact.Name) is { } type && FactValue.Read(type, text) is { } value
            ? FactLookup.Of(value)
            : FactLookup.NotKnown;
    }
}
