using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Brings what a device tells at a check-in to the decisions, and the answer back.</summary>
internal sealed class CheckIns(WorldHost world, FileStore files, DeviceOptions options, SiteAuthority authority, CalendarSeals seals)
{
    /// <summary>
    /// One check-in. Refused as a whole where any part of it does not belong to this device; nothing is changed then. With nothing new it touches no disk.
    /// </summary>
    public Task<Outcome<CheckInAnswer>> Take(string id, CheckInRequest request)
    {
        var told = Told(id, request);
        if (!told.HasNews && world.Peek(each => Quick(each, id, request, told)) is { } answered)
        {
            return answered.Ok && answered.Value.Orders is not null ? WhenDurable(answered) : Task.FromResult(answered);
        }

        var before = Before(id, told);
        return world.Change<CheckInAnswer>(null, decision =>
        {
            var acknowledged = CheckIn.Take(decision, id, told, before);
            return acknowledged.Ok ? Answer(decision.World, decision.World.Devices[id], request, acknowledged.Value) : acknowledged.Failure!;
        });
    }

    private CheckInTold Told(string id, CheckInRequest request) => DeviceForms.Told(request, report => TrialOf(id, report));

    /// <summary>What the end of a trial tells; null where it is none.</summary>
    private TrialTold? TrialOf(string id, AttemptReport report) =>
        report is { Kind: AttemptTold.TrialKind, HasEnded: true, Steps: { Count: > 0 } steps } && world.Peek(each => each.Devices.Get(id)?.Name) is { } name
            ? KeptTrials.Told(files, new Contract.Api.TrialReport($"the device {name}", steps)) : null;

    /// <summary>Looks up what of it was told before, where the device's own clock leaves that open.</summary>
    private ToldBefore Before(string id, CheckInTold told)
    {
        if (told.Attempts.Count == 0 && told.Proofs.Count == 0 && told.Said.Count == 0)
        {
            return ToldBefore.Nothing;
        }

        var (known, heard, shelved) = world.Peek(each =>
        {
            List<string> over = [.. told.Deployments.Where(deployment => each.Deployments.GetValueOrDefault(deployment)?.IsShelved == true)];
            return each.Devices.Get(id) is { } device ? (device.Memory.NewestAttempt, device.Record.Heard, over) : (DateTimeOffset.MaxValue, null, over);
        });
        var newest = known ?? (told.Attempts.Count > 0 && world.Store.Attempts(null, id, 1) is [var last] ? last.StartedAt : DateTimeOffset.MinValue);
        return ToldBefore.Of(
            told, newest, attempt => world.Store.Attempt(attempt) is not null, word => heard?.Contains(word) != true && world.Store.HasUserWord(id, word)) with
        {
            Shelved = shelved.Count == 0 ? ShelvedTargets.None : world.Store.Targets(id, shelved),
        };
    }

    private async Task<Outcome<CheckInAnswer>> WhenDurable(Outcome<CheckInAnswer> answer)
    {
        await world.Durable();
        return answer;
    }

    private Outcome<CheckInAnswer>? Quick(FleetWorld each, string id, CheckInRequest request, CheckInTold told) =>
        CheckIn.TakeQuiet(each, id, told) is not { } taken ? null : taken.Ok ? Answer(each, taken.Value, request, []) : taken.Failure!;

    private CheckInAnswer Answer(FleetWorld each, DeviceEntry device, CheckInRequest request, IReadOnlyList<string> acknowledged) =>
        DeviceForms.Answer(
            each, device, request, acknowledged,
            options.CheckInSeconds, seals) with { Trust = request.TrustTag is { } known && authority.Trust is { } trust && trust.Tag != known ? trust : null };
}

/// <summary>How the service deals with devices.</summary>
internal sealed class DeviceOptions
{
    /// <summary>Seconds between check-ins. Default 60, at least 1.</summary>
    public int CheckInSeconds { get; set; } = 60;
}
