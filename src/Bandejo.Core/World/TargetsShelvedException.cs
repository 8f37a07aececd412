namespace Bandejo.Core.World;

/// <summary>
/// Somebody asked for the targets of a deployment that is over, and these are only kept: they are to be fetched, and it is to be asked again.
/// </summary>
public sealed class TargetsShelvedException(string deployment) : Exception($"The targets of {deployment} are not in memory.")
{
    /// <summary>The deployment's identity.</summary>
    public string Deployment => deployment;
}
