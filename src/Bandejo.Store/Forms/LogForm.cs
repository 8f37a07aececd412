using System.Text.Json;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Google.Protobuf;

namespace Bandejo.Store.Forms;

/// <summary>What the log holds, in the form in which it is kept (<c>log.proto</c>).</summary>
internal static class LogForm
{
    /// <summary>Writes what became durable in one go.</summary>
    public static byte[] Write(IReadOnlyList<LoggedPart> parts)
    {
        var record = new LogRecord();
        foreach (var (at, changes) in parts)
        {
            var part = new LogPart { At = at.UtcTicks };
            for (var i = 0; i < changes.Count;)
            {
                // Targets of one deployment, one after the other, say much alike, which is written once.
                var alike = Alike(changes, i);
                part.Entries.Add(alike.Count > 1 ? new LogEntry { Targets = Targets(((PutTarget)changes[i]).Deployment, 0, alike) } : Entry(changes[i]));
                i += Math.Max(1, alike.Count);
            }

            record.Parts.Add(part);
        }

        return record.ToByteArray();
    }

    /// <summary>Reads what became durable in one go.</summary>
    /// <param name="form">As <see cref="Write"/> wrote it, or an earlier version of it.</param>
    /// <exception cref="FormatException">It is not in the form, or holds what this version does not know.</exception>
    public static IReadOnlyList<LoggedPart> Read(ReadOnlySpan<byte> form)
    {
        try
        {
            return [.. LogRecord.Parser.ParseFrom(form).Parts.Select(
                part => new LoggedPart(Instant(part.At), [.. part.Entries.SelectMany(Changes)]))];
        }
        catch (Exception error) when (error is InvalidProtocolBufferException or JsonException)
        {
            throw new FormatException($"it is damaged: {error.Message}", error);
        }
    }

    /// <summary>The targets of a deployment that stand one after the other from a place on, as many as go into one entry.</summary>
    private static List<Target> Alike(IReadOnlyList<Change> changes, int from)
    {
        var (targets, of) = (new List<Target>(), (changes[from] as PutTarget)?.Deployment);
        for (var i = from; i < changes.Count && targets.Count < TargetForm.Places && changes[i] is PutTarget(var deployment, var target); i++)
        {
            if (deployment != of)
            {
                break;
            }

            targets.Add(target);
        }

        return targets;
    }

