using System.Globalization;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>Says reasons: the one place where they become words.</summary>
public static class ReasonWords
{
    private static readonly Dictionary<ReasonCode, string> Sentences = new()
    {
        [ReasonCode.None] = "",
        [ReasonCode.Said] = "{0}",
        [ReasonCode.OutOfScope] = "No longer in the groups of this deployment",
        [ReasonCode.NotMeant] = "Not meant for this device: {0}",
        [ReasonCode.Required] = "Required: {0}",
        [ReasonCode.FitNotKnown] = "Not known yet whether it is meant for this device: {0}",
        [ReasonCode.RequirementNotKnown] = "Not known yet whether it may be installed: {0}",
        [ReasonCode.NeedIsBrought] = "Needs {0} first, which '{1}' brings",
        [ReasonCode.NeedNotKnown] = "Needs {0}, and it is not known yet whether it is there",
        [ReasonCode.NeedGoesBack] = "Needs {0}, which '{1}' is to bring, but goes back here",
        [ReasonCode.NeedStands] = "Needs {0}, which '{1}' is to bring, but is {2} here",
        [ReasonCode.NeedTooOld] = "Needs {0}, and '{1}' brings only {2}",
        [ReasonCode.NeedNotBrought] = "Needs {0}, which no deployment brings here",
        [ReasonCode.WantsOpposite] = "{0} wants the opposite; nobody acts until it is settled",
        [ReasonCode.StrongerIsContested] = "A stronger wish is contested",
        [ReasonCode.Ruled] = "'{0}' rules {1} here",
        [ReasonCode.OnShelf] = "On the shelf; the user has not taken it",
        [ReasonCode.OrderOut] = "The order is out; the device starts at its next check-in",
        [ReasonCode.DeviceWaits] = "The order is out, and the device waits: {0}",
        [ReasonCode.DeploymentStopped] = "The deployment is {0}",
        [ReasonCode.NoWave] = "No wave picks this device; end the deployment and start one with a last wave 'everyone else'",
        [ReasonCode.WaveOpensLater] = "Wave '{0}' opens later",
        [ReasonCode.WaveAboutToOpen] = "Wave '{0}' is about to open",
        [ReasonCode.WaveOpensAfter] = "Wave '{0}' opens after the gate behind '{1}' ({2})",
        [ReasonCode.SiteAtIt] = "{0}, and it is the turn of others",
        [ReasonCode.TooManyCalendars] = "{0} calendars rule it, and a device holds {1}; take some away from its groups",
        [ReasonCode.TurnLater] = "At most {0} of a site are changed at once; it starts when it is its turn",
        [ReasonCode.TurnPassed] = "Not heard from for {0}, so that it is the turn of others of its site; it gets one when it is heard again",
        [ReasonCode.AgentWithoutFetching] = "How its files are fetched is limited, and its agent knows nothing of that; a newer one does",
        [ReasonCode.OutsideWindow] = "Outside its window {0}",
        [ReasonCode.FrozenBy] = "Frozen by {0}",
        [ReasonCode.CalendarStale] = "Nothing is known any more of {0}",
        [ReasonCode.ZoneNotKnown] = "Its windows go by its own clocks, and its time zone is not known yet",
        [ReasonCode.NoRoom] = "It takes {0}, for which {1} leaves no room",
        [ReasonCode.BeforeReset] = "It is reset at {0}, and what is done before is lost",
        [ReasonCode.AgentWithoutNotice] = "Its user must be told before it starts for its deadline, and its agent knows nothing of that; a newer one does",
        [ReasonCode.AgentWithoutCalendars] = "Its windows rule it, and its agent knows nothing of windows; a newer one does",
        [ReasonCode.WindowOpen] = "The order is out, and {0} is open; the device starts at its next check-in",
        [ReasonCode.RestartHeld] = "In place but for a restart. {0}",
        [ReasonCode.TryTimeCame] = "The time of the next try has come",
        [ReasonCode.ProofOld] = "The last proof is {0} old and the device is silent",
        [ReasonCode.FellSilent] = "Began work and was not heard from for {0}",
        [ReasonCode.Installing] = "Being installed",
        [ReasonCode.TakingAway] = "Being taken away",
        [ReasonCode.BringingBack] = "Being brought back to what was there before",
        [ReasonCode.Told] = "{0}",
        [ReasonCode.TryFailed] = "{0}. Try {1} of {2}; the next is set",
        [ReasonCode.TriesUsedUp] = "{0}. All {1} tries are used up",
        [ReasonCode.Proven] = "{0}",
        [ReasonCode.ProvenAlready] = "{0}; it was so already",
        [ReasonCode.RepairedTooOften] = "{0}; it was repaired {1} times already",
        [ReasonCode.ProofLost] = "The proof was lost: {0}",
        [ReasonCode.ToBeBroughtBack] = "To be brought back to {0}",
        [ReasonCode.BackAfterWork] = "At work; brought back to what was there before when that has ended",
        [ReasonCode.CannotGoBack] = "Cannot go back",
        [ReasonCode.NothingChanged] = "Nothing had been changed here",
        [ReasonCode.TryAsked] = "{0} asked for another try",
        [ReasonCode.NewerIsThere] = "{0} {1} is there by now, which came after",
        [ReasonCode.FilesLetGo] = "the files of {0} were let go, and with them what takes it away",
        [ReasonCode.NoRemoveStep] = "{0} has no 'remove' step",
        [ReasonCode.EarlierNotKept] = "{0} {1} was there before, and no package of it is kept here",
        [ReasonCode.EarlierWithdrawn] = "{0} {1} was there before, and it was withdrawn",
        [ReasonCode.EarlierLetGo] = "{0} {1} was there before, and its files were let go",
    };

