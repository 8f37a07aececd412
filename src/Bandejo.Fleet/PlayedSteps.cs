using Bandejo.Core.Rules;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>
/// How the steps of a played device go. A step is understood by its command: one that names a removal takes the app's files away, every other puts them there.
/// What goes wrong, and how long it takes, the script says.
/// </summary>
internal sealed class PlayedSteps(string name, IReadOnlyDictionary<string, PlayedApp> apps, Chance chance, Func<PlayedFacts> facts)
{
    private readonly Dictionary<string, int> _tries = new(StringComparer.Ordinal);

    /// <summary>How long the device stays off when a step that was begun cuts its power.</summary>
    public TimeSpan OffFor { get; private set; }

    /// <summary>A step for an app in a version was begun, now or before the fleet was started again.</summary>
    public int Begun(string app, string version) => _tries[$"{app}/{version}"] = _tries.GetValueOrDefault($"{app}/{version}") + 1;

    /// <summary>How a step goes that is begun.</summary>
    public StepPlay Play(StepRun run)
    {
        string app = run.Environment["BANDEJO_APP"], version = run.Environment["BANDEJO_VERSION"];
        var isRemoval = run.Command.Any(part => part.Contains("remove", StringComparison.OrdinalIgnoreCase));
        var tries = Begun(app, version);
        var about = apps.GetValueOrDefault(app);
        var trouble = isRemoval ? null : TroubleOf(about, app, version, tries);
        var takes = about is null ? TimeSpan.FromSeconds(30) : chance.Between($"{name}/{run.Attempt}/{run.Name}", about.Takes.From, about.Takes.To);
        OffFor = trouble?.For ?? TimeSpan.Zero;
        return trouble?.Does switch
        {
            TroubleKind.Hangs => new StepPlay(TimeSpan.FromDays(3650), 0)
            {
                Says = trouble.Says.Length > 0 ? trouble.Says : "waiting for a window that nobody sees",
            },
            TroubleKind.Dies => new StepPlay(takes * 0.6, 0) { CutsPower = true },
            TroubleKind.Fails => new StepPlay(takes * 0.4, trouble.Code) { Says = trouble.Says },
            TroubleKind.Busy => new StepPlay(takes * 0.4, 75) { Says = trouble.Says },
            TroubleKind.Lies => new StepPlay(takes, 0),
            TroubleKind.Restarts => new StepPlay(takes, 3010) { Later = PlayedFacts.FilesOf(app, version), Says = "done; a restart is needed" },
            _ => isRemoval ? new StepPlay(takes, 0) { Gone = [.. PlayedFacts.FilesOf(app, version).Keys], Says = "done" }
                : new StepPlay(takes, 0) { Put = PlayedFacts.FilesOf(app, version), Says = "done" },
        };
    }

    private Trouble? TroubleOf(PlayedApp? about, string app, string version, int tries)
    {
        for (var i = 0; i < (about?.Troubles.Count ?? 0); i++)
        {
            var trouble = about!.Troubles[i];
            if ((trouble.Version is null || trouble.Version == version) && (trouble.Tries == 0 || tries <= trouble.Tries)
                && trouble.When.Test(facts()) == Truth.True && chance.Share($"{name}/{app}/{version}/trouble/{i}") < trouble.Share)
            {
                return trouble;
            }
        }

        return null;
    }
}
