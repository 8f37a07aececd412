using System.Buffers;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.World;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Takes in what a device says at a check-in.</summary>
internal sealed class CheckIns(FleetWorld world, FileStore files, DeviceOptions options, SiteAuthority authority)
{
    private static readonly SearchValues<char> InNames = SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789");

    /// <summary>How much "last heard" may lag behind on disk: a few check-ins, so that most of them write nothing.</summary>
    private TimeSpan LastHeardLag { get; } = TimeSpan.FromSeconds(Math.Max(1800, 6.0 * options.CheckInSeconds));

    /// <summary>
    /// One check-in. Refused as a whole where any part of it does not belong to this device; nothing is changed then. With nothing new it touches no disk.
    /// </summary>
    public Task<Outcome<CheckInReply>> Take(string id, CheckInRequest request)
    {
        if (!HasNews(request) && world.Read(each => Quick(each, id, request)) is { } answered)
        {
            return answered.Ok && answered.Value.Orders is not null ? WhenDurable(answered) : Task.FromResult(answered);
        }

        var trials = request.Attempts.Any(report => report.Kind == DeviceTrials.Kind) ? KeepTrials(id, request) : [];
        return world.Change(null, change => Take(change, id, request, trials));
    }

    private async Task<Outcome<CheckInReply>> WhenDurable(Outcome<CheckInReply> answer)
    {
        await world.Durable();
        return answer;
    }

    private static bool HasNews(CheckInRequest request) => request.Facts is not null || request.Proofs.Count > 0 || request.Attempts.Count > 0 || request.Said is { Count: > 0 };

    private Dictionary<(string, bool), string?> KeepTrials(string id, CheckInRequest request)
    {
        var device = world.Read(each => each.Devices.GetValueOrDefault(id));
        var kept = new Dictionary<(string, bool), string?>();
        foreach (var report in device is null ? [] : request.Attempts.Where(report => report.Kind == DeviceTrials.Kind))
        {
            kept[(report.Id, report.HasEnded)] = DeviceTrials.Form(device!, report) is { } form ? files.Keep(form) : null;
        }

        return kept;
    }

    private Outcome<CheckInReply>? Quick(FleetWorld each, string id, CheckInRequest request)
    {
        if (Refusal(each, id, request) is { } refusal)
        {
            return refusal;
        }

        var device = each.Devices[id];
        if (device.Record.LastHeard is not { } kept || each.Now - kept > LastHeardLag)
        {
            return null;
        }

        if (!(device.Waits ?? []).SequenceEqual(request.Waits ?? []))
        {
            return null;
        }

        device.LastHeard = each.Now;
        device.Sequence = request.Sequence;
        return Answer(each, device, request, []);
    }

    private static Failure? Refusal(FleetWorld each, string id, CheckInRequest request)
    {
        if (!each.Devices.TryGetValue(id, out var device))
        {
            return new Failure(ErrorKind.Gone, "This device is not enrolled here any more. Join again with a new code.");
        }

        if (request.Sequence < device.Sequence)
        {
            return new Failure(ErrorKind.Stale, $"This check-in has number {request.Sequence}, and {device.Sequence} was taken already.");
        }

        foreach (var attempt in request.Attempts)
        {
            if (!IsName(attempt.Id) || (attempt.HasEnded && !Attempts.Words.ContainsKey(attempt.Outcome ?? "")))
            {
                return new Failure(ErrorKind.Invalid, $"The report of attempt '{attempt.Id}' has no valid identity or outcome.");
            }

            if (attempt.Kind != DeviceTrials.Kind && (!each.Deployments.TryGetValue(attempt.Deployment, out var deployment) || !deployment.Targets.Has(device)))
            {
                return new Failure(ErrorKind.Forbidden, $"{device.Name} is no target of the deployment '{attempt.Deployment}'; the report of attempt {attempt.Id} was not taken.");
            }

            if (each.OpenAttempts.TryGetValue(attempt.Id, out var open) && open.Device != id)
            {
                return new Failure(ErrorKind.Forbidden, $"Attempt {attempt.Id} belongs to another device; the report was not taken.");
            }
        }

        foreach (var proof in request.Proofs)
        {
            if (!each.Deployments.TryGetValue(proof.Deployment, out var deployment) || !deployment.Targets.Has(device))
            {
                return new Failure(ErrorKind.Forbidden, $"{device.Name} is no target of the deployment '{proof.Deployment}'; its proof was not taken.");
            }
        }

        foreach (var word in request.Said ?? [])
        {
            if (!IsName(word.Id) || word.Kind is not ("take" or "harm") || word.App.Length is 0 or > 64)
            {
                return new Failure(ErrorKind.Invalid, $"What the user said ('{word.Id}') has no valid identity, kind or app.");
            }
        }

        return null;
    }

