namespace Bandejo.Core;

/// <summary>Finds what somebody probably meant.</summary>
public static class Suggest
{
    /// <summary>
    /// The candidate nearest to what was written, by edits of one letter (Damerau-Levenshtein, adjacent letters swapped count one);
    /// null where none is within a third of its length.
    /// </summary>
    /// <param name="isInAnyCase">Whether capitals make no difference.</param>
    public static string? Nearest(string written, IEnumerable<string> candidates, bool isInAnyCase = false)
    {
        written = isInAnyCase ? written.ToUpperInvariant() : written;
        string? best = null;
        var bestDistance = int.MaxValue;
        foreach (var candidate in candidates)
        {
            var distance = Distance(written, isInAnyCase ? candidate.ToUpperInvariant() : candidate);
            if (distance < bestDistance && distance <= Math.Max(1, candidate.Length / 3))
            {
                best = candidate;
                bestDistance = distance;
            }
        }

        return best;
    }

    private static int Distance(string a, string b)
    {
        if (a.Length > 64 || b.Length > 64)
        {
            return int.MaxValue;
        }

        var table = new int[a.Length + 1, b.Length + 1];
        for (var i = 0; i <= a.Length; i++)
        {
            table[i, 0] = i;
        }

        for (var j = 0; j <= b.Length; j++)
        {
            table[0, j] = j;
        }

        for (var i = 1; i <= a.Length; i++)
        {
            for (var j = 1; j <= b.Length; j++)
            {
                var cost = a[i - 1] == b[j - 1] ? 0 : 1;
                table[i, j] = Math.Min(Math.Min(table[i - 1, j] + 1, table[i, j - 1] + 1), table[i - 1, j - 1] + cost);
                if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                {
                    table[i, j] = Math.Min(table[i, j], table[i - 2, j - 2] + 1);
                }
            }
        }

        return table[a.Length, b.Length];
    }
}
