using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Groups;

/// <summary>What rules may speak of, for whoever writes one.</summary>
internal static class FactRoutes
{
    private const int MostValues = 12;

    public static void MapFacts(this RouteGroupBuilder api) =>
        api.MapGet("/facts", (WorldHost world) => Results.Ok(world.Read(Describe))).ForAll()
            .WithName("listFacts")
            .WithSummary("The facts that rules may speak of, and what devices have of them most").Produces<IReadOnlyList<FactDescription>>();

    private static IReadOnlyList<FactDescription> Describe(FleetWorld world)
    {
        // Values are offered for facts that have few; a name or a free size is each device's own.
        var facts = FactCatalog.All.Select(fact => new FactDescription(
            fact.Key, StateNames.Hyphenate(fact.Value.Type.ToString()), fact.Value.Meaning,
            HasFew(fact.Key, fact.Value.Type) ? Most(world, new FactRef(fact.Key, false)) : []));
        var apps = world.Packages.Values.Select(package => (package.Record.App, package.Document.Name)).Distinct()
            .OrderBy(app => app.App, StringComparer.Ordinal)
            .Select(app => new FactDescription($"app \"{app.App}\"", "version", $"The installed version of {app.Name}", Most(world, new FactRef(
                app.App, true))));
        return [.. facts, .. apps];
    }

    private static bool HasFew(string name, FactType type) =>
        name is not ("name" or "host") && type is not (FactType.Duration or FactType.Date) && name != "disk.free";

    private static List<CountInfo> Most(FleetWorld world, FactRef fact) =>
        [.. world.Columns.Spread(fact, world.Columns.Live).Take(MostValues).Select(pair => new CountInfo(Literal(pair.Value), pair.Count))];

    private static string Literal(FactValue value) => value.Type is FactType.Text or FactType.Version or FactType.Set ? $"\"{value}\"" : value.ToString();
}
