using System.Text;
using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using Bandejo.Core.Rules;

namespace Bandejo.Core.World;

/// <summary>How each change alters the world.</summary>
public sealed partial class FleetWorld
{
    private readonly StringBuilder _lookedFor = new();

    /// <summary>Alters the world by one change. What follows from it (who is in a group, what is counted, what is due) follows at once.</summary>
    /// <exception cref="InvalidOperationException">It stands still.</exception>
    /// <exception cref="KeyNotFoundException">The change is about something that is not there.</exception>
    public void Apply(Change change) => Apply(change, []);

    /// <summary>Alters the world by one change.</summary>
    /// <param name="undo">To its end goes what takes the change back; carried out from the last to the first it leaves all as it was.</param>
    internal void Apply(Change change, List<Action> undo)
    {
        if (_isStill)
        {
            throw new InvalidOperationException("What stands still is not altered.");
        }

        switch (change)
        {
            case PutSetting(var name, var value):
                Alter(SiteSettings, SiteSettings.SetItem(name, value), each => SiteSettings = each, undo);
                DoubtAll(name.StartsWith("withdrawn.", StringComparison.Ordinal) || name == Restored.OrderLeadSetting ? Columns.Live : new Bitmap());
                break;
            case PutAccount(var account):
                Alter(Accounts, Accounts.SetItem(account.Account, account), each => Accounts = each, undo);
                break;
            case PutToken(var token):
                Alter(Tokens, Tokens.SetItem(token.Hash, token), each => Tokens = each, undo);
                break;
            case DeleteToken(_, var hash):
                Alter(Tokens, Tokens.Remove(hash), each => Tokens = each, undo);
                break;
            case PutJoinCode(var code):
                Alter(JoinCodes, JoinCodes.SetItem(code.Hash, code), each => JoinCodes = each, undo);
                break;
            case DeleteJoinCode(_, var hash):
                Alter(JoinCodes, JoinCodes.Remove(hash), each => JoinCodes = each, undo);
                break;
            case PutOnce(var once):
                Alter(Onces, Onces.SetItem((once.Account, once.Key), once), each => Onces = each, undo);
                break;
            case DeleteOnce(var account, var key):
                Alter(Onces, Onces.Remove((account, key)), each => Onces = each, undo);
                break;
            case PutWavePlan(var plan):
                Alter(WavePlans, WavePlans.SetItem(plan.Slug, plan), each => WavePlans = each, undo);
                break;
            case DeleteWavePlan(var slug):
                Alter(WavePlans, WavePlans.Remove(slug), each => WavePlans = each, undo);
                break;
            case PutCalendar(var calendar):
                DoubtRuled(calendar.Slug);
                Alter(Calendars, Calendars.SetItem(calendar.Slug, new CalendarEntry(calendar)), each => Calendars = each, undo);
                break;
            case DeleteCalendar(var slug):
                DoubtRuled(slug);
                Alter(Calendars, Calendars.Remove(slug), each => Calendars = each, undo);
                break;
            case PutHandling(var handling):
                DoubtHandled(Handlings.GetValueOrDefault(handling.Slug), handling);
                Alter(Handlings, Handlings.SetItem(handling.Slug, handling), each => Handlings = each, undo);
                break;
            case DeleteHandling(var slug):
                DoubtHandled(Handlings.GetValueOrDefault(slug), null);
                Alter(Handlings, Handlings.Remove(slug), each => Handlings = each, undo);
                break;
            case PutDeviceTrial(var trial):
                Alter(DeviceTrials, DeviceTrials.SetItem(trial.Device, trial), each => DeviceTrials = each, undo);
                Doubt(Devices[trial.Device].Row);
                break;
            case PutPackage(var package):
                PutPackage(package, undo);
                break;
            case PutDevice(var device):
                PutDevice(device, undo);
                break;
            case PutHeard(var id, var at, var sequence):
                Hear(Devices[id], at, sequence, undo);
                Replace(Devices[id], Devices[id].Record with { LastHeard = at, Sequence = sequence }, undo);
                break;
            case NoteHeard(var id, var at, var sequence):
                Hear(Devices[id], at, sequence, undo);
                break;
            case NoteMemory(var id, var memory):
                if (!ReferenceEquals(Devices[id].Memory.ToWake, memory.ToWake))
                {
                    Doubt(Devices[id].Row);
                }

                Alter(Devices[id].Memory, memory, each => Devices[id].Presence.Memory = each, undo);
                break;
            case DeleteDevice(var id):
                DeleteDevice(Devices[id], undo);
                break;
            case PutGroup(var group):
                PutGroup(group, undo);
                break;
            case DeleteGroup(var slug):
                var gone = _groups[slug];
                _groups.Remove(slug);
                DoubtAll(gone.IsRuling ? gone.In : new Bitmap());
                (_groupOf, _stillParts) = (null, null);
                undo.Add(() => Add(_groups, slug, gone));
                break;
            case PutMember(var slug, var id):
                SetMember(_groups[slug], Devices[id].Row, isIn: true, undo);
                break;
            case DeleteMember(var slug, var id):
                SetMember(_groups[slug], Devices[id].Row, isIn: false, undo);
                break;
            case PutDeployment(var deployment):
                PutDeployment(deployment, undo);
                break;
            case TakeDeployment(var deployment):
                Attach(deployment, undo);
                break;
            case BringTargets(var id, var book):
                Bring(_deployments[id], book, undo);
                break;
            case PutTarget(var id, var target):
                var (entry, of) = (_deployments[id], Devices[target.Device]);
                var before = entry.Targets.Of(of);
                PutTarget(entry, of, target);
                undo.Add(() => PutTarget(entry, of, before));
                break;
            case PutAttempt(var attempt):
                PutAttempt(attempt, undo);
                break;
            case AddEvent(var added):
                Alter(LastEvent, added.Number, each => LastEvent = each, undo);
                break;
            case AddWord(var number, var text):
                WordBook.Learn(number, text);
                break;
            case DeleteWord or PutUserWord or PutTargetsAhead or PutMoves or ForgetPast:
                // The book lets words go only before anybody looks; what a user said is looked for where it is kept; targets come with their deployment; who is
                // in a group follows from its rule; what was is not in memory.
                break;
            default:
                throw new InvalidOperationException($"The world cannot be altered by {change.GetType().Name}.");
        }
    }