    /// <summary>The reason for people, without a full stop.</summary>
    public static string Of(Reason reason)
    {
        var arguments = reason.Arguments;
        var said = reason.Code switch
        {
            _ when reason.IsOfConditions => Format(Conditions(arguments)),
            ReasonCode.OutsideWindow or ReasonCode.FrozenBy or ReasonCode.CalendarStale or ReasonCode.WindowOpen =>
                Format(Names(arguments)),
            ReasonCode.SiteAtIt when arguments[1] == "1" => Format($"One device {OfSite(arguments[0])} is changed at once"),
            ReasonCode.SiteAtIt => Format($"At most {arguments[1]} devices {OfSite(arguments[0])} are changed at once"),
            ReasonCode.TurnLater when arguments[0] == "1" => "One of a site is changed at once; it starts when it is its turn",
            ReasonCode.NoRoom => Format(Length(arguments[0]), Names(arguments.Skip(1))),
            ReasonCode.WantsOpposite => Format(string.Join(", ", arguments.Select(name => $"'{name}'"))),
            ReasonCode.DeploymentStopped => Format(arguments[0]) + (arguments[1].Length > 0 ? $" ({arguments[1]})" : ""),
            ReasonCode.ProofOld or ReasonCode.FellSilent or ReasonCode.TurnPassed =>
                Format(Length(arguments[0])),
            ReasonCode.TriesUsedUp when arguments[1] == "1" => $"{arguments[0]}. The one try is used up",
            ReasonCode.ToBeBroughtBack => Format(arguments[1].Length == 0 ? "nothing" : $"{arguments[0]} {arguments[1]}"),
            _ => Format([.. arguments]),
        };
        return reason.Because is { } because ? $"{said}: {Of(because)}" : said;

        string Format(params string[] with) => string.Format(CultureInfo.InvariantCulture, Sentences[reason.Code], with);
    }

    private static string Names(IEnumerable<string> names) => string.Join(names.Count() > 2 ? ", " : " or ", names.Select(name => $"'{name}'"));

    private static string OfSite(string site) => site.Length == 0 ? "without a known site" : $"of {site}";

    private static string Length(string seconds) => Units.FormatDuration(TimeSpan.FromSeconds(long.Parse(seconds, CultureInfo.InvariantCulture)));

    private static string Conditions(IReadOnlyList<string> pairs) =>
        string.Join("; ", Enumerable.Range(0, pairs.Count / 2).Select(
            at => pairs[(at * 2) + 1] is { Length: > 0 } has ? $"{pairs[at * 2]} ({has})" : pairs[at * 2]));
}
