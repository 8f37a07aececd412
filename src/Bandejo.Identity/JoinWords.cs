namespace Bandejo.Identity;

/// <summary>
/// A join code as it is handed out: the code itself and, where the service is reached over TLS, the name of the authority that stands for it, so that whoever
/// joins knows whom to believe.
/// </summary>
/// <param name="Code">The code.</param>
/// <param name="Authority">The name of the authority; null where the code was handed out without one.</param>
public sealed record JoinWords(string Code, string? Authority)
{
    /// <summary>Reads a code; null where what stands behind its full stop is no name of an authority.</summary>
    public static JoinWords? Read(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        var parts = text.Trim().Split('.');
        return parts.Length == 1 ? new JoinWords(parts[0], null)
            : parts.Length == 2 && Identity.Authority.IsName(parts[1].ToLowerInvariant()) ? new JoinWords(parts[0], parts[1].ToLowerInvariant())
            : null;
    }

    public override string ToString() => Authority is null ? Code : $"{Code}.{Authority}";
}
