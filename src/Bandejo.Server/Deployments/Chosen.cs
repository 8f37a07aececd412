using System.Globalization;
using Bandejo.Contract.Api;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Handlings;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>All that was chosen for a deployment, or stands as it is unless chosen; shown before the start and after it alike.</summary>
internal static class Chosen
{
    /// <summary>What a kept deployment was started with.</summary>
    public static IReadOnlyList<ChosenInfo> Of(FleetWorld world, DeploymentEntry deployment) =>
        Of(deployment.Plan, deployment.Package, AskForms.RequestOf(deployment.Record)?.Preset, world.HandlingOf(deployment.Plan.App, deployment.Plan.Handling));

    /// <summary>What a plan asks for.</summary>
    /// <param name="preset">The preset that its settings come from; null for none.</param>
    /// <param name="handling">The kept handling that it goes by; null for none.</param>
    public static IReadOnlyList<ChosenInfo> Of(DeploymentPlan plan, PackageEntry package, string? preset, HandlingRecord? handling)
    {
        var secret = (package.Document.Settings ?? []).Where(setting => setting.Type == "secret").Select(setting => setting.Name)
            .ToHashSet(StringComparer.Ordinal);
        var usual = RetryRule.Default;
        var pause = Units.FormatDuration(plan.Retry.Pause);
        return
        [
            new(
                "wish",
                plan.Wish switch
                {
                    Wish.Gone => "gone: it must not be there, in any version", Wish.Choice => "choice: users may take it, nobody must",
                    _ => "have: it must be there, in this version or a newer one",
                },
                plan.Wish == Wish.Have),
            new(
                "deadline",
                plan.Deadline is { } deadline ? deadline.ToUniversalTime().ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture) : "none",
                plan.Deadline is null),
            .. plan.AfterDeadline == AfterDeadline.Late
                ? (ChosenInfo[])[]
                : [new ChosenInfo(
                    "after-deadline",
                    $"unmet devices start outside their windows{(plan.AfterDeadline == AfterDeadline.Close ? " and close programs in the way" : "")}, "
                        + $"{Units.FormatDuration(plan.Notice ?? UserNotice.Usual)} after whoever is signed in was told; a freeze holds",
                    false)],
            .. plan.Calendars.Count == 0 ? (ChosenInfo[])[] : [new ChosenInfo("calendars", $"of its own: {string.Join(", ", plan.Calendars)}", false)],
            .. plan.StartWhen == StartWhen.Any ? (ChosenInfo[])[] : [new ChosenInfo("start-when", plan.StartWhen.ToString(), false)],
            .. plan.Fetch == FetchRule.Usual ? (ChosenInfo[])[] : [new ChosenInfo("fetch", plan.Fetch.ToString(), false)],
            .. plan.AtOnce is not { } atOnce ? (ChosenInfo[])[] : [new ChosenInfo("at-once", atOnce.ToString(), false)],
            .. plan.Wakes ? [new ChosenInfo("wake", "devices that sleep are woken when their window opens", false)] : (ChosenInfo[])[],
            new("restart", plan.Restart.ToString(), plan.Restart == RestartChoice.LeftToPeople),
            new("halt", plan.Halt.ToString(), plan.Halt == HaltRule.Default),
            new("on-halt", plan.RollBackOnHalt ? "everything it changed is rolled back" : "nothing new starts; somebody decides", !plan.RollBackOnHalt),
            new("tries", plan.Retry.Tries == 1 ? "1" : $"{plan.Retry.Tries}, {pause} before the second", plan.Retry == usual),
            new("lease", $"{Units.FormatDuration(plan.Lease)}: so long a device may start it unheard", plan.Lease == TimeSpan.FromDays(1)),
            new("priority", plan.Priority.ToString(CultureInfo.InvariantCulture), plan.Priority == 0),
            new("downgrade", plan.AllowsDowngrade ? "a newer version is replaced" : "a newer version is left alone", !plan.AllowsDowngrade),
            .. plan.EndsWhenReplaced
                ? [new ChosenInfo("replaced", "ends by itself once another has wholly taken its place", false)]
                : (ChosenInfo[])[],
            .. handling is null && plan.Handling is null
                ? (ChosenInfo[])[]
                : [new ChosenInfo(
                    "handling",
                    handling is null
                        ? "none: as the package has it"
                        : $"{handling.Slug}{(plan.Handling is null ? $", which {plan.App} has" : "")}: {handling.Values.InWords}",
                    false)],
            .. preset is null ? (ChosenInfo[])[] : [new ChosenInfo("preset", preset, false)],
            .. plan.Settings.Count == 0
                ? (ChosenInfo[])[]
                : [new ChosenInfo(
                    "settings", string.Join(", ", plan.Settings.Select(pair => $"{pair.Key} {(secret.Contains(pair.Key) ? "(secret)" : pair.Value)}")), false)],
        ];
    }
}
