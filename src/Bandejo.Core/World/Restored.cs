using System.Globalization;

namespace Bandejo.Core.World;

/// <summary>
/// What a service that was restored from a backup goes by: what it numbers for devices goes on well above whatever it may have given out in the time that is
/// lost.
/// </summary>
public static class Restored
{
    /// <summary>The moment to which the service was restored, in ticks of UTC; emptied when it is taken up.</summary>
    internal const string FromSetting = "restored.from";

    internal const string OrderLeadSetting = "restored.orders";

    internal const string LastDeploymentSetting = "restored.deployments";

    /// <summary>What is kept with a backup that is put back, and taken up at the service's next start (<see cref="Catalogue.Restoring"/>).</summary>
    /// <param name="at">When the last was decided that the backup has.</param>
    public static Change Note(DateTimeOffset at) => new PutSetting(FromSetting, at.UtcTicks.ToString(CultureInfo.InvariantCulture));

    /// <summary>By how much the numbers of orders are above those of their targets.</summary>
    public static int OrderLead(FleetWorld world) => Number(world, OrderLeadSetting, 0);

    /// <summary>The highest number of a deployment that may have been given out.</summary>
    public static int LastDeployment(FleetWorld world) => Number(world, LastDeploymentSetting, 1000);

    private static int Number(FleetWorld world, string setting, int otherwise) =>
        world.SiteSettings.TryGetValue(setting, out var text) && int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : otherwise;
}