    private static bool IsName(string id) => id.Length is > 0 and <= 40 && !id.AsSpan().ContainsAnyExcept(InNames);

    private Outcome<CheckInReply> Take(WorldChange change, string id, CheckInRequest request, Dictionary<(string, bool), string?> trials)
    {
        if (Refusal(change.World, id, request) is { } refusal)
        {
            return refusal;
        }

        var device = change.World.Devices[id];
        change.By = device.Name;
        device.LastHeard = change.Now;
        device.Sequence = request.Sequence;
        var isKeptLate = device.Record.LastHeard is not { } kept || change.Now - kept > LastHeardLag;
        if (isKeptLate || request.Facts is not null)
        {
            device.Record = device.Record with { LastHeard = change.Now, Sequence = request.Sequence };
        }

        if (request.Facts is { } facts && request.FactsDigest != device.Record.FactsDigest)
        {
            TakeFacts(change, device, request.FactsDigest, facts);
            change.Keep(new PutDevice(device.Record));
        }
        else if (isKeptLate)
        {
            change.Keep(new PutHeard(id, change.Now, request.Sequence));
        }

        var acknowledged = new List<string>();
        foreach (var report in InTheirOrder(request.Attempts))
        {
            if (report.Kind == DeviceTrials.Kind)
            {
                DeviceTrials.Take(change, device, report, trials.GetValueOrDefault((report.Id, report.HasEnded)));
            }
            else
            {
                TakeAttempt(change, device, report);
            }

            acknowledged.Add($"{report.Id}/{(report.HasEnded ? "ended" : "began")}");
        }

        // What it does not send any more was acknowledged, and is in the store for certain.
        device.LastReported = [.. request.Attempts.Where(report => report.HasEnded).Select(report => report.Id)];
        foreach (var proof in request.Proofs)
        {
            TakeProof(change, device, proof);
        }

        TakeWaits(change, device, request.Waits);
        foreach (var word in request.Said ?? [])
        {
            UserWords.Take(change, device, word);
            acknowledged.Add(word.Id + "/said");
        }

        if (request.Facts is not null || request.Said is { Count: > 0 })
        {
            Engine.WeighDevice(change, device);
        }
        else
        {
            WeighAfter(change, device, request.Attempts);
        }

        return Answer(change.World, device, request, acknowledged);
    }

    /// <summary>Weighs the device after attempts, once for each deployment that they were about.</summary>
    private static void WeighAfter(WorldChange change, DeviceEntry device, IReadOnlyList<AttemptReport> attempts)
    {
        var names = attempts.Select(attempt => attempt.Deployment);
        foreach (var name in attempts.Count < 2 ? names : names.Distinct())
        {
            if (change.World.Deployments.TryGetValue(name, out var deployment))
            {
                Engine.WeighDevice(change, device, deployment);
            }
        }
    }

    private static IEnumerable<AttemptReport> InTheirOrder(IReadOnlyList<AttemptReport> reports) =>
        reports.Count < 2 ? reports : reports.OrderBy(report => report.StartedAt).ThenBy(report => report.HasEnded);