    private static void Alter<T>(T before, T after, Action<T> set, List<Action> undo)
    {
        set(after);
        undo.Add(() => set(before));
    }

    private void PutPackage(PackageRecord record, List<Action> undo)
    {
        Packages.TryGetValue(record.Digest, out var before);
        var packages = Packages;
        Become(new PackageEntry(record, before?.Record.Document == record.Document ? before.Contents : _contentsOf(record)));
        undo.Add(() =>
        {
            if (before is not null)
            {
                Become(before);
            }

            Packages = packages;
        });

        void Become(PackageEntry package)
        {
            Packages = Packages.SetItem(record.Digest, package);
            foreach (var deployment in _deployments.Values.Where(deployment => deployment.Plan.Package == record.Digest))
            {
                deployment.Become(package);
                Touched(deployment);
            }
        }
    }

    private void PutDevice(DeviceRecord record, List<Action> undo)
    {
        if (Devices.Get(record.Id) is { } known)
        {
            Replace(known, record, undo);
            return;
        }

        var device = new DeviceEntry(record, Columns.Add(), new DevicePresence { LastHeard = record.LastHeard, Sequence = record.Sequence });
        Enter(device);
        undo.Add(() => Leave(device));
    }

    private void Replace(DeviceEntry before, DeviceRecord record, List<Action> undo)
    {
        var after = new DeviceEntry(record, before.Row, before.Presence);
        Stand(before, after);
        undo.Add(() => Stand(after, before));

        void Stand(DeviceEntry from, DeviceEntry to)
        {
            PutInRow(to);
            if (!ReferenceEquals(from.Record.Sheet, to.Record.Sheet))
            {
                TakeFacts(to, from.Record.Sheet);
                JudgeGroups(to.Row);
            }
        }
    }

