using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Takes in what the users of devices say.</summary>
internal static class UserWords
{
    /// <summary>How many identities are kept in memory, for what is not in the store yet.</summary>
    private const int MostHeard = 40;

    /// <summary>How many words of one device count on one day. Nobody reads more, and each is an event for all.</summary>
    private const int MostOfADay = 20;

    /// <summary>A word counts once, however often it is sent; one that no deployment has to do with stays in the device's history alone.</summary>
    public static void Take(WorldChange change, DeviceEntry device, UserReport word)
    {
        IReadOnlyList<string> heard = device.Record.Heard ?? [];
        if (heard.Contains(word.Id) || change.World.Store.HasUserWord(device.Id, word.Id))
        {
            return;
        }

        var day = DateOnly.FromDateTime(change.Now.UtcDateTime);
        device.WordsToday = device.WordsToday.Day == day ? (day, device.WordsToday.Count + 1) : (day, 1);
        if (device.WordsToday.Count > MostOfADay)
        {
            if (device.WordsToday.Count == MostOfADay + 1)
            {
                change.Event("device", "words-left-out", $"{device.Name}'s user has said {MostOfADay} things today; what more is said today is not taken.", null, device.Id, null, device.Name);
            }

            return;
        }

        change.Keep(new PutUserWord(device.Id, word.Id));

        device.Record = device.Record with { Heard = [.. heard.TakeLast(MostHeard - 1), word.Id] };
        change.Keep(new PutDevice(device.Record));

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
