using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>Keeps what the service as a whole has, and tells of what was done to it.</summary>
public static class SiteSettings
{
    /// <summary>Keeps the keys that the service has made for itself.</summary>
    /// <param name="keys">Each with the name of its setting.</param>
    public static Outcome<bool> KeepKeys(Decision decision, IEnumerable<(string Name, string Key)> keys)
    {
        foreach (var (name, key) in keys)
        {
            decision.Do(new PutSetting(name, key));
        }

        decision.Audit("keys-made", "The service made its keys.");
        return true;
    }

    /// <summary>Tells of something that was done to the service or a device, and that changes nothing else.</summary>
    /// <param name="what">A short name of it.</param>
    /// <param name="text">It, for people.</param>
    /// <param name="device">The device that it is about; null for none.</param>
    public static Outcome<bool> Tell(Decision decision, string what, string text, string? device = null)
    {
        decision.Audit(what, text, null, device);
        return true;
    }
}
