using System.Globalization;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>How many devices have the files of a deployment before they start.</summary>
/// <param name="There">How many told that they have them.</param>
/// <param name="Waiting">How many hold an order that waits, for its window or for its files.</param>
public sealed record FilesAhead(int There, int Waiting)
{
    /// <summary>Of a deployment now; null where no device waits with files to fetch.</summary>
    public static FilesAhead? Of(DeploymentEntry deployment)
    {
        if (deployment.IsShelved || deployment.Plan.Wish == Wish.Gone)
        {
            return null;
        }

        var (there, waiting) = deployment.Targets.Files();
        return waiting == 0 ? null : new FilesAhead(there, waiting);
    }

    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{There:N0} of {Waiting:N0} have its files already");
}