    private static LogEntry Entry(Change change) => change switch
    {
        PutSetting(var name, var value) => new LogEntry { Setting = Pair(name, value) },
        PutAccount(var account) => new LogEntry { Account = Json(account) },
        PutToken(var token) => new LogEntry { Token = Json(token) },
        DeleteToken(var id, var hash) => new LogEntry { TokenGone = new KeptSecret { Id = id, Hash = hash } },
        PutJoinCode(var code) => new LogEntry { JoinCode = Json(code) },
        DeleteJoinCode(var id, var hash) => new LogEntry { JoinCodeGone = new KeptSecret { Id = id, Hash = hash } },
        PutOnce(var once) => new LogEntry { Once = Json(once) },
        DeleteOnce(var account, var key) => new LogEntry { OnceGone = Pair(account, key) },
        AddWord(var number, var text) => new LogEntry { Word = new KeptWord { Number = (uint)number, Text = text } },
        DeleteWord(var number) => new LogEntry { WordGone = (uint)number },
        PutDevice(var device) => new LogEntry { Device = Device(device) },
        PutHeard(var device, var at, var sequence) => new LogEntry { Heard = new KeptHeard { Device = device, At = at.UtcTicks, Sequence = sequence } },
        PutUserWord(var device, var word) => new LogEntry { UserWord = Pair(device, word) },
        DeleteDevice(var id) => new LogEntry { DeviceGone = id },
        PutGroup(var group) => new LogEntry { Group = Json(group) },
        DeleteGroup(var slug) => new LogEntry { GroupGone = slug },
        PutMember(var group, var device) => new LogEntry { Member = Pair(group, device) },
        DeleteMember(var group, var device) => new LogEntry { MemberGone = Pair(group, device) },
        PutWavePlan(var plan) => new LogEntry { WavePlan = Json(plan) },
        DeleteWavePlan(var slug) => new LogEntry { WavePlanGone = slug },
        PutCalendar(var calendar) => new LogEntry { Calendar = Json(calendar) },
        DeleteCalendar(var slug) => new LogEntry { CalendarGone = slug },
        PutHandling(var handling) => new LogEntry { Handling = Json(handling) },
        DeleteHandling(var slug) => new LogEntry { HandlingGone = slug },
        PutDeviceTrial(var trial) => new LogEntry { DeviceTrial = Json(trial) },
        PutPackage(var package) => new LogEntry { Package = Json(package) },
        PutDeployment(var deployment) => new LogEntry { Deployment = Json(deployment) },
        PutTarget(var deployment, var target) => new LogEntry { Targets = Targets(deployment, 0, [target]) },
        WroteAhead(var book, var targets) => new LogEntry { Targets = Targets("", book, targets) },
        PutTargetsAhead(var deployment, var book) => new LogEntry { Ahead = new KeptAhead { Deployment = deployment, Book = book } },
        DroppedAhead(var book) => new LogEntry { AheadGone = book },
        PutAttempt(var attempt) => new LogEntry { Attempt = Attempt(attempt) },
        AddEvent(var added) => new LogEntry { Event = Event(added) },
        PutMoves(var group, var into, var outOf) => new LogEntry { Moves = new KeptMoves { Group = group, Into = { into }, OutOf = { outOf } } },
        ForgetPast(var what, var record, var until, var from, var to) => new LogEntry
        {
            Forget = new KeptForget { What = what, Record = record, Until = until.UtcTicks, From = from, To = to },
        },
        GaveNumber(var device, var number) => new LogEntry { Number = new KeptNumber { Device = device, Number = number } },
        _ => throw new InvalidOperationException($"The log cannot keep {change.GetType().Name}."),
    };

