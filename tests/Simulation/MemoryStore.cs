using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Store;

namespace Bandejo.Simulation.Tests;

/// <summary>What was kept, in memory: the same that the databases keep, in the same tables, and no more.</summary>
internal sealed class MemoryStore
{
    private readonly SortedDictionary<string, string> _settings = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, AccountRecord> _accounts = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, TokenRecord> _tokens = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, JoinCodeRecord> _codes = new(StringComparer.Ordinal);
    private readonly SortedDictionary<int, string> _words = [];
    private readonly SortedDictionary<string, DeviceRecord> _devices = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, GroupRecord> _groups = new(StringComparer.Ordinal);
    private readonly SortedSet<(string Group, string Device)> _members = [];
    private readonly SortedDictionary<string, PackageRecord> _packages = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, DeploymentRecord> _deployments = new(StringComparer.Ordinal);
    private readonly SortedDictionary<(string Deployment, string Device), Core.Deployments.Target> _targets = [];
    private readonly SortedDictionary<string, AttemptRecord> _attempts = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, WavePlanRecord> _plans = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, CalendarRecord> _calendars = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, HandlingRecord> _handlings = new(StringComparer.Ordinal);
    private readonly SortedDictionary<string, DeviceTrialRecord> _trials = new(StringComparer.Ordinal);
    private readonly HashSet<(string Device, string Word)> _said = [];
    private readonly SortedDictionary<long, List<Core.Deployments.Target>> _ahead = [];
    private long _lastAhead;

    /// <summary>All attempts that were ever told of, by identity.</summary>
    public IReadOnlyDictionary<string, AttemptRecord> Attempts => _attempts;

    /// <summary>All deployments, as they are kept.</summary>
    public IReadOnlyDictionary<string, DeploymentRecord> Deployments => _deployments;

    /// <summary>All events, by number.</summary>
    public SortedDictionary<long, EventRecord> Events { get; } = [];

    public Core.Deployments.Target? Target(string deployment, string device) => _targets.GetValueOrDefault((deployment, device));

    public DateTimeOffset NewestAttempt(string device) =>
        _attempts.Values.Where(attempt => attempt.Device == device).Select(attempt => attempt.StartedAt).DefaultIfEmpty(DateTimeOffset.MinValue).Max();

    public bool HasWord(string device, string word) => _said.Contains((device, word));

    /// <summary>Keeps targets ahead of their deployment's beginning.</summary>
    public long PutAhead(IEnumerable<Core.Deployments.Target> targets)
    {
        _ahead.Add(++_lastAhead, [.. targets]);
        return _lastAhead;
    }

    /// <summary>Keeps changes, all of them.</summary>
    public void Commit(IEnumerable<Change> changes)
    {
        foreach (var change in changes)
        {
            Keep(change);
        }
    }

    /// <summary>Who was told to be in each rule group.</summary>
    public Dictionary<string, HashSet<string>> WereIn { get; } = [];

    /// <summary>All that is kept, as a service reads it at its start.</summary>
    public StoredWorld Load() => new(
        new Dictionary<string, string>(_settings), [.. _accounts.Values], [.. _tokens.Values], [.. _codes.Values],
        new WordBook(_words.Select(word => (word.Key, word.Value)).ToList()), _devices.Count, [.. _devices.Values], [.. _groups.Values],
        Task.FromResult<IReadOnlyList<(string, string)>>([.. _members]), [.. _packages.Values], [.. _deployments.Values],
        Targets(), () => { },
        [.. _attempts.Values.Where(attempt => attempt.EndedAt is null)], [.. _plans.Values], [.. _handlings.Values], [.. _trials.Values],
        Events.Count == 0 ? 0 : Events.Keys.Last())
    {
        Calendars = [.. _calendars.Values],
    };

    /// <summary>The targets of a deployment.</summary>
    public IReadOnlyList<Core.Deployments.Target> TargetsOf(string deployment) =>
        [.. _targets.Where(pair => pair.Key.Deployment == deployment).Select(pair => pair.Value)];

