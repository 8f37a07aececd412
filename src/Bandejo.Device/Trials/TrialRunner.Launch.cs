using System.Globalization;
using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;

namespace Bandejo.Device.Trials;

/// <summary>What is started of what was installed: the services it brings, and its program, for the system account and for people.</summary>
public sealed partial class TrialRunner
{
    private const int ShownWritten = 5;

    private static readonly TimeSpan ServicePatience = TimeSpan.FromSeconds(5);

    private static readonly TimeSpan AskLimit = TimeSpan.FromSeconds(20);

    /// <summary>Says of each service that it brings whether it starts with the device, runs now, and stays up.</summary>
    private async Task TellServices(List<ChangedFile> placed, CancellationToken cancellation)
    {
        var services = BroughtService.Of(
            [.. placed.Select(file => file.Path)], path => machine.Ground.Find(path, new Accounts(null, null))?.Kind == "link", machine.Ground.Now)
            .Where(service => !service.IsForOthers).ToList();
        if (services.Count == 0)
        {
            return;
        }

        var hasManager = machine.Files.Exists(Prover.ServiceManager);
        var first = hasManager ? await Running(services, cancellation) : [];
        if (hasManager)
        {
            await Task.Delay(ServicePatience, time, cancellation);
        }

        var then = hasManager ? await Running(services, cancellation) : [];
        var lines = services.ConvertAll(
            service => $"{service.Name}: {(service.IsEnabled ? "enabled, it starts with the device" : "not enabled, nothing starts it with the device")}"
                + (!hasManager ? "" : then.Contains(service.Name) ? ", and it is up"
                    : first.Contains(service.Name) ? $", and it was up but not any more after {Units.FormatDuration(ServicePatience)}" : ", and it is not up"));
        var isWell = services.TrueForAll(service => service.IsEnabled && (!hasManager || then.Contains(service.Name)));
        var what = services.Count == 1
            ? lines[0]
            : string.Create(
                CultureInfo.InvariantCulture,
                $"{services.Count} services are brought, {services.Count(service => service.IsEnabled)} of them "
                    + $"enabled{(hasManager ? $" and {then.Count} up" : "")}");
        var cure = isWell ? "" : ". Where it should be, have 'install' enable and start it";
        Tell(
            "services", !isWell ? TrialState.Warned : hasManager ? TrialState.Passed : TrialState.LeftOut,
            $"{what}{cure}.{(hasManager ? "" : " No service manager runs here, so whether it starts and stays up was not tried; try it on a device (--on).")}",
            hasManager ? ServicePatience.TotalSeconds : 0, null, services.Count == 1 ? [] : lines);
    }

    private async Task<HashSet<string>> Running(List<BroughtService> services, CancellationToken cancellation)
    {
        var up = new HashSet<string>(StringComparer.Ordinal);
        foreach (var service in services)
        {
            if (await machine.Processes.Ask(["systemctl", "is-active", "--quiet", service.Name], AskLimit, cancellation) is { Code: 0 })
            {
                up.Add(service.Name);
            }
        }

        return up;
    }

    /// <summary>Whether it started and still runs; false where it ended well or there is nothing to start, null where it failed.</summary>
    private async Task<bool?> Launch(CancellationToken cancellation)
    {
        if (variant.Launch is null && variant.Install.Run.Count == 0)
        {
            return false;
        }

        if (variant.Launch is null)
        {
            Tell("launch", TrialState.LeftOut, "The manifest names no 'launch', so nobody knows yet whether it starts.");
            return false;
        }

        var own = await Start("launch", variant, null, cancellation);
        var (people, whyNone) = machine.Ground.MakePeople();
        var started = new List<(MachinePerson Person, Started How)>();
        foreach (var person in people)
        {
            started.Add((person, await Start($"launch-{person.Name}", variant, person, cancellation)));
        }

        // As on a device that several use, the second starts it while the first has it open.
        foreach (var (_, how) in started.Where(each => each.How.IsUp))
        {
            await machine.Processes.Await(how.Attempt, how.Attempt, TimeSpan.Zero, endAtLimit: true, cancellation);
        }

        var runsForPeople = started.Count > 0 && started[0].How.HasHeld;
        Tell(
            "launch", own.HasHeld ? TrialState.Passed : runsForPeople ? TrialState.Warned : TrialState.Failed,
            own.HasHeld
                ? own.Says
                : $"{(runsForPeople ? "It does not run for the system account, which some programs refuse" : "It is there but does not run")}: {own.Says}",
            own.Seconds, own.Code, own.Log);
        foreach (var (person, how) in started)
        {
            var isFirst = person == people[0];
            var written = machine.Ground.WrittenBy(person);
            var wrote = written.Count == 0
                ? ""
                : $"; in the person's own folder it wrote {string.Join(", ", written.Take(ShownWritten))}"
                    + $"{(written.Count > ShownWritten ? string.Create(CultureInfo.InvariantCulture, $" and {written.Count - ShownWritten:N0} more") : "")}";
            Tell(
                isFirst ? "as a person" : "second person", how.HasHeld ? TrialState.Passed : TrialState.Warned,
                $"{(how.HasHeld ? "" : isFirst ? "For an ordinary user it does not run: " : "It does not run for a second person at the same device: ")}"
                    + $"{how.Says}{wrote}",
                how.Seconds, how.Code, how.Log);
        }

        machine.Ground.RemovePeople();
        if (people.Count == 0)
        {
            Tell("as a person", TrialState.LeftOut, $"Whether it starts for an ordinary user was not tried: {whyNone}.");
        }

        return own.IsUp ? true : own.HasHeld || runsForPeople ? false : null;
    }

    private async Task<Started> Start(string name, DocumentVariant with, MachinePerson? person, CancellationToken cancellation)
    {
        var attempt = Attempt(name);
        var (seconds, end) = await Timed(() => machine.Processes.Run(
            new StepRun(attempt, attempt, with.Launch!.Run, None, with.Launch.Environment ?? None, None, IsGentle: false, person),
            TimeSpan.FromSeconds(with.Launch.StaysSeconds), endAtLimit: false, cancellation));
        var log = Log();
        var says = end.TimedOut ? $"It started, and was still up after {Units.FormatDuration(TimeSpan.FromSeconds(with.Launch!.StaysSeconds))}"
            : end.ExitCode == 0 ? "It started, and ended by itself with code 0"
            : $"{end.Problem ?? $"it ended with code {end.ExitCode}"}{Steps.LastWords(log)}";
        return new Started(attempt, end.TimedOut, end.TimedOut || end.ExitCode == 0, says, seconds, end.ExitCode, log);
    }

    /// <summary>How a start went.</summary>
    /// <param name="IsUp">It still runs.</param>
    /// <param name="HasHeld">It still runs, or ended well.</param>
    private sealed record Started(string Attempt, bool IsUp, bool HasHeld, string Says, double Seconds, int? Code, IReadOnlyList<string> Log);
}
