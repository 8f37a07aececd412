using Bandejo.Core.Calendars;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;

namespace Bandejo.Core.Rollouts;

/// <summary>Turns what was asked for into a plan.</summary>
public static class Planning
{
    private const int MostWaves = 50;

    /// <summary>Reads a ask. All that is wrong with its form is found at once.</summary>
    /// <param name="handling">The kept handling that it goes by, whose values lie over the package's defaults and under what is asked for; null for
    /// none.</param>
    public static Outcome<DeploymentPlan> Read(DeploymentAsk ask, string id, PackageEntry package, KeptHandling? handling = null)
    {
        var findings = new List<Finding>();
        var waves = ReadWaves(ask.Waves, findings);
        Check(ask.Groups.Count > 0, "Name at least one group.", "groups");
        Check(ask.Wish is "have" or "gone" or "choice", $"The wish is 'have', 'gone' or 'choice', not '{ask.Wish}'.", "wish");
        Check(ask.Tries is >= 1 and <= 20, "Tries are between 1 and 20.", "tries");
        var after = StateNames.Read<AfterDeadline>(ask.AfterDeadline);
        Check(
            after is not null,
            $"After the deadline devices are 'late', 'start' outside their windows, or 'close' what is in the way as well, not '{ask.AfterDeadline}'.",
            "afterDeadline");
        Check(
            after is null or AfterDeadline.Late || ask.Deadline is not null || ask.Waves.Any(wave => wave.Deadline is not null),
            "Only a deadline lets devices start after it; name one.", "deadline");
        var pause = Duration(ask.RetryPause, "retryPause", RetryRule.Default.Pause);
        Check(
            ask.Notice is null || after != AfterDeadline.Late,
            "Notice is given only where the deadline lets devices 'start', or 'close' programs as well; choose one of them.",
            "notice");
        var notice = ask.Notice is null ? null : Take(UserNotice.Parse(ask.Notice), "notice", findings);
        var lease = Duration(ask.Lease, "lease", TimeSpan.FromDays(1));
        var halt = ask.Halt is null ? HaltRule.Default : Take(HaltRule.Parse(ask.Halt), "halt", findings);
        var restart = ask.Restart is null ? RestartChoice.LeftToPeople : Take(RestartChoice.Parse(ask.Restart), "restart", findings);
        var startWhen = ask.StartWhen is null ? StartWhen.Any : Take(StartWhen.Parse(ask.StartWhen), "startWhen", findings);
        var fetch = ask.Fetch is null ? FetchRule.Usual : Take(FetchRule.Parse(ask.Fetch), "fetch", findings);
        var atOnce = ask.AtOnce is null ? null : Take(AtOnce.Parse(ask.AtOnce), "atOnce", findings);
        var settings = Settings.Resolve(package.Contents.Settings, package.Contents.Presets, ask.Preset, SettingsOf(ask, package, handling));
        findings.AddRange(settings.Ok ? [] : settings.Failure!.Findings);
        Check(ask.Wish != "gone" || (ask.Preset is null && ask.Settings is null), "What is to be gone has no settings.", "settings");
        if (findings.Count > 0)
        {
            return new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The deployment has {findings.Count} errors.", findings);
        }

        var wish = ask.Wish switch { "gone" => Wish.Gone, "choice" => Wish.Choice, _ => Wish.Have };
        return new DeploymentPlan
        {
            Id = id,
            Salt = ask.Salt ?? id,
            Name = string.IsNullOrWhiteSpace(ask.Name) ? DefaultName(package, wish) : ask.Name.Trim(),
            App = package.Record.App,
            AppName = package.Contents.Name,
            Package = package.Record.Digest,
            Version = package.Version,
            Wish = wish,
            Groups = ask.Groups,
            Except = ask.Except,
            Waves = waves,
            Halt = halt!,
            RollBackOnHalt = ask.RollBackOnHalt,
            Retry = new RetryRule(ask.Tries, pause, RetryRule.Default.Longest > pause ? RetryRule.Default.Longest : pause),
            Deadline = ask.Deadline,
            AfterDeadline = after!.Value,
            Notice = notice?.Length,
            Calendars = ask.Calendars,
            Restart = restart!,
            StartWhen = startWhen!,
            Fetch = fetch!,
            AtOnce = atOnce,
            Wakes = ask.Wakes,
            Lease = lease,
            Priority = ask.Priority,
            AllowsDowngrade = ask.AllowsDowngrade,
            EndsWhenReplaced = ask.EndsWhenReplaced,
            Settings = settings.Value,
            Handling = ask.Handling,
        };

        void Check(bool holds, string message, string where)
        {
            if (!holds)
            {
                findings.Add(new Finding(message, where));
            }
        }

        TimeSpan Duration(string? text, string where, TimeSpan otherwise)
        {
            if (text is null)
            {
                return otherwise;
            }

            if (Units.TryParseDuration(text, out var duration) && duration > TimeSpan.Zero)
            {
                return duration;
            }

            findings.Add(new Finding($"'{text}' is not a length of time such as 15m or 1d.", where));
            return otherwise;
        }
    }

