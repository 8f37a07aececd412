using Bandejo.Contract.Api;
using Bandejo.Server.World;

namespace Bandejo.Server.Deployments;

/// <summary>What the failures of a deployment have in common, with the attempts that are kept.</summary>
internal static class Causes
{
    /// <summary>Failures with the same fingerprint together, most first. Reads attempts from the store, so never call it while looking at the world.</summary>
    /// <param name="most">How many of the newest attempts are read.</param>
    /// <param name="isForFailed">Only of what has failed or is lost now, not of what is tried again or was rolled back.</param>
    public static async Task<IReadOnlyList<CauseInfo>> Of(WorldHost world, string id, int most, bool isForFailed = false)
    {
        var failing = world.Read(each => Core.Rollouts.Causes.Failing(each, id, isForFailed));
        if (failing.Count == 0)
        {
            return [];
        }

        var attempts = (await world.Kept()).Attempts(id, null, most);
        return [.. world.Read(each => Core.Rollouts.Causes.Of(each, id, failing, attempts)).Select(cause => new CauseInfo(
            cause.What, cause.Devices, cause.Sample, cause.SetApart))];
    }
}