    private void Enter(DeviceEntry device)
    {
        PutInRow(device);
        TakeFacts(device, FactSheet.Empty);
        JudgeGroups(device.Row);
    }

    private void PutInRow(DeviceEntry device)
    {
        Devices.Put(device);
        Unsorted[device.Row] = !device.Record.IsSorted;
        _stillParts = null;
    }

    private void Leave(DeviceEntry device)
    {
        Unsorted[device.Row] = false;
        _tagHolds[device.Row] = false;
        foreach (var group in _groups.Values)
        {
            group.Put(device.Row, isIn: false, isNotKnown: false);
        }

        _inDoubt[device.Row] = false;
        Columns.Remove(device.Row);
        Texts.Set(device.Row, "");
        Devices.Remove(device);
        _stillParts = null;
    }

    private void DeleteDevice(DeviceEntry device, List<Action> undo)
    {
        var targets = DeploymentsOf(device).Select(deployment => (Deployment: deployment, Target: deployment.Targets[device])).ToList();
        var listed = _groups.Values.Where(group => group.Rule is null && group.In[device.Row]).ToList();
        var trials = DeviceTrials;
        targets.ForEach(each => PutTarget(each.Deployment, device, null));
        DeviceTrials = DeviceTrials.Remove(device.Id);
        Leave(device);
        undo.Add(() =>
        {
            // Rows are given out in the opposite order of that in which they came back.
            var row = Columns.Add();
            if (row != device.Row)
            {
                throw new InvalidOperationException($"{device.Name} comes back into row {row} and left row {device.Row}.");
            }

            Enter(device);
            DeviceTrials = trials;
            listed.ForEach(group => group.Put(device.Row, isIn: true, isNotKnown: false));
            targets.ForEach(each => PutTarget(each.Deployment, device, each.Target));
        });
    }

    private void Hear(DeviceEntry device, DateTimeOffset at, long sequence, List<Action> undo)
    {
        var (before, numbered, was) = (device.LastHeard, device.Presence.Sequence, device.Presence.IsHeardHere);
        (device.Presence.LastHeard, device.Presence.Sequence, device.Presence.IsHeardHere) = (at, sequence, true);

        // Heard it was, whatever becomes of what it said.
        device.Presence.NoteHour(at);
        undo.Add(() => (device.Presence.LastHeard, device.Presence.Sequence, device.Presence.IsHeardHere) = (before, numbered, was));
    }

    private void PutGroup(GroupRecord record, List<Action> undo)
    {
        _stillParts = null;
        if (!_groups.TryGetValue(record.Slug, out var group))
        {
            group = new GroupEntry(record, new Bitmap(), new Bitmap());
            group.Judge(Columns);
            _groups.Add(record.Slug, group);
            _groupOf = null;
            undo.Add(() =>
            {
                _groups.Remove(record.Slug);
                (_groupOf, _stillParts) = (null, null);
            });
            return;
        }

        var before = group.Record;
        var isRuling = group.IsRuling || record.Fetch is not null || record.Calendars.Length > 0;
        DoubtAll(isRuling ? group.In : new Bitmap());
        group.Become(record, Columns);
        DoubtAll(isRuling ? group.In : new Bitmap());
        undo.Add(() =>
        {
            group.Become(before, Columns);
            _stillParts = null;
        });
    }

    private void SetMember(GroupEntry group, int row, bool isIn, List<Action> undo)
    {
        var wasIn = group.In[row];
        Put(isIn);
        undo.Add(() => Put(wasIn));

        void Put(bool value)
        {
            group.Put(row, value, isNotKnown: false);
            _stillParts = null;
            if (group.IsRuling)
            {
                Doubt(row);
            }
        }
    }

    private void PutAttempt(AttemptRecord attempt, List<Action> undo)
    {
        OpenAttempts.TryGetValue(attempt.Id, out var before);
        Set(attempt.Outcome is null ? attempt : null);
        undo.Add(() => Set(before));

        void Set(AttemptRecord? open)
        {
            if (open is null)
            {
                OpenAttempts.Remove(attempt.Id);
            }
            else
            {
                OpenAttempts[attempt.Id] = open;
            }

            SlowAttempts = open is { Message.Length: > 0 } ? SlowAttempts.SetItem(attempt.Id, open) : SlowAttempts.Remove(attempt.Id);
        }
    }

