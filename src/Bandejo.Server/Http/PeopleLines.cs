namespace Bandejo.Server.Http;

/// <summary>The lines on which people follow what happens: so many a person, of which the oldest is closed when another is opened.</summary>
internal sealed class PeopleLines
{
    /// <summary>How many one person may have open: browsers with some pages, and a command line or two.</summary>
    public const int MostOfOne = 12;

    private readonly Lock _lock = new();
    private readonly Dictionary<string, List<Line>> _lines = new(StringComparer.Ordinal);

    /// <summary>Opens a line for a person.</summary>
    public Line Open(string person)
    {
        var line = new Line(this, person);
        Line? oldest = null;
        lock (_lock)
        {
            if (!_lines.TryGetValue(person, out var own))
            {
                _lines[person] = own = [];
            }

            own.Add(line);
            if (own.Count > MostOfOne)
            {
                oldest = own[0];
                own.RemoveAt(0);
            }
        }

        oldest?.Close();
        return line;
    }

    /// <summary>One line.</summary>
    internal sealed class Line(PeopleLines lines, string person) : IDisposable
    {
        private readonly CancellationTokenSource _closed = new();

        /// <summary>Cancelled when the line is to end.</summary>
        public CancellationToken Closed => _closed.Token;

        public void Close() => _closed.Cancel();

        public void Dispose()
        {
            lock (lines._lock)
            {
                if (lines._lines.TryGetValue(person, out var own) && own.Remove(this) && own.Count == 0)
                {
                    lines._lines.Remove(person);
                }
            }
        }
    }
}
