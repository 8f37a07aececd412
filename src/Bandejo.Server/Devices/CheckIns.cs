using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Packages;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Brings what a device tells at a check-in to the decisions, and the answer back.</summary>
internal sealed class CheckIns(WorldHost world, FileStore files, DeviceOptions options, SiteAuthority authority)
{
    /// <summary>
    /// One check-in. Refused as a whole where any part of it does not belong to this device; nothing is changed then. With nothing new it touches no disk.
    /// </summary>
    public Task<Outcome<CheckInReply>> Take(string id, CheckInRequest request)
    {
        var told = Told(id, request);
        if (!told.HasNews && world.Peek(each => Quick(each, id, request, told)) is { } answered)
        {
            return answered.Ok && answered.Value.Orders is not null ? WhenDurable(answered) : Task.FromResult(answered);
        }

        var before = Before(id, told);
        return world.Change<CheckInReply>(null, decision =>
        {
            var acknowledged = CheckIn.Take(decision, id, told, before);
            return acknowledged.Ok ? Answer(decision.World, decision.World.Devices[id], request, acknowledged.Value) : acknowledged.Failure!;
        });
    }

    /// <summary>What a device says of itself.</summary>
    public static FactsTold Told(FactReport report) =>
        new(report.Facts.Select(fact => (fact.Key, fact.Value)), report.Programs?.Select(program => (program.Name, program.Version, program.Source)));

    private CheckInTold Told(string id, CheckInRequest request) => new()
    {
        Sequence = request.Sequence,
        FactsDigest = request.FactsDigest,
        Facts = request.Facts is { } facts ? Told(facts) : null,
        Attempts = request.Attempts.Count == 0 ? [] : [.. request.Attempts.Select(attempt => Told(id, attempt))],
        Proofs = request.Proofs.Count == 0 ? [] : [.. request.Proofs.Select(proof => new ProofTold(proof.Deployment, proof.Answer, proof.Why))],
        Waits = request.Waits is { Count: > 0 } waits ? [.. waits.Select(wait => new WaitsFor(wait.Deployment, wait.Why))] : [],
        Said = request.Said is { Count: > 0 } said ? [.. said.Select(word => new UserTold(word.Id, word.Kind, word.App, word.Text))] : [],
    };

    private AttemptTold Told(string id, AttemptReport report) => new(
        report.Id, report.Deployment, report.Kind, report.HasEnded, report.StartedAt, report.EndedAt, report.Outcome, report.Phase, report.ExitCode, report.Message, report.HasLog, report.Before, report.BeforePackage,
        report is { Kind: AttemptTold.TrialKind, HasEnded: true, Steps: { Count: > 0 } steps } && world.Peek(each => each.Devices.Get(id)?.Name) is { } name ? KeptTrials.Told(files, new Contract.Api.TrialReport($"the device {name}", steps)) : null);

    /// <summary>Looks up what of it was told before, where the device's own clock leaves that open.</summary>
    private ToldBefore Before(string id, CheckInTold told)
    {
        if (told.Attempts.Count == 0 && told.Said.Count == 0)
        {
            return ToldBefore.Nothing;
        }

        var (known, heard) = world.Peek(each => each.Devices.Get(id) is { } device ? (device.Memory.NewestAttempt, device.Record.Heard) : (DateTimeOffset.MaxValue, null));
        var newest = known ?? (world.Store.Attempts(null, id, 1) is [var last] ? last.StartedAt : DateTimeOffset.MinValue);
        return new ToldBefore(
            newest,
            told.Attempts.Where(attempt => attempt.StartedAt <= newest && !attempt.IsOfTrial).Select(attempt => attempt.Id).Distinct().Where(attempt => world.Store.Attempt(attempt) is not null).ToHashSet(StringComparer.Ordinal),
            told.Said.Select(word => word.Id).Distinct().Where(word => heard?.Contains(word) != true && world.Store.HasUserWord(id, word)).ToHashSet(StringComparer.Ordinal));
    }

    private async Task<Outcome<CheckInReply>> WhenDurable(Outcome<CheckInReply> answer)
    {
        await world.Durable();
        return answer;
    }

    private Outcome<CheckInReply>? Quick(FleetWorld each, string id, CheckInRequest request, CheckInTold told)
    {
        if (CheckIn.Against(each, id, told) is { } against)
        {
            return against;
        }

        var device = each.Devices[id];
        if (!CheckIn.IsQuiet(each, device, told))
        {
            return null;
        }

        each.Apply(new NoteHeard(id, each.Now, told.Sequence));
        return Answer(each, device, request, []);
    }

    private CheckInReply Answer(FleetWorld each, DeviceEntry device, CheckInRequest request, IReadOnlyList<string> acknowledged)
    {
        var (orders, tag) = each.OrdersTag(device) == request.OrdersTag ? (null, request.OrdersTag) : Orders.Of(each, device);
        each.NoteOrdersTag(device, tag);
        device.Presence.TrustTag = request.TrustTag;
        var isNew = tag != request.OrdersTag;
        return new CheckInReply(
            acknowledged, request.FactsDigest != device.Record.FactsDigest, isNew ? orders : null, tag, options.CheckInSeconds, isNew ? each.Settings.GetValueOrDefault(PackageLives.WithdrawnList) : null,
            request.TrustTag is { } known && authority.Trust is { } trust && trust.Tag != known ? trust : null, request.Facts is not null && device.Memory.LeftOut.Count > 0 ? device.Memory.LeftOut : null);
    }
}

/// <summary>A <see cref="CheckInAnswer"/> on its way out: its orders are JSON already.</summary>
internal sealed record CheckInReply(IReadOnlyList<string> Acknowledged, bool WantsFacts, byte[]? Orders, string OrdersTag, int NextSeconds, string? Withdrawn, TrustInfo? Trust, IReadOnlyList<string>? LeftOut)
{
    public void Write(Utf8JsonWriter json)
    {
        json.WriteStartObject();
        json.WriteStartArray("acknowledged"u8);
        foreach (var report in Acknowledged)
        {
            json.WriteStringValue(report);
        }

        json.WriteEndArray();
        json.WriteBoolean("wantsFacts"u8, WantsFacts);
        if (Orders is not null)
        {
            json.WritePropertyName("orders"u8);
            json.WriteRawValue(Orders, skipInputValidation: true);
        }

        json.WriteString("ordersTag"u8, OrdersTag);
        json.WriteNumber("nextSeconds"u8, NextSeconds);
        if (Withdrawn is not null)
        {
            json.WriteString("withdrawn"u8, Withdrawn);
        }

        if (LeftOut is not null)
        {
            json.WriteStartArray("leftOut"u8);
            foreach (var fact in LeftOut)
            {
                json.WriteStringValue(fact);
            }

            json.WriteEndArray();
        }

        if (Trust is not null)
        {
            json.WritePropertyName("trust"u8);
            JsonSerializer.Serialize(json, Trust, ContractJson.Default.TrustInfo);
        }

        json.WriteEndObject();
    }
}

/// <summary>How the service deals with devices.</summary>
internal sealed class DeviceOptions
{
    /// <summary>Seconds between check-ins. Default 60, at least 1.</summary>
    public int CheckInSeconds { get; set; } = 60;
}
