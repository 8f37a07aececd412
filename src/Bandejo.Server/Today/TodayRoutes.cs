using Bandejo.Contract.Api;
using Bandejo.Core.Rollouts;
using Bandejo.Server.Deployments;
using Bandejo.Server.Http;
using Bandejo.Server.World;

namespace Bandejo.Server.Today;

/// <summary>What a person should look at first.</summary>
internal static class TodayRoutes
{
    /// <summary>Causes are read from the attempts on disk; more failing deployments than this are told without.</summary>
    private const int MostWithCauses = 8;

    public static void MapToday(this RouteGroupBuilder api) =>
        api.MapGet("/today", async (WorldHost world) => Results.Ok(await Of(world))).ForAll()
            .WithName("getToday").WithSummary("What needs somebody, most urgent first, and what is moving").Produces<TodayInfo>();

    private static async Task<TodayInfo> Of(WorldHost world)
    {
        var (today, kinds) = world.Read(each =>
        {
            var needs = Concerns.Of(each);
            return (
                new TodayInfo(each.Now, [.. needs.Select(need => ConcernWords.Info(need, each.Now))], [.. Concerns.Moving(each).Select(
                    deployment => Views.Deployment(each, deployment))]),
                needs.Select(need => need.Kind).ToList());
        });
        var left = MostWithCauses;
        var needs = new List<NeedInfo>();
        foreach (var (need, kind) in today.Needs.Zip(kinds))
        {
            needs.Add(kind is ConcernKind.Halted or ConcernKind.Failures or ConcernKind.OutOfReach && left-- > 0 ? await WithCause(world, need) : need);
        }

        return today with { Needs = needs };
    }

    private static async Task<NeedInfo> WithCause(WorldHost world, NeedInfo need)
    {
        // The failed alone are told of here, so that no cause is shared by more of them than there are.
        var cause = (await Deployments.Causes.Of(world, need.Deployment!, most: 300, isForFailed: true)).FirstOrDefault();
        return cause is null
            ? need
            : need with
            {
                Detail = $"{need.Detail} {cause.Devices} failed{(cause.Devices == 1 ? "" : " alike")}: {cause.What.TrimEnd('.')}"
                    + $"{(cause.SetApart.Count > 0 ? $"; what sets them apart: {cause.SetApart[0]}" : "")}.",
            };
    }
}
