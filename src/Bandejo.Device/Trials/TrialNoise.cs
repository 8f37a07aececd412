namespace Bandejo.Device.Trials;

/// <summary>Files that an operating system writes by itself around any install; they are no leftovers of the software.</summary>
public sealed class TrialNoise
{
    private readonly List<string> _patterns;

    /// <param name="lines">A pattern a line: a path, in which <c>*</c> stands for any part of a name and <c>**</c> at the end for everything below; lines with
    /// # are comments.</param>
    public TrialNoise(IEnumerable<string> lines) => _patterns = [.. lines.Select(line => line.Trim()).Where(line => line.Length > 0 && line[0] != '#')];

    public bool Is(string path) =>
        _patterns.Exists(pattern => pattern.EndsWith("/**", StringComparison.Ordinal) ? Matches(pattern[..^3], path, isAbove: true) : Matches(
            pattern, path, isAbove: false));

    private static bool Matches(string pattern, string path, bool isAbove)
    {
        var (wanted, parts) = (pattern.Split('/'), path.Split('/'));
        return (isAbove ? parts.Length >= wanted.Length : parts.Length == wanted.Length) && wanted.Zip(parts).All(pair => Part(pair.First, pair.Second));
    }

    /// <summary>A name against a pattern with stars, in steps that never go back further than the last star.</summary>
    private static bool Part(string pattern, string name)
    {
        var (at, in_, star, from) = (0, 0, -1, 0);
        while (in_ < name.Length)
        {
            if (at < pattern.Length && pattern[at] == '*')
            {
                (star, from) = (at++, in_);
            }
            else if (at < pattern.Length && pattern[at] == name[in_])
            {
                (at, in_) = (at + 1, in_ + 1);
            }
            else if (star >= 0)
            {
                (at, in_) = (star + 1, ++from);
            }
            else
            {
                return false;
            }
        }

        return pattern.AsSpan(at).TrimStart('*').IsEmpty;
    }
}
