using System.Text.RegularExpressions;

namespace Bandejo.Core.Packages;

/// <summary>Which names of files are safe to create below a folder, on every system.</summary>
public static partial class SafePath
{
    /// <summary>The longest path, in characters.</summary>
    public const int MaxLength = 240;

    /// <summary>What is wrong with a relative path, as the end of a sentence that begins with the path; null where nothing is.</summary>
    public static string? Problem(string path)
    {
        if (path.Length == 0 || path.Length > MaxLength)
        {
            return path.Length == 0 ? "is empty." : $"is longer than {MaxLength} characters.";
        }

        if (path.StartsWith('/') || (path.Length > 1 && path[1] == ':'))
        {
            return "is an absolute path; it must stand below the folder.";
        }

        if (path.Contains('\\'))
        {
            return "has a backslash; parts are set apart by '/'.";
        }

        foreach (var part in path.Split('/'))
        {
            if (part is "" or "." or "..")
            {
                return part == ".." ? "climbs out of the folder." : "has an empty part or a '.' in it.";
            }

            if (part.Any(char.IsControl) || part.EndsWith(' ') || part.EndsWith('.'))
            {
                return "has a part that ends with a blank or a full stop, or a control character.";
            }
        }

        return null;
    }

    /// <summary>
    /// What is wrong with a place on a device, below its root or its system drive, as the end of a sentence that begins with the path; null where nothing is.
    /// </summary>
    public static string? OnDevice(string path)
    {
        var plain = path.Replace('\\', '/');
        if (Variable().Match(plain) is { Success: true } variable)
        {
            bool Names(string part) => variable.Value.Contains(part, StringComparison.OrdinalIgnoreCase);
            var folder = Names("x86") ? "Program Files (x86)" : Names("Program") ? "Program Files" : "Windows";
            return $"names a variable, which nobody fills in here; write '{folder}{plain[variable.Length..]}'.";
        }

        if (plain.Length > 1 && plain[1] == ':' && char.IsAsciiLetter(plain[0]))
        {
            return plain[0] is 'C' or 'c'
                ? $"names the drive, below which every place on a device is; write '{plain[2..].TrimStart('/')}'."
                : $"is on the drive {plain[..2]}, which not every device has; places are below the system's own drive.";
        }

        return path.Contains('\\') ? $"has backslashes; write '{plain.TrimStart('/')}'." : Problem(path);
    }

    /// <summary>True for 64 hexadecimal digits.</summary>
    public static bool IsSha256(string text) => text.Length == 64 && text.All(char.IsAsciiHexDigit);

    [GeneratedRegex(@"^%[A-Za-z_]+(\(x86\))?%")]
    private static partial Regex Variable();
}