    private static IEnumerable<Change> Changes(LogEntry entry) => entry.ChangeCase switch
    {
        LogEntry.ChangeOneofCase.Setting => [new PutSetting(entry.Setting.First, entry.Setting.Second)],
        LogEntry.ChangeOneofCase.Account => [new PutAccount(Json<AccountRecord>(entry.Account))],
        LogEntry.ChangeOneofCase.Token => [new PutToken(Json<TokenRecord>(entry.Token))],
        LogEntry.ChangeOneofCase.TokenGone => [new DeleteToken(entry.TokenGone.Id, entry.TokenGone.Hash)],
        LogEntry.ChangeOneofCase.JoinCode => [new PutJoinCode(Json<JoinCodeRecord>(entry.JoinCode))],
        LogEntry.ChangeOneofCase.JoinCodeGone => [new DeleteJoinCode(entry.JoinCodeGone.Id, entry.JoinCodeGone.Hash)],
        LogEntry.ChangeOneofCase.Once => [new PutOnce(Json<OnceRecord>(entry.Once))],
        LogEntry.ChangeOneofCase.OnceGone => [new DeleteOnce(entry.OnceGone.First, entry.OnceGone.Second)],
        LogEntry.ChangeOneofCase.Word => [new AddWord(Number(entry.Word.Number), entry.Word.Text)],
        LogEntry.ChangeOneofCase.WordGone => [new DeleteWord(Number(entry.WordGone))],
        LogEntry.ChangeOneofCase.Device => [new PutDevice(Device(entry.Device))],
        LogEntry.ChangeOneofCase.Heard => [new PutHeard(entry.Heard.Device, Instant(entry.Heard.At), entry.Heard.Sequence)],
        LogEntry.ChangeOneofCase.UserWord => [new PutUserWord(entry.UserWord.First, entry.UserWord.Second)],
        LogEntry.ChangeOneofCase.DeviceGone => [new DeleteDevice(entry.DeviceGone)],
        LogEntry.ChangeOneofCase.Group => [new PutGroup(Json<GroupRecord>(entry.Group))],
        LogEntry.ChangeOneofCase.GroupGone => [new DeleteGroup(entry.GroupGone)],
        LogEntry.ChangeOneofCase.Member => [new PutMember(entry.Member.First, entry.Member.Second)],
        LogEntry.ChangeOneofCase.MemberGone => [new DeleteMember(entry.MemberGone.First, entry.MemberGone.Second)],
        LogEntry.ChangeOneofCase.WavePlan => [new PutWavePlan(Json<WavePlanRecord>(entry.WavePlan))],
        LogEntry.ChangeOneofCase.WavePlanGone => [new DeleteWavePlan(entry.WavePlanGone)],
        LogEntry.ChangeOneofCase.Calendar => [new PutCalendar(Json<CalendarRecord>(entry.Calendar))],
        LogEntry.ChangeOneofCase.CalendarGone => [new DeleteCalendar(entry.CalendarGone)],
        LogEntry.ChangeOneofCase.Handling => [new PutHandling(Json<HandlingRecord>(entry.Handling))],
        LogEntry.ChangeOneofCase.HandlingGone => [new DeleteHandling(entry.HandlingGone)],
        LogEntry.ChangeOneofCase.DeviceTrial => [new PutDeviceTrial(Json<DeviceTrialRecord>(entry.DeviceTrial))],
        LogEntry.ChangeOneofCase.Package => [new PutPackage(Json<PackageRecord>(entry.Package))],
        LogEntry.ChangeOneofCase.Deployment => [new PutDeployment(KeptForms.ReadDeployment(entry.Deployment.ToStringUtf8()))],
        LogEntry.ChangeOneofCase.Targets => Targets(entry.Targets),
        LogEntry.ChangeOneofCase.Ahead => [new PutTargetsAhead(entry.Ahead.Deployment, entry.Ahead.Book)],
        LogEntry.ChangeOneofCase.AheadGone => [new DroppedAhead(entry.AheadGone)],
        LogEntry.ChangeOneofCase.Attempt => [new PutAttempt(Attempt(entry.Attempt))],
        LogEntry.ChangeOneofCase.Event => [new AddEvent(Event(entry.Event))],
        LogEntry.ChangeOneofCase.Moves => [new PutMoves(entry.Moves.Group, [.. entry.Moves.Into], [.. entry.Moves.OutOf])],
        LogEntry.ChangeOneofCase.Forget => [new ForgetPast(
            entry.Forget.What, entry.Forget.Record, Instant(entry.Forget.Until), entry.Forget.From, entry.Forget.To)],
        LogEntry.ChangeOneofCase.Number => [new GaveNumber(entry.Number.Device, entry.Number.Number)],
        _ => throw new FormatException("it holds a kind of change that this version does not know"),
    };

    private static KeptPair Pair(string first, string second) => new() { First = first, Second = second };

    private static ByteString Json<T>(T value) => UnsafeByteOperations.UnsafeWrap(KeptForms.Write(value));

    private static T Json<T>(ByteString text) => KeptForms.Read<T>(text.Span);

    private static int Number(uint number) => number <= int.MaxValue ? (int)number : throw new FormatException($"it holds the word number {number}");

    private static KeptDevice Device(DeviceRecord device)
    {
        var kept = new KeptDevice
        {
            Id = device.Id, Name = device.Name, KeyId = device.Key.KeyId, KeyX = device.Key.X, KeyY = device.Key.Y, JoinCode = device.JoinCode,
            Joined = device.Joined.UtcTicks, Sequence = device.Sequence, FactsDigest = device.FactsDigest,
            Sheet = ByteString.CopyFrom(device.Sheet.Form.Span), IsSorted = device.IsSorted, HasHeard = device.Heard is not null,
        };
        kept.Heard.Add(device.Heard ?? []);
        if (device.LastHeard is { } heard)
        {
            kept.LastHeard = heard.UtcTicks;
        }

        return kept;
    }