    private CheckInReply Answer(FleetWorld each, DeviceEntry device, CheckInRequest request, IReadOnlyList<string> acknowledged)
    {
        var (orders, tag) = device.OrdersTag == request.OrdersTag ? (null, request.OrdersTag) : Orders.Of(each, device);
        var isNew = tag != request.OrdersTag;
        device.TrustTag = request.TrustTag;
        return new CheckInReply(acknowledged, request.FactsDigest != device.Record.FactsDigest, isNew ? orders : null, tag, options.CheckInSeconds, isNew ? each.Settings.GetValueOrDefault("withdrawn.list") : null, request.TrustTag is { } known && authority.Trust is { } trust && trust.Tag != known ? trust : null, request.Facts is not null && device.LeftOut.Count > 0 ? device.LeftOut : null);
    }

    /// <summary>Takes over changed facts, and puts the device into the groups they lead to.</summary>
    public static void TakeFacts(WorldChange change, DeviceEntry device, string digest, FactReport report)
    {
        var world = change.World;
        var old = device.Record;
        var before = old.Sheet.Facts().ToDictionary(fact => fact.Name);
        var today = DateOnly.FromDateTime(change.Now.UtcDateTime);
        device.NewWords = device.NewWords.Day == today ? device.NewWords : (today, 0);
        var taken = FactLimits.Within(report.Facts.Select(fact => (fact.Key, fact.Value)), report.Programs?.Select(program => (program.Name, program.Version, program.Source)), world.Words.Holds, FactLimits.MaxNewWords - device.NewWords.Count, out var brought);
        device.NewWords = (today, device.NewWords.Count + brought);
        if (taken.LeftOut.Count > 0 && !taken.LeftOut.SequenceEqual(device.LeftOut))
        {
            change.Event("device", "facts-left-out", $"Not all that {device.Name} says of itself was taken: {string.Join("; ", taken.LeftOut.Take(5))}{(taken.LeftOut.Count > 5 ? "; …" : "")}", null, device.Id, null, device.Name);
        }

        device.LeftOut = taken.LeftOut;
        var facts = taken.Facts.Select(fact => (Name: world.Words.Number(fact.Name), fact.Value))
            .Select(fact => new ReportedFact(fact.Name, fact.Value, before.TryGetValue(fact.Name, out var known) && known.Value == fact.Value ? known.Since : change.Now)).ToList();
        var programs = taken.Programs?.Select(program => new ReportedProgram(world.Words.Number(program.Name), world.Words.Number(program.Version), world.Words.Number(program.Source))).ToList();
        world.FactsGone(device);
        device.Record = old with { Sheet = FactSheet.Of(facts, programs), FactsDigest = digest };
        world.FactsApplied(device);
        foreach (var group in world.Groups.Values)
        {
            if (group.Rule is not null)
            {
                var truth = group.Test(world.Columns, device.Row);
                if (before.Count > 0 && group.In[device.Row] != (truth == Truth.True))
                {
                    change.Moved(group, device, isIn: truth == Truth.True);
                }

                group.In[device.Row] = truth == Truth.True;
                group.NotKnown[device.Row] = truth == Truth.NotKnown;
            }
        }
    }

