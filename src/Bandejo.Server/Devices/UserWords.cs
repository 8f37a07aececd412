using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Takes in what the users of devices say.</summary>
internal static class UserWords
{
    /// <summary>How many identities are kept; more than a device may have waiting at a time.</summary>
    private const int MostHeard = 40;

    /// <summary>A word counts once, however often it is sent; one that no deployment has to do with stays in the device's history alone.</summary>
    public static void Take(WorldChange change, DeviceEntry device, UserReport word)
    {
        IReadOnlyList<string> heard = device.Stored.Heard ?? [];
        if (heard.Contains(word.Id))
        {
            return;
        }

        device.Stored = device.Stored with { Heard = [.. heard.TakeLast(MostHeard - 1), word.Id] };
        change.Keep(new PutDevice(device.Stored));

        var text = word.Text.Length > Targets.MaxHarm ? word.Text[..Targets.MaxHarm] : word.Text;
        change.Event("device", word.Kind == "take" ? "taken" : "harm", word.Kind == "take" ? $"{device.Name}'s user took {word.App} from the shelf." : $"{device.Name}'s user reports harm by {word.App}: {text}", null, device.Id, null, device.Name);
        foreach (var deployment in device.Deployments.Where(deployment => deployment.IsActive && deployment.Plan.App == word.App))
        {
            var target = deployment.Targets[device];
            if (word.Kind == "take" && deployment.Plan.Wish == Wish.Choice && target.TakenAt is null)
            {
                Engine.Replace(change, deployment, device, target with { TakenAt = change.Now });
            }
            else if (word.Kind == "harm" && target.HasBegun)
            {
                Engine.Replace(change, deployment, device, Targets.Harmed(target, text, change.Now));
                change.Event("journal", "harm-reported", $"{device.Name}: {text}", null, device.Id, deployment.Id, device.Name);
            }
        }
    }
}