    /// <summary>The values of settings: those of the handling, unless a preset or the request itself says others.</summary>
    private static Dictionary<string, string> SettingsOf(DeploymentAsk ask, PackageEntry package, KeptHandling? handling)
    {
        var own = ask.Settings ?? new Dictionary<string, string>();
        var preset = ask.Preset is { } name && package.Contents.Presets.GetValueOrDefault(name) is { } values ? values : new Dictionary<string, string>();
        var kept = ask.Wish == "gone" || handling is null ? new Dictionary<string, string>() : handling.SettingsFor([.. package.Contents.Settings]);
        return kept.Where(pair => !preset.ContainsKey(pair.Key)).Concat(own).GroupBy(pair => pair.Key, StringComparer.Ordinal)
            .ToDictionary(group => group.Key, group => group.Last().Value, StringComparer.Ordinal);
    }

    /// <summary>Reads waves as they were asked for; adds what is wrong with them to the findings.</summary>
    public static List<Wave> ReadWaves(IReadOnlyList<WaveAsk> asked, List<Finding> findings)
    {
        var waves = new List<Wave>();
        if (asked.Count is 0 or > MostWaves)
        {
            findings.Add(new Finding($"There are between 1 and {MostWaves} waves.", "waves"));
        }

        for (var i = 0; i < asked.Count; i++)
        {
            var where = $"waves[{i}]";
            var pick = Take(Pick.Parse(asked[i].Pick), $"{where}.pick", findings);
            var gate = asked[i].Gate is { } text ? Take(Gate.Parse(text), $"{where}.gate", findings) : null;
            var hours = asked[i].Hours is { } open ? Take(OpenHours.Parse(open), $"{where}.hours", findings) : null;
            var deadline = asked[i].Deadline is { } due ? Take(WaveDeadline.Parse(due), $"{where}.deadline", findings) : null;
            if (string.IsNullOrWhiteSpace(asked[i].Name))
            {
                findings.Add(new Finding("A wave needs a name.", $"{where}.name"));
            }

            if (asked[i].Gate is null && i < asked.Count - 1)
            {
                findings.Add(new Finding($"'{asked[i].Name}' needs a gate, such as '95 % met for 1 d': another wave follows.", $"{where}.gate"));
            }

            waves.Add(new Wave(asked[i].Name, pick ?? new Pick(), gate, asked[i].OpensAt) { Hours = hours, Deadline = deadline });
        }

        return waves;
    }

    private static string DefaultName(PackageEntry package, Wish wish) =>
        wish == Wish.Gone ? $"{package.Contents.Name} taken away"
            : wish == Wish.Choice ? $"{package.Contents.Name} {package.Record.Version} on the shelf"
            : $"{package.Contents.Name} {package.Record.Version}";

    private static T? Take<T>(Outcome<T> outcome, string where, List<Finding> findings)
        where T : class
    {
        if (outcome.Ok)
        {
            return outcome.Value;
        }

        var failure = outcome.Failure!;
        findings.AddRange(failure.Findings.Count == 0 ? [new Finding(failure.Message, where)] : failure.Findings.Select(
            finding => finding with { Where = where }));
        return null;
    }
}