    private static void TakeAttempt(WorldChange change, DeviceEntry device, AttemptReport report)
    {
        var world = change.World;
        var deployment = world.Deployments[report.Deployment];
        var open = world.OpenAttempts.GetValueOrDefault(report.Id);
        if (open is null && IsKept(world, device, report))
        {
            // Both reports of this attempt are kept already; this is a repetition.
            return;
        }

        var isRestore = report.Kind == "restore";
        var attempt = (open ?? new AttemptRecord(report.Id, deployment.Id, device.Id, report.Kind, deployment.Plan.Version.Text, report.StartedAt, null, null, report.Phase, null, "", false)) with
        {
            EndedAt = report.EndedAt,
            Outcome = report.HasEnded ? report.Outcome : null,
            Phase = report.Phase,
            ExitCode = report.ExitCode,
            Message = report.Message.Length > 1000 ? report.Message[..1000] : report.Message,
            HasLog = report.HasLog,
        };
        if (open is null)
        {
            Engine.Happen(change, deployment, device, new Happening(TargetEvent.Began, isRestore ? "Being brought back to what was there before" : report.Kind == "remove" ? "Being taken away" : "Being installed"));
        }

        var target = deployment.Targets[device];
        if (!isRestore && target.Before is null && report.Before is not null)
        {
            target = target with { Before = report.Before, BeforePackage = report.BeforePackage };
            Engine.Replace(change, deployment, device, target);
        }

        change.Keep(new PutAttempt(attempt));
        if (!report.HasEnded)
        {
            world.OpenAttempts[report.Id] = attempt;
            if (attempt.Message.Length > 0 && attempt.Message != open?.Message && deployment.Targets[device] is { State: TargetState.Working } at)
            {
                Engine.Replace(change, deployment, device, at with { Reason = attempt.Message });
                change.Event("target", "takes-long", $"{device.Name}: {attempt.Message}.", null, device.Id, deployment.Id);
            }

            return;
        }

        world.OpenAttempts.Remove(report.Id);
        device.LastReported = [.. device.LastReported, report.Id];
        var happening = Attempts.Judge(target, isRestore, Attempts.Words[report.Outcome!], attempt.Message, deployment.Plan.Retry, report.EndedAt ?? change.Now);
        Engine.Happen(change, deployment, device, happening);
        if (!isRestore && deployment.Targets[device] is { IsGoingBack: true, State: not TargetState.Undone })
        {
            // It ended only now, after going back was asked for: that is done upon it.
            RollingBack.Bring(change, deployment, device);
        }
    }

    /// <summary>Whether a report of an attempt that is not open was taken before. The store is asked only where the device's own clock leaves it open.</summary>
    private static bool IsKept(FleetWorld world, DeviceEntry device, AttemptReport report)
    {
        device.NewestAttempt ??= world.Store.Attempts(null, device.Id, 1) is [var newest] ? newest.StartedAt : DateTimeOffset.MinValue;
        if (report.StartedAt > device.NewestAttempt)
        {
            device.NewestAttempt = report.StartedAt;
            return false;
        }

        return device.LastReported.Contains(report.Id) || world.Store.Attempt(report.Id) is not null;
    }

    /// <summary>Says at its targets what the device waits for before it starts.</summary>
    private static void TakeWaits(WorldChange change, DeviceEntry device, IReadOnlyList<WaitReport>? waits)
    {
        if ((device.Waits ?? []).SequenceEqual(waits ?? []))
        {
            return;
        }

        device.Waits = waits;
        foreach (var deployment in device.Deployments.Where(each => each.IsActive))
        {
            var why = waits?.FirstOrDefault(wait => wait.Deployment == deployment.Id)?.Why;
            if (deployment.Targets.Of(device) is { } target && target.WaitsFor != why)
            {
                Engine.Replace(change, deployment, device, target with { WaitsFor = why });
                if (target.State == TargetState.Ready)
                {
                    Engine.Happen(change, deployment, device, new Happening(TargetEvent.Due, Targets.DueReason(deployment.Targets[device])));
                }
            }
        }
    }

    private static void TakeProof(WorldChange change, DeviceEntry device, ProofReport proof)
    {
        var deployment = change.World.Deployments[proof.Deployment];
        var target = deployment.Targets[device];
        if (target.IsGoingBack || proof.Answer == Words.Of(PresenceAnswer.NotKnown))
        {
            return;
        }

        var isThere = proof.Answer is "present" || (proof.Answer is "newer" && !deployment.Plan.AllowsDowngrade);
        var holds = deployment.Plan.Wish == Wish.Gone ? proof.Answer == "absent" : isThere;
        var why = proof.Why.Length > 400 ? proof.Why[..400] : proof.Why;
        if (holds)
        {
            Engine.Happen(change, deployment, device, new Happening(TargetEvent.ProofHeld, target.State == TargetState.Met || target.HasBegun ? why : why + "; it was so already"));
        }
        else if (target.State == TargetState.Met && target.Repairs >= deployment.Plan.Repairs)
        {
            Engine.Happen(change, deployment, device, new Happening(TargetEvent.GaveUp, $"{why}; it was repaired {target.Repairs} times already"));
        }
        else
        {
            Engine.Happen(change, deployment, device, new Happening(TargetEvent.ProofLost, $"The proof was lost: {why}"));
        }
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
