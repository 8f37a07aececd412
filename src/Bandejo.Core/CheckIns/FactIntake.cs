using Bandejo.Core.Fleet;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Core.CheckIns;

/// <summary>Takes in what a device says of itself.</summary>
public static class FactIntake
{
    private const int MostNamed = 5;

    /// <summary>Takes over changed facts; the device comes into the groups they lead to.</summary>
    /// <param name="digest">What the device calls these facts.</param>
    public static void Take(Decision decision, DeviceEntry device, string digest, FactsTold told)
    {
        var world = decision.World;
        var before = device.Record.Sheet.Facts().ToDictionary(fact => fact.Name);
        var today = DateOnly.FromDateTime(decision.Now.UtcDateTime);
        var newWords = device.Memory.NewWords.Day == today ? device.Memory.NewWords.Count : 0;
        var taken = FactLimits.Within(told.Facts, told.Programs, world.WordBook.Holds, FactLimits.MaxNewWords - newWords, out var brought);
        if (taken.LeftOut.Count > 0 && !taken.LeftOut.SequenceEqual(device.Memory.LeftOut))
        {
            decision.Event(
                "device", "facts-left-out",
                $"Not all that {device.Name} says of itself was taken: {string.Join("; ", taken.LeftOut.Take(MostNamed))}"
                    + $"{(taken.LeftOut.Count > MostNamed ? "; …" : "")}",
                null, device.Id, null, device.Name);
        }

        CheckIn.Remember(decision, device.Id, memory => memory with { NewWords = (today, newWords + brought), LeftOut = taken.LeftOut });
        var facts = taken.Facts.Select(fact => (Name: world.WordBook.Number(fact.Name), fact.Value))
            .Select(fact => new ReportedFact(
                fact.Name, fact.Value, before.TryGetValue(fact.Name, out var known) && known.Value == fact.Value ? known.Since : decision.Now))
                .ToList();
        var programs = taken.Programs?.Select(program => new ReportedProgram(
            world.WordBook.Number(program.Name), world.WordBook.Number(program.Version), world.WordBook.Number(program.Source)))
            .ToList();

        // Whoever says something for the first time comes into groups; that is no move.
        var wasIn = before.Count == 0
            ? []
            : world.Groups.Values.Where(group => group.Rule is not null).Select(group => (Group: group, IsIn: group.In[device.Row])).ToList();
        var site = Turns.AreAsked(world) ? Turns.SiteOf(world, device) : null;
        decision.Do(new PutDevice(device.Record with { Sheet = FactSheet.Of(facts, programs), FactsDigest = digest }));
        if (site is not null && site != Turns.SiteOf(world, device))
        {
            Turns.Left(decision, site);
        }

        foreach (var (group, isIn) in wasIn)
        {
            if (group.In[device.Row] != isIn)
            {
                decision.Moved(group, device, !isIn);
            }
        }
    }
}
