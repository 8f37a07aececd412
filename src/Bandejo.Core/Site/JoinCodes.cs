using Bandejo.Core.World;

namespace Bandejo.Core.Site;

/// <summary>Gives join codes, and takes them back.</summary>
public static class JoinCodes
{
    private const int MostUses = 10_000;
    private const int MostHours = 720;

    /// <param name="hash">The hash of the code.</param>
    /// <param name="group">The slug of a listed group in which devices land; null leaves them unsorted.</param>
    public static Outcome<JoinCodeRecord> Add(Decision decision, string hash, string? group, int uses, int hours)
    {
        if (uses is < 1 or > MostUses || hours is < 1 or > MostHours)
        {
            return new Failure(ErrorKind.Invalid, "A join code is good for 1 to 10,000 devices and for 1 to 720 hours.");
        }

        if (group is not null && decision.World.Groups.GetValueOrDefault(group) is not { Rule: null })
        {
            return new Failure(
                ErrorKind.NotFound,
                decision.World.Groups.ContainsKey(group)
                    ? $"'{group}' is a rule group; devices come into it by its rule. Name a listed group, or none."
                    : $"There is no group '{group}'.");
        }

        var code = new JoinCodeRecord(decision.NewId(), hash, group, uses, decision.Now.AddHours(hours), decision.By!);
        decision.Do(new PutJoinCode(code));
        decision.Audit("join-code-made", $"A join code for {uses} device{(uses == 1 ? "" : "s")}{(group is null ? "" : $" into '{group}'")} was made.");
        return code;
    }

    public static Outcome<bool> TakeBack(Decision decision, string id)
    {
        var code = Named.JoinCode(decision.World, id);
        if (!code.Ok)
        {
            return code.Failure!;
        }

        decision.Do(new DeleteJoinCode(code.Value.Id, code.Value.Hash));
        decision.Audit("join-code-taken-back", "A join code was taken back.");
        return true;
    }
}
