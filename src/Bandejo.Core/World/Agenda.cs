namespace Bandejo.Core.World;

/// <summary>
/// What is to be looked at when: each deployment with its next moment. Whatever waits for a moment (a try, a soak, an opening, a proof that ages, silence in
/// the
/// middle of work) stands in it through its deployment; nothing is gone through for time.
/// </summary>
public sealed class Agenda
{
    private readonly SortedSet<(DateTimeOffset At, string Id)> _moments = [];
    private readonly Dictionary<string, DateTimeOffset> _at = new(StringComparer.Ordinal);

    /// <summary>The next moment; null where nothing waits for one. <see cref="DateTimeOffset.MinValue"/> is at once.</summary>
    public DateTimeOffset? Next => _moments.Count == 0 ? null : _moments.Min.At;

    /// <summary>The deployment whose moment has come first; null where none has.</summary>
    internal string? First(DateTimeOffset now) => _moments.Count > 0 && _moments.Min is var first && first.At <= now ? first.Id : null;

    /// <summary>Sets a deployment's next moment, in the place of the one that it had.</summary>
    /// <param name="at">Null for none.</param>
    internal void Set(string id, DateTimeOffset? at)
    {
        if (_at.TryGetValue(id, out var before))
        {
            if (before == at)
            {
                return;
            }

            _moments.Remove((before, id));
            _at.Remove(id);
        }

        if (at is { } moment)
        {
            _moments.Add((moment, id));
            _at[id] = moment;
        }
    }
}
