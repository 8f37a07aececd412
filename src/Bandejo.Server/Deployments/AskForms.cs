using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;
using Bandejo.Server.Http;

namespace Bandejo.Server.Deployments;

/// <summary>What is asked for and what comes of it, between the forms in which they travel and those in which they are decided.</summary>
internal static class AskForms
{
    /// <summary>What a request asks for.</summary>
    public static DeploymentAsk Ask(DeploymentRequest request) => new()
    {
        Package = request.Package, Groups = request.Groups, Waves = Waves(request.Waves), Name = request.Name, Wish = request.Wish,
        Except = request.Except ?? [], Halt = request.Halt, RollBackOnHalt = request.RollBackOnHalt,
        Deadline = request.Deadline, Tries = request.Tries, RetryPause = request.RetryPause, Lease = request.Lease, Priority = request.Priority,
        AllowsDowngrade = request.AllowDowngrade, Settings = request.Settings, Preset = request.Preset,
        Handling = request.Handling, Salt = request.Salt, EndsWhenReplaced = request.EndWhenReplaced,
        Calendars = request.Calendars ?? [], AfterDeadline = request.AfterDeadline, Restart = request.Restart, StartWhen = request.StartWhen,
        Fetch = request.Fetch, AtOnce = request.AtOnce, Wakes = request.Wake, Notice = request.Notice,
    };

    public static IReadOnlyList<WaveAsk> Waves(IReadOnlyList<WaveRequest> waves) =>
        [.. waves.Select(wave => new WaveAsk(wave.Name, wave.Pick, wave.Gate, wave.OpensAt, wave.Hours, wave.Deadline))];

    public static RollBackAsk Ask(RollBackRequest request) => new(request.Reason ?? "", request.Devices, request.Wave, request.PauseOthers);

    /// <summary>Writes an ask down as it is kept, and as what is drawn by.</summary>
    public static string Write(DeploymentAsk ask) => JsonSerializer.Serialize(
        new DeploymentRequest(
            ask.Package, ask.Groups, [.. ask.Waves.Select(wave => new WaveRequest(
                wave.Name, wave.Pick, wave.Gate, wave.OpensAt, wave.Hours, wave.Deadline))],
            ask.Name, ask.Wish,
            ask.Except, ask.Halt, ask.RollBackOnHalt, ask.Deadline, ask.Tries, ask.RetryPause, ask.Lease,
            ask.Priority, ask.AllowsDowngrade, ask.Settings, ask.Preset, ask.Handling, ask.Salt, ask.EndsWhenReplaced,
            ask.Calendars.Count == 0 ? null : ask.Calendars, ask.AfterDeadline, ask.Restart, ask.StartWhen, ask.Fetch, ask.AtOnce, ask.Wakes, ask.Notice),
        ContractJson.Default.DeploymentRequest);

    /// <summary>
    /// A kept deployment with its plan. One whose plan this version cannot read takes no part in anything but being looked at, rolled back and ended, and says
    /// so.
    /// </summary>
    public static DeploymentRecord WithPlan(DeploymentRecord kept, PackageEntry package)
    {
        if (kept.Plan is not null)
        {
            return kept;
        }

        var request = RequestOf(kept);
        var read = request is null ? new Failure(ErrorKind.Invalid, "its request is none") : Planning.Read(Ask(request), kept.Id, package);
        return read.Ok ? kept with { Plan = read.Value } : Unreadable(kept, package, request, read.Failure!.Message);
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

    private static DeploymentRecord Unreadable(DeploymentRecord stored, PackageEntry package, DeploymentRequest? request, string why)
    {
        var says = $"this version of Bandejo cannot read what was started ({why.TrimEnd('.')}); roll it back or end it, and start it anew";
        var waves = stored.State.Waves.Count;
        var plan = new DeploymentPlan
        {
            Id = stored.Id,
            Name = stored.Name,
            App = package.Record.App,
            AppName = package.Contents.Name,
            Package = package.Record.Digest,
            Version = package.Version,
            Wish = request?.Wish switch { "gone" => Wish.Gone, "choice" => Wish.Choice, _ => Wish.Have },
            Groups = request?.Groups ?? [],
            Except = request?.Except ?? [],
            Waves = [.. Enumerable.Range(0, waves).Select(wave => new Wave(
                request?.Waves.ElementAtOrDefault(wave)?.Name ?? $"Wave {wave + 1}", new Pick(), wave < waves - 1 ? new Gate { NeedsApproval = true } : null,
                null))],
            Deadline = request?.Deadline,
        };
        var held = stored.State.Status is DeploymentStatus.Running or DeploymentStatus.Standing
            ? stored with { State = stored.State with { Status = DeploymentStatus.Paused, Reason = says } }
            : stored;
        return held with { Plan = plan, Unreadable = says };
    }

    public static DeploymentPreview Info(Outlook outlook)
    {
        var (plan, package) = (outlook.Plan, outlook.Package);
        return new DeploymentPreview(
            plan.Name, $"{package.Title} ({package.Digest[..12]}, {StateNames.Of(package.Record.State)})", outlook.CanStart,
            [.. outlook.Findings.Select(Problems.Info)], outlook.Reached,
            [.. outlook.Waves.Select(each => new WavePreview(
                each.Wave.Name, each.Wave.Pick.ToString(), each.Devices, each.Counted, each.Wave.Gate?.ToString(), each.Arithmetic, each.Sample,
                each.Wave.OpensAt, each.Wave.Hours?.ToString(), each.Wave.Deadline?.ToString()))],
            [.. outlook.Effects.Select(each => new EffectInfo(StateNames.Hyphenate(each.Effect.ToString()), Words(each.Effect), each.Count))],
            [.. outlook.Out.Select(Info)], [.. outlook.Spread.Select(each => new CountInfo(each.Kind, each.Count))],
            Chosen.Of(plan, package, outlook.Ask.Preset, outlook.Handling), StateNames.Of(plan.Wish),
            outlook.Hours.Count == 0 ? null : [.. outlook.Hours.Select(Info)]);
    }

    public static HoursInfo Info(HoursAhead hours) => new(hours.Devices, hours.Why.ToString(), Views.Info(hours.Why), hours.IsOpen, hours.Next, hours.Sample);

    private static string Words(Effect effect) => effect switch
    {
        Effect.HasIt => "already there",
        Effect.HasNewer => "nothing (newer is there)",
        Effect.HasNone => "nothing (not there)",
        Effect.NotKnown => "not known yet",
        _ => StateNames.Hyphenate(effect.ToString()),
    };

    public static OutInfo Info(Outsiders outsiders) => new(outsiders.Reason, outsiders.Count, outsiders.Sample);

    public static RollBackPreview Info(RollBackOutlook outlook) => new(
        outlook.Devices, outlook.Says, outlook.NotPossible,
        [.. outlook.Parts.Select(part => new RollBackPart(StateNames.Hyphenate(part.Kind.ToString()), part.Devices, part.Says, part.Sample))],
        [.. outlook.Again.Select(again => new Contract.Api.RollBackRival(again.Deployment, again.Name, again.Devices, again.Says))], outlook.Revision);

    public static ActPreview Info(ActEffect effect) => new(effect.Act, effect.Devices, effect.Says, effect.NotPossible);
}