    private static DeviceRecord Device(KeptDevice kept) => new(
        kept.Id, kept.Name, new KeyRecord(kept.KeyId, kept.KeyX, kept.KeyY), kept.JoinCode, Instant(kept.Joined),
        kept.HasLastHeard ? Instant(kept.LastHeard) : null, kept.Sequence, kept.FactsDigest, FactSheet.Kept(kept.Sheet.ToByteArray()), kept.IsSorted,
        kept.HasHeard ? [.. kept.Heard] : null);

    private static KeptTargets Targets(string deployment, long book, IReadOnlyList<Target> targets)
    {
        var kept = new KeptTargets { Deployment = deployment, Book = book, Page = UnsafeByteOperations.UnsafeWrap(TargetForm.Write([.. targets])) };
        kept.Devices.Add(targets.Select(target => target.Device));
        return kept;
    }

    private static IReadOnlyList<Change> Targets(KeptTargets kept)
    {
        var targets = new List<Target>();
        TargetForm.Read(kept.Page.Span, place => place < kept.Devices.Count ? kept.Devices[place] : null, (_, target) => targets.Add(target));
        if (targets.Count != kept.Devices.Count)
        {
            throw new FormatException("it holds targets without their devices");
        }

        return kept.Deployment.Length == 0
            ? [new WroteAhead(kept.Book, targets)]
            : [.. targets.Select(target => new PutTarget(kept.Deployment, target))];
    }

    private static KeptAttempt Attempt(AttemptRecord attempt)
    {
        var kept = new KeptAttempt
        {
            Id = attempt.Id, Deployment = attempt.Deployment, Device = attempt.Device, Kind = attempt.Kind, Version = attempt.Version,
            Started = attempt.StartedAt.UtcTicks, Phase = attempt.Phase, Message = attempt.Message, HasLog = attempt.HasLog,
        };
        if (attempt.EndedAt is { } ended)
        {
            kept.Ended = ended.UtcTicks;
        }

        if (attempt.Outcome is { } outcome)
        {
            kept.Outcome = outcome;
        }

        if (attempt.ExitCode is { } code)
        {
            kept.ExitCode = code;
        }

        return kept;
    }

    private static AttemptRecord Attempt(KeptAttempt kept) => new(
        kept.Id, kept.Deployment, kept.Device, kept.Kind, kept.Version, Instant(kept.Started), kept.HasEnded ? Instant(kept.Ended) : null,
        kept.HasOutcome ? kept.Outcome : null, kept.Phase, kept.HasExitCode ? kept.ExitCode : null, kept.Message, kept.HasLog);

    private static KeptEvent Event(EventRecord added)
    {
        var kept = new KeptEvent { Number = added.Number, At = added.At.UtcTicks, Topic = added.Topic, What = added.What, Text = added.Text };
        Set(added.By, text => kept.By = text);
        Set(added.Deployment, text => kept.Deployment = text);
        Set(added.Device, text => kept.Device = text);
        Set(added.Reason, text => kept.Reason = text);
        return kept;

        static void Set(string? text, Action<string> set)
        {
            if (text is not null)
            {
                set(text);
            }
        }
    }

    private static EventRecord Event(KeptEvent kept) => new(
        kept.Number, Instant(kept.At), kept.Topic, kept.What, kept.HasBy ? kept.By : null, kept.HasDeployment ? kept.Deployment : null,
        kept.HasDevice ? kept.Device : null, kept.Text, kept.HasReason ? kept.Reason : null);

    private static DateTimeOffset Instant(long ticks) =>
        ticks >= 0 && ticks <= DateTimeOffset.MaxValue.UtcTicks
            ? new DateTimeOffset(ticks, TimeSpan.Zero)
            : throw new FormatException("it holds an instant outside the calendar");
}
