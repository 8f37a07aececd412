namespace Bandejo.Core.Packages;

/// <summary>How a package names a key of the registry of Windows, such as <c>HKLM\SOFTWARE\Orrin County\Foldline</c>.</summary>
public static class RegistryPath
{
    /// <summary>The name by which a package means a key's own value, which has none.</summary>
    public const string OwnValue = "@";

    /// <summary>The longest path, in characters.</summary>
    public const int MaxLength = 400;

    /// <summary>The longest name of a key within its parent, in characters, which the registry sets.</summary>
    private const int MaxPart = 255;

    private static readonly HashSet<string> Hives = new(StringComparer.OrdinalIgnoreCase)
    {
        "HKLM", "HKEY_LOCAL_MACHINE", "HKCR", "HKEY_CLASSES_ROOT", "HKU", "HKEY_USERS",
    };

    /// <summary>What is wrong with it, as the end of a sentence that begins with the path; null where nothing is.</summary>
    public static string? Problem(string path)
    {
        var parts = path.Split('\\');
        if (path.Length > MaxLength)
        {
            return $"is longer than {MaxLength} characters.";
        }

        if (parts[0].ToUpperInvariant() is "HKCU" or "HKEY_CURRENT_USER")
        {
            return @"belongs to whoever is signed in, and the agent is somebody else; name a key of the machine, below HKLM\.";
        }

        if (parts.Length < 2 || !Hives.Contains(parts[0]))
        {
            return @"is no key of the registry; one looks like HKLM\SOFTWARE\Orrin County\Foldline, with backslashes.";
        }

        return parts.Any(part => part.Length is 0 or > MaxPart || part.Any(char.IsControl))
            ? $"has a part that is empty, longer than {MaxPart} characters, or has a control character."
            : null;
    }
}
