using System.Text;
using Bandejo.Core.Rules;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>
/// The processes of a played device. A step is understood by its command: one that names a removal takes the app's files away, every other puts them there.
/// What goes wrong, and how long it takes, the script says.
/// </summary>
internal sealed class PlayedProcesses(PlayedDisk disk, IReadOnlyDictionary<string, PlayedApp> apps, Chance chance, PlayedLife life) : IMachineProcesses
{
    private readonly Dictionary<string, int?> _steps = new(StringComparer.Ordinal);
    private readonly Dictionary<string, StringBuilder> _logs = new(StringComparer.Ordinal);
    private readonly Dictionary<string, int> _tries = new(StringComparer.Ordinal);

    /// <summary>Takes a line of the record over: a step that began and has no end was cut off.</summary>
    public void Replay(RecordLine line)
    {
        if (line.What is "step-began")
        {
            _steps[$"{line.Attempt}/{line.Step}"] = null;
            _tries[$"{line.App}/{line.Version}"] = _tries.GetValueOrDefault($"{line.App}/{line.Version}") + 1;
        }
        else if (line.What is "step-ended")
        {
            _steps[$"{line.Attempt}/{line.Step}"] = line.Code;
        }
    }

    public async Task<StepEnd> Run(StepRun run, TimeSpan limit, bool endAtLimit, CancellationToken cancellation)
    {
        string app = run.Environment["BANDEJO_APP"], version = run.Environment["BANDEJO_VERSION"], key = $"{run.Attempt}/{run.Name}";
        var isRemoval = run.Command.Any(part => part.Contains("remove", StringComparison.OrdinalIgnoreCase));
        var tries = _tries[$"{app}/{version}"] = _tries.GetValueOrDefault($"{app}/{version}") + 1;
        var about = apps.GetValueOrDefault(app);
        var trouble = isRemoval ? null : TroubleOf(about, app, version, tries);
        var takes = about is null ? TimeSpan.FromSeconds(30) : chance.Between($"{disk.Name}/{key}", about.Takes.From, about.Takes.To);
        life.Write(
            "step-began",
            line =>
                line with
                {
                    Attempt = run.Attempt, Step = run.Name, App = app, Version = version, Deployment = life.Engine?.State.Current?.Order.Deployment,
                    HeardAt = life.HeardAt,
                });
        _steps[key] = null;
        Log(run.Attempt, $"{string.Join(' ', run.Command)}: {app} {version} on {disk.Name}");
        switch (trouble?.Does)
        {
            case TroubleKind.Hangs:
                await life.Sleep(limit, cancellation);
                Log(run.Attempt, trouble.Says.Length > 0 ? trouble.Says : "waiting for a window that nobody sees");
                if (endAtLimit)
                {
                    life.Write("step-ended", line => line with { Attempt = run.Attempt, Step = run.Name });
                }

                return new StepEnd(null, null, true);
            case TroubleKind.Dies:
                await life.Sleep(takes * 0.6, cancellation);
                life.Die(trouble.For);
                throw new OperationCanceledException(cancellation);
            case TroubleKind.Fails or TroubleKind.Busy:
                await life.Sleep(takes * 0.4, cancellation);
                Log(run.Attempt, trouble.Says);
                return End(run, trouble.Does == TroubleKind.Busy ? 75 : trouble.Code, line => line);
            case TroubleKind.Lies:
                await life.Sleep(takes, cancellation);
                return End(run, 0, line => line);
            case TroubleKind.Restarts:
                await life.Sleep(takes, cancellation);
                Log(run.Attempt, "done; a restart is needed");
                return End(run, 3010, line => line with { Later = PlayedDisk.FilesOf(app, version) });
            default:
                await life.Sleep(takes, cancellation);
                Log(run.Attempt, "done");
                return End(
                    run, 0,
                    line => isRemoval ? line with { Gone = [.. PlayedDisk.FilesOf(app, version).Keys] } : line with { Put = PlayedDisk.FilesOf(app, version) });
        }
    }

    public void AddToLog(string attempt, string path)
    {
        // Played installers write no log of their own.
    }

    public void Hide(string attempt, IReadOnlyList<string> secrets)
    {
        if (_logs.GetValueOrDefault(attempt) is { } log)
        {
            secrets.Aggregate(log, (rest, secret) => rest.Replace(secret, "***"));
        }
    }

    public StepTrace Find(string attempt, string name) =>
        !_steps.TryGetValue($"{attempt}/{name}", out var code) ? StepTrace.NeverStarted : code is null ? StepTrace.Gone : StepTrace.Ended;

    public Task<StepEnd> Await(string attempt, string name, TimeSpan limit, bool endAtLimit, CancellationToken cancellation) =>
        Task.FromResult(new StepEnd(_steps[$"{attempt}/{name}"], null, false));

    public Task<(int Code, string Output)?> Ask(IReadOnlyList<string> command, TimeSpan limit, CancellationToken cancellation) =>
        Task.FromResult<(int, string)?>(null);

    public Task<IReadOnlyList<string>> Close(IReadOnlyList<string> names, TimeSpan patience, CancellationToken cancellation) =>
        Task.FromResult<IReadOnlyList<string>>([]);

    public Stream? OpenLog(string attempt)
    {
        lock (_logs)
        {
            return _logs.TryGetValue(attempt, out var log) ? new MemoryStream(Encoding.UTF8.GetBytes(log.ToString())) : null;
        }
    }

    public void Forget(string attempt)
    {
        lock (_logs)
        {
            _logs.Remove(attempt);
        }
    }

    private StepEnd End(StepRun run, int code, Func<RecordLine, RecordLine> with)
    {
        // One line for the effect and the end: there is no moment between them at which the fleet could be cut off.
        disk.Take(life.Write("step-ended", line => with(line with { Attempt = run.Attempt, Step = run.Name, Code = code })));
        _steps[$"{run.Attempt}/{run.Name}"] = code;
        return new StepEnd(code, null, false);
    }

    private Trouble? TroubleOf(PlayedApp? about, string app, string version, int tries)
    {
        for (var i = 0; i < (about?.Troubles.Count ?? 0); i++)
        {
            var trouble = about!.Troubles[i];
            if ((trouble.Version is null || trouble.Version == version) && (trouble.Tries == 0 || tries <= trouble.Tries)
                && trouble.When.Test(disk) == Truth.True && chance.Share($"{disk.Name}/{app}/{version}/trouble/{i}") < trouble.Share)
            {
                return trouble;
            }
        }

        return null;
    }

    private void Log(string attempt, string text)
    {
        lock (_logs)
        {
            if (!_logs.TryGetValue(attempt, out var log))
            {
                _logs[attempt] = log = new StringBuilder();
            }

            log.AppendLine(text);
        }
    }
}
