namespace Bandejo.Cli;

/// <summary>Commands as they were called before. They still work, so that no script breaks, and are told of nowhere; what
/// they did without asking they still do.</summary>
internal static class OldWords
{
    private static readonly (string[] Before, string[] Now)[] Words =
    [
        (["group", "delete"], ["group", "remove", "--yes"]),
        (["group", "add"], ["group", "member", "add", "--yes"]),
        (["group", "take-out"], ["group", "member", "remove", "--yes"]),
        (["device", "join-code", "take-back"], ["device", "join-code", "remove"]),
        (["token", "end"], ["token", "remove"]),
        (["wave-plan", "save"], ["wave-plan", "new", "--yes"]),
        (["handling", "save"], ["handling", "new", "--yes"]),
        (["package", "retire"], ["package", "let-go"]),
        (["account", "take-key"], ["account", "key", "remove"]),
    ];

    /// <summary>The words of a call, as they are said now.</summary>
    public static string[] Now(string[] words)
    {
        foreach (var (before, now) in Words)
        {
            if (words.AsSpan().StartsWith(before))
            {
                return [.. now, .. words[before.Length..]];
            }
        }

        return words is ["help", .. var asked] ? [.. asked, "--help"] : words;
    }
}
