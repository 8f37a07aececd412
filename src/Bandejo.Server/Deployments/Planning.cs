using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Deployments;

/// <summary>Turns what was asked for into a plan, and a kept request back into the same plan.</summary>
internal static class Planning
{
    private const int MostWaves = 50;

    private static readonly Dictionary<string, IReadOnlyDictionary<string, string>> NoPresets = [];

    /// <summary>Reads a request. All that is wrong with its form is found at once.</summary>
    /// <param name="handling">The kept handling that it goes by, whose values lie over the package's defaults and under what is asked for; null for none.</param>
    public static Outcome<DeploymentPlan> Read(DeploymentRequest request, string id, PackageEntry package, KeptHandling? handling = null)
    {
        var findings = new List<Finding>();
        var waves = ReadWaves(request.Waves, findings);
        Check(request.Groups.Count > 0, "Name at least one group.", "groups");
        Check(request.Wish is "have" or "gone" or "choice", $"The wish is 'have', 'gone' or 'choice', not '{request.Wish}'.", "wish");
        Check(request.Tries is >= 1 and <= 20, "Tries are between 1 and 20.", "tries");
        var pause = Duration(request.RetryPause, "retryPause", RetryRule.Default.Pause);
        var lease = Duration(request.Lease, "lease", TimeSpan.FromDays(1));
        var halt = request.Halt is null ? HaltRule.Default : Take(HaltRule.Parse(request.Halt), "halt", findings);
        var settings = Settings.Resolve(Documents.SettingsOf(package.Document), package.Document.Presets ?? NoPresets, request.Preset, Asked(request, package, handling));
        findings.AddRange(settings.Ok ? [] : settings.Failure!.Findings);
        Check(request.Wish != "gone" || (request.Preset is null && request.Settings is null), "What is to be gone has no settings.", "settings");
        if (findings.Count > 0)
        {
            return new Failure(ErrorKind.Invalid, findings.Count == 1 ? findings[0].Message : $"The deployment has {findings.Count} errors.", findings);
        }

        var wish = request.Wish switch { "gone" => Wish.Gone, "choice" => Wish.Choice, _ => Wish.Have };
        return new DeploymentPlan
        {
            Id = id,
            Salt = request.Salt ?? id,
            Name = string.IsNullOrWhiteSpace(request.Name) ? DefaultName(package, wish) : request.Name.Trim(),
            App = package.Record.App,
            AppName = package.Document.Name,
            Package = package.Record.Digest,
            Version = package.Version,
            Wish = wish,
            Groups = request.Groups,
            Except = request.Except ?? [],
            Waves = waves,
            Halt = halt!,
            RollBackOnHalt = request.RollBackOnHalt,
            Retry = new RetryRule(request.Tries, pause, RetryRule.Default.Longest > pause ? RetryRule.Default.Longest : pause),
            Deadline = request.Deadline,
            Lease = lease,
            Priority = request.Priority,
            AllowsDowngrade = request.AllowDowngrade,
            Settings = settings.Value,
            Handling = request.Handling,
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
    private static Dictionary<string, string> Asked(DeploymentRequest request, PackageEntry package, KeptHandling? handling)
    {
        var own = request.Settings ?? new Dictionary<string, string>();
        var preset = request.Preset is { } name && package.Document.Presets?.GetValueOrDefault(name) is { } values ? values : new Dictionary<string, string>();
        var kept = request.Wish == "gone" || handling is null ? new Dictionary<string, string>() : handling.SettingsFor([.. Documents.SettingsOf(package.Document)]);
        return kept.Where(pair => !preset.ContainsKey(pair.Key)).Concat(own).GroupBy(pair => pair.Key, StringComparer.Ordinal).ToDictionary(group => group.Key, group => group.Last().Value, StringComparer.Ordinal);
    }

    /// <summary>Reads waves as they were asked for; adds what is wrong with them to the findings.</summary>
    public static List<Wave> ReadWaves(IReadOnlyList<WaveRequest> asked, List<Finding> findings)
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
            if (string.IsNullOrWhiteSpace(asked[i].Name))
            {
                findings.Add(new Finding("A wave needs a name.", $"{where}.name"));
            }

            if (asked[i].Gate is null && i < asked.Count - 1)
            {
                findings.Add(new Finding($"'{asked[i].Name}' needs a gate, such as '95 % met for 1 d': another wave follows.", $"{where}.gate"));
            }

            waves.Add(new Wave(asked[i].Name, pick ?? new Pick(), gate, asked[i].OpensAt));
        }

        return waves;
    }

    /// <summary>A kept deployment with its plan. One whose plan this version cannot read takes no part in anything but being looked at, rolled back and ended, and says so.</summary>
    public static DeploymentEntry FromRecord(DeploymentRecord stored, PackageEntry package)
    {
        if (stored.Plan is { } plan)
        {
            return new DeploymentEntry(stored, plan, package);
        }

        var request = RequestOf(stored);
        var read = request is null ? new Failure(ErrorKind.Invalid, "its request is none") : Read(request, stored.Id, package);
        return read.Ok ? new DeploymentEntry(stored, read.Value, package) : Unreadable(stored, package, request, read.Failure!.Message);
    }

    /// <summary>What was asked for, as it was kept; null where this version cannot read it.</summary>
    public static DeploymentRequest? RequestOf(DeploymentRecord stored)
    {
        try
        {
            return JsonSerializer.Deserialize(stored.Request, ContractJson.Default.DeploymentRequest);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static DeploymentEntry Unreadable(DeploymentRecord stored, PackageEntry package, DeploymentRequest? request, string why)
    {
        var says = $"this version of Bandejo cannot read what was started ({why.TrimEnd('.')}); roll it back or end it, and start it anew";
        var waves = stored.State.Waves.Count;
        var plan = new DeploymentPlan
        {
            Id = stored.Id,
            Name = stored.Name,
            App = package.Record.App,
            AppName = package.Document.Name,
            Package = package.Record.Digest,
            Version = package.Version,
            Wish = request?.Wish switch { "gone" => Wish.Gone, "choice" => Wish.Choice, _ => Wish.Have },
            Groups = request?.Groups ?? [],
            Except = request?.Except ?? [],
            Waves = [.. Enumerable.Range(0, waves).Select(wave => new Wave(request?.Waves.ElementAtOrDefault(wave)?.Name ?? $"Wave {wave + 1}", new Pick(), wave < waves - 1 ? new Gate { NeedsApproval = true } : null, null))],
            Deadline = request?.Deadline,
        };
        var held = stored.State.Status is DeploymentStatus.Running or DeploymentStatus.Standing ? stored with { State = stored.State with { Status = DeploymentStatus.Paused, Reason = says } } : stored;
        return new DeploymentEntry(held, plan, package) { Unreadable = says };
    }

    private static string DefaultName(PackageEntry package, Wish wish) =>
        wish == Wish.Gone ? $"{package.Document.Name} taken away" : wish == Wish.Choice ? $"{package.Document.Name} {package.Record.Version} on the shelf" : $"{package.Document.Name} {package.Record.Version}";

    private static T? Take<T>(Outcome<T> outcome, string where, List<Finding> findings)
        where T : class
    {
        if (outcome.Ok)
        {
            return outcome.Value;
        }

        var failure = outcome.Failure!;
        findings.AddRange(failure.Findings.Count == 0 ? [new Finding(failure.Message, where)] : failure.Findings.Select(finding => finding with { Where = where }));
        return null;
    }
}
