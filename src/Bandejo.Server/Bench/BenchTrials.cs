using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.World;
using Bandejo.Packaging;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Bench;

/// <summary>Whether and how drafts are tried on the service's own machine.</summary>
/// <param name="IsOn">Off unless the service is told otherwise: a trial runs what somebody else made, if in a sandbox.</param>
internal sealed record BenchTrialOptions(bool IsOn);

/// <summary>Trials of drafts, one at a time, in a clean sandbox of the service's machine.</summary>
internal sealed class BenchTrials(Drafts drafts, WorldHost world, FileStore files, BenchTrialOptions options, IHostApplicationLifetime life)
{
    private static readonly TimeSpan Longest = TimeSpan.FromMinutes(30);

    private readonly string? _agent = options.IsOn ? TrialProcess.Find() : null;
    private readonly Lock _lock = new();
    private string? _running;
    private BenchTrialInfo? _now;

    /// <summary>Why there are no trials here; null where there are.</summary>
    public string? Why => _agent is not null ? null
        : options.IsOn ? "The agent's program, bandejo-agent, is neither beside the service nor on its path."
        : "This service carries out no trials; it must be started with --trials on. The command line tries a package folder on its own machine: bandejo "
            + "package trial FOLDER.";

    /// <summary>The last trial of a draft, or the one that runs.</summary>
    /// <param name="digest">The digest of the draft's document as it is now; empty where it has none.</param>
    public BenchTrialInfo? Of(KeptDraft draft, string digest)
    {
        lock (_lock)
        {
            if (_running == draft.Id)
            {
                return _now! with { Steps = [.. _now.Steps] };
            }
        }

        // One that still runs by what is kept was cut off when the service stopped.
        return draft.Trial is { IsRunning: true } cut
            ? cut with { IsRunning = false, IsOfThis = false, Problem = "The service stopped in the middle of this trial; start it again." }
            : draft.Trial is { } kept ? kept with { IsOfThis = draft.Tried == digest }
            : null;
    }

    public async Task<Outcome<BenchTrialInfo>> Start(string id, string by)
    {
        if (_agent is not { } agent)
        {
            return new Failure(ErrorKind.Conflict, Why!);
        }

        var found = drafts.Find(id);
        if (!found.Ok)
        {
            return found.Failure!;
        }

        if (drafts.Check(found.Value)?.Document is not { } document)
        {
            return new Failure(ErrorKind.Conflict, "The draft has errors; mend them first, then try it.");
        }

        var trial = new BenchTrialInfo(true, false, true, world.Now, [], null);
        lock (_lock)
        {
            if (_running is not null)
            {
                return new Failure(ErrorKind.Conflict, "Another trial runs at the moment; there is one at a time.");
            }

            (_running, _now) = (id, trial);
        }

        var digest = Drafts.DigestOf(Encoding.UTF8.GetBytes(document));
        await drafts.Keep(id, draft => draft with { Trial = trial, Tried = digest });
        var plan = new TrialPlan(
            new TrialPackage(JsonSerializer.Deserialize(document, ContractJson.Default.PackageDocument)!, drafts.FilesOf(id)), null, [], [], null, false, []);
        await world.Change(by, change =>
        {
            change.Audit("bench-trial", $"A trial of the draft {Drafts.NameOf(found.Value)} ({id}) was started.");
            return (Outcome<bool>)true;
        });
        _ = Task.Run(() => Run(agent, id, digest, plan, by));
        return trial;
    }

    /// <summary>Keeps the trial of a draft with the package that was built of it, where it was of just this content.</summary>
    public async Task Attach(string id, string digest, string by)
    {
        if (drafts.Find(id) is { Ok: true, Value: { Trial: { IsRunning: false, Problem: null, Steps.Count: > 0 } trial } draft } && draft.Tried == digest)
        {
            await Keep(digest, trial.Steps, by);
        }
    }

    private async Task Run(string agent, string id, string digest, TrialPlan plan, string by)
    {
        var problem = "";
        try
        {
            using var end = CancellationTokenSource.CreateLinkedTokenSource(life.ApplicationStopping);
            end.CancelAfter(Longest);
            var (code, _, said) = await TrialProcess.Run(agent, plan, Tell, end.Token);
            problem = TrialProcess.IsResult(code) ? "" : said;
        }
        catch (OperationCanceledException)
        {
            problem = $"It was ended after {Core.Rules.Units.FormatDuration(Longest)}, or because the service stops.";
        }
        catch (Exception error) when (error is IOException or InvalidOperationException or System.ComponentModel.Win32Exception or JsonException)
        {
            problem = error.Message;
        }

        BenchTrialInfo ended;
        lock (_lock)
        {
            ended = _now! with
            {
                IsRunning = false, Problem = problem.Length == 0 ? null : problem,
                HasPassed = problem.Length == 0 && _now.Steps.All(step => step.State != "failed") && _now.Steps.Any(step => step.Name == "install"),
            };
        }

        // Kept before it is over: whoever looks finds it running, or its end.
        await drafts.Keep(id, draft => draft with { Trial = ended });
        lock (_lock)
        {
            (_running, _now) = (null, null);
        }

        if (ended.Problem is null && world.Read(each => each.Packages.ContainsKey(digest)))
        {
            await Keep(digest, ended.Steps, by);
        }
    }

    private void Tell(TrialStepInfo step)
    {
        lock (_lock)
        {
            _now = _now! with { Steps = [.. _now.Steps, step] };
        }
    }

    private Task Keep(string digest, IReadOnlyList<TrialStepInfo> steps, string by)
    {
        var report = new TrialReport("the service's machine, a clean sandbox", steps);
        var told = KeptTrials.Told(files, report);
        return world.Change(by, decision => PackageLives.Try(decision, digest, told));
    }
}
