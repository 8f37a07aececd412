using Bandejo.Core.Deployments;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>How records stand that may not be in their tables yet: what is found here counts, whatever their tables say.</summary>
internal sealed class LatestChanges
{
    private readonly Dictionary<(string Deployment, string Device), Target> _targets = [];
    private readonly Dictionary<string, AttemptRecord> _attempts = new(StringComparer.Ordinal);
    private readonly Dictionary<string, PutHeard> _heard = new(StringComparer.Ordinal);

    /// <summary>Last signs of life by device.</summary>
    public IReadOnlyDictionary<string, PutHeard> Heard => _heard;

    /// <summary>Takes changes that came after all that were taken before.</summary>
    public void Take(IReadOnlyList<Change> changes)
    {
        foreach (var change in changes)
        {
            switch (change)
            {
                case PutTarget(var deployment, var target):
                    _targets[(deployment, target.Device)] = target;
                    break;
                case PutAttempt(var attempt) when Belongs(attempt, _attempts.GetValueOrDefault(attempt.Id)):
                    _attempts[attempt.Id] = attempt;
                    break;
                case PutHeard heard:
                    _heard[heard.Device] = heard;
                    break;
            }
        }
    }

    /// <summary>All targets: those of the table, where none is here that counts instead, and those that are here alone.</summary>
    public IEnumerable<(string Deployment, Target Target)> Over(IEnumerable<(string Deployment, Target Target)> table) =>
        _targets.Count == 0
            ? table
            : table.Where(row => !_targets.ContainsKey((row.Deployment, row.Target.Device))).Concat(
                _targets.Select(each => (each.Key.Deployment, each.Value)));

    /// <summary>The attempts under way, from those that are under way by their table.</summary>
    public IReadOnlyList<AttemptRecord> UnderWay(IReadOnlyList<AttemptRecord> table)
    {
        var all = table.ToDictionary(attempt => attempt.Id, StringComparer.Ordinal);
        foreach (var attempt in _attempts.Values.Where(attempt => Belongs(attempt, all.GetValueOrDefault(attempt.Id))))
        {
            all[attempt.Id] = attempt;
        }

        return [.. all.Values.Where(attempt => attempt.Outcome is null)];
    }

    /// <summary>Whether it says more of an attempt that is known. An attempt stays with the device that reported it first, here as in its table.</summary>
    public static bool Belongs(AttemptRecord attempt, AttemptRecord? known) => known is null || known.Device == attempt.Device;
}