    private void Add<T>(SortedList<string, T> list, string key, T value)
    {
        list[key] = value;
        (_groupOf, _stillParts) = (null, null);
    }

    private void Doubt(int row)
    {
        _inDoubt[row] = true;
        _tagHolds[row] = false;
    }

    /// <summary>The orders of all deployments that go by a handling may be others.</summary>
    private void DoubtHandled(HandlingRecord? before, HandlingRecord? after)
    {
        var slug = (before ?? after)?.Slug;
        HashSet<string> apps = [.. before?.Apps ?? [], .. after?.Apps ?? []];
        foreach (var deployment in Active.Where(each => each.Plan.Handling == slug || (each.Plan.Handling is null && apps.Contains(each.Plan.App))))
        {
            DoubtAll(deployment.Targets.AllRows());
        }
    }

    /// <summary>What a calendar rules may be otherwise: devices of groups, and targets of deployments.</summary>
    private void DoubtRuled(string calendar)
    {
        foreach (var group in _groups.Values.Where(group => group.Calendars.Contains(calendar)))
        {
            DoubtAll(group.In);
        }

        foreach (var deployment in Active.Where(each => each.Plan.Calendars.Contains(calendar)))
        {
            DoubtAll(deployment.Targets.AllRows());
        }
    }

    private void DoubtAll(Bitmap rows)
    {
        _inDoubt.Or(rows);
        _tagHolds.Except(rows);
    }

    private void JudgeGroups(int row)
    {
        foreach (var group in _groups.Values)
        {
            var wasIn = group.In[row];
            group.Judge(Columns, row);
            if (group.IsRuling && group.In[row] != wasIn)
            {
                // Its orders name what rules it.
                Doubt(row);
            }
        }
    }

    /// <summary>Takes a device's facts over into the columns, and what of the facts before is not said any more out of them.</summary>
    private void TakeFacts(DeviceEntry device, FactSheet before)
    {
        var meanings = _meanings ??= new WordMeanings(WordBook, Columns);
        var words = _lookedFor.Clear().Append(device.Name);
        var said = new HashSet<FactColumn>();
        var facts = device.Record.Sheet.Walk();
        Span<char> room = stackalloc char[512];
        while (facts.MoveNext())
        {
            var meaning = meanings.Fact(facts.Name);
            ReadOnlySpan<char> text = facts.Value.Length <= room.Length
                ? room[..Encoding.UTF8.GetChars(facts.Value, room)]
                : Encoding.UTF8.GetString(facts.Value);
            Columns.Set(device.Row, meaning.Column, meaning.Value(text));
            said.Add(meaning.Column);
            if (meaning.IsLookedFor)
            {
                words.Append(' ').Append(text);
            }
        }

        Texts.Set(device.Row, words.ToString());
        Set(meanings.Name, FactValue.OfText(device.Name));
        Set(meanings.Joined, FactValue.OfDate(DateOnly.FromDateTime(device.Record.Joined.UtcDateTime)));
        var programs = device.Record.Sheet.Programs();
        Columns.SetInventoryComplete(device.Row, programs is not null);
        foreach (var program in programs ?? [])
        {
            if (meanings.Version(program.Version) is { Value: not null } version)
            {
                Columns.Set(device.Row, meanings.App(program.Name), version);
                said.Add(meanings.App(program.Name));
            }
        }

        var old = before.Walk();
        while (old.MoveNext())
        {
            Forget(meanings.Fact(old.Name).Column);
        }

        foreach (var program in before.Programs() ?? [])
        {
            Forget(meanings.App(program.Name));
        }

        void Set(FactColumn column, FactValue value)
        {
            Columns.Set(device.Row, column, FactLookup.Of(value));
            said.Add(column);
        }

        void Forget(FactColumn column)
        {
            if (!said.Contains(column))
            {
                Columns.Set(device.Row, column, FactLookup.NotKnown);
            }
        }
    }
}
