using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Takes in what the users of devices say.</summary>
public static class UserIntake
{
    /// <summary>How many identities stand with the device, for what is not in the store yet.</summary>
    private const int MostHeard = 40;

    /// <summary>How many words of one device count on one day. Nobody reads more, and each is an event for all.</summary>
    private const int MostOfADay = 20;

    /// <summary>A word counts once, however often it is sent; one that no deployment has to do with stays in the device's history alone.</summary>
    public static void Take(Decision decision, DeviceEntry device, UserTold word, ToldBefore before)
    {
        IReadOnlyList<string> heard = device.Record.Heard ?? [];
        if (heard.Contains(word.Id) || before.Words.Contains(word.Id))
        {
            return;
        }

        var today = DateOnly.FromDateTime(decision.Now.UtcDateTime);
        var count = device.Memory.WordsToday.Day == today ? device.Memory.WordsToday.Count + 1 : 1;
        CheckIn.Remember(decision, device.Id, memory => memory with { WordsToday = (today, count) });
        if (count > MostOfADay)
        {
            if (count == MostOfADay + 1)
            {
                decision.Event(
                    "device", "words-left-out", $"{device.Name}'s user has said {MostOfADay} things today; what more is said today is not taken.", null,
                    device.Id, null, device.Name);
            }

            return;
        }

        decision.Do(new PutUserWord(device.Id, word.Id));
        decision.Do(new PutDevice(device.Record with { Heard = [.. heard.TakeLast(MostHeard - 1), word.Id] }));
        var text = word.Text.Length > Targets.MaxHarm ? word.Text[..Targets.MaxHarm] : word.Text;
        decision.Event(
            "device", word.Kind == "take" ? "taken" : "harm",
            word.Kind == "take" ? $"{device.Name}'s user took {word.App} from the shelf." : $"{device.Name}'s user reports harm by {word.App}: {text}", null,
            device.Id, null, device.Name);
        foreach (var deployment in decision.World.ActiveOf(device).Where(deployment => deployment.Plan.App == word.App).ToList())
        {
            var target = deployment.Targets[device];
            if (word.Kind == "take" && deployment.Plan.Wish == Wish.Choice && target.TakenAt is null)
            {
                Moving.Replace(decision, deployment, device, target with { TakenAt = decision.Now });
            }
            else if (word.Kind == "harm" && target.HasBegun)
            {
                Moving.Replace(decision, deployment, device, Targets.Harmed(target, text, decision.Now));
                decision.Event("journal", "harm-reported", $"{device.Name}: {text}", null, device.Id, deployment.Id, device.Name);
            }
        }
    }
}