    private List<KeptTarget> Targets()
    {
        var places = _devices.Keys.Select((id, place) => (id, place)).ToDictionary(each => each.id, each => each.place);
        return [.. _targets.Where(pair => _deployments[pair.Key.Deployment].State.Shelved is null).Select(pair => new KeptTarget(pair.Key.Deployment, places[pair.Key.Device], pair.Value))];
    }

    private void Keep(Change change)
    {
        switch (change)
        {
            case PutSetting(var name, var value):
                _settings[name] = value;
                break;
            case PutAccount(var account):
                _accounts[account.Account] = account;
                break;
            case PutToken(var token):
                _tokens[token.Id] = token;
                break;
            case DeleteToken(var id, _):
                _tokens.Remove(id);
                break;
            case PutJoinCode(var code):
                _codes[code.Id] = code;
                break;
            case DeleteJoinCode(var id, _):
                _codes.Remove(id);
                break;
            case PutOnce or DeleteOnce:
                throw new InvalidOperationException("Nobody here asks with a key.");
            case AddWord(var number, var text):
                _words[number] = text;
                break;
            case DeleteWord(var number):
                _words.Remove(number);
                break;
            case PutDevice(var device):
                _devices[device.Id] = device;
                break;
            case PutHeard(var id, var at, var sequence):
                _devices[id] = _devices[id] with { LastHeard = at, Sequence = sequence };
                break;
            case PutUserWord(var device, var word):
                _said.Add((device, word));
                break;
            case DeleteDevice(var id):
                _devices.Remove(id);
                _members.RemoveWhere(member => member.Device == id);
                foreach (var moved in WereIn.Values)
                {
                    moved.Remove(id);
                }

                foreach (var target in _targets.Keys.Where(key => key.Device == id).ToList())
                {
                    _targets.Remove(target);
                }

                _trials.Remove(id);
                break;
            case PutGroup(var group):
                _groups[group.Slug] = group;
                break;
            case DeleteGroup(var slug):
                _groups.Remove(slug);
                WereIn.Remove(slug);
                _members.RemoveWhere(member => member.Group == slug);
                break;
            case PutMoves(var group, var into, var outOf):
                var were = WereIn.TryGetValue(group, out var known) ? known : WereIn[group] = [];
                were.UnionWith(into);
                were.ExceptWith(outOf);
                break;
            case ForgetPast:
                break;
            case PutMember(var group, var device):
                _members.Add((group, device));
                break;
            case DeleteMember(var group, var device):
                _members.Remove((group, device));
                break;
            case PutWavePlan(var plan):
                _plans[plan.Slug] = plan;
                break;
            case DeleteWavePlan(var slug):
                _plans.Remove(slug);
                break;
            case PutCalendar(var calendar):
                _calendars[calendar.Slug] = calendar;
                break;
            case DeleteCalendar(var slug):
                _calendars.Remove(slug);
                break;
            case PutHandling(var handling):
                _handlings[handling.Slug] = handling;
                break;
            case DeleteHandling(var slug):
                _handlings.Remove(slug);
                break;
            case PutDeviceTrial(var trial):
                _trials[trial.Device] = trial;
                break;
            case PutPackage(var package):
                _packages[package.Digest] = package;
                break;
            case PutDeployment(var deployment):
                _deployments[deployment.Id] = deployment;
                break;
            case PutTargetsAhead(var deployment, var number):
                // Devices that went since have none.
                foreach (var each in _ahead[number].Where(each => _devices.ContainsKey(each.Device)))
                {
                    _targets[(deployment, each.Device)] = each;
                }

                _ahead.Remove(number);
                break;
            case PutTarget(var deployment, var target):
                _targets[(deployment, target.Device)] = target;
                break;
            case PutAttempt(var attempt):
                _attempts[attempt.Id] = attempt;
                break;
            case AddEvent(var added):
                Events.Add(added.Number, added);
                break;
            default:
                throw new InvalidOperationException($"The store knows no {change.GetType().Name}.");
        }
    }
}
