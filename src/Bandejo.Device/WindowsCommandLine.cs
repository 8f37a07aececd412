using System.Text;

namespace Bandejo.Device;

/// <summary>
/// The one line in which a program of Windows is given its arguments. Most take it apart as the C runtime of Windows does ("Parsing C command-line
/// arguments"): what has blanks stands in quotes, and backslashes before a quote are doubled. The Windows Installer takes it apart by itself, and wants of
/// <c>NAME=a value</c>, where the name is one that a command line may set (in capitals), the value in quotes (<c>NAME="a value"</c>), in which a quote is
/// doubled.
/// </summary>
public static class WindowsCommandLine
{
    /// <summary>The arguments of a command, without the program itself.</summary>
    /// <param name="command">The program and its arguments.</param>
    public static string Of(IReadOnlyList<string> command)
    {
        var program = Name(command[0]);
        return string.Join(' ', command.Skip(1).Select(argument => program == "msiexec" ? OfInstaller(argument) : Usual(argument)));
    }

    private static string Name(string program)
    {
        var name = program[(program.LastIndexOfAny(['\\', '/']) + 1)..].ToLowerInvariant();
        return name.EndsWith(".exe", StringComparison.Ordinal) ? name[..^4] : name;
    }

    private static string OfInstaller(string argument)
    {
        var at = argument.IndexOf('=', StringComparison.Ordinal);
        return at > 0 && argument[..at].All(sign => char.IsAsciiLetterUpper(sign) || char.IsAsciiDigit(sign) || sign is '_' or '.')
            ? $"{argument[..at]}=\"{argument[(at + 1)..].Replace("\"", "\"\"", StringComparison.Ordinal)}\""
            : Usual(argument);
    }

    private static string Usual(string argument)
    {
        if (argument.Length > 0 && !argument.AsSpan().ContainsAny(" \t\n\v\""))
        {
            return argument;
        }

        var line = new StringBuilder("\"");
        var backslashes = 0;
        foreach (var sign in argument)
        {
            if (sign == '\\')
            {
                backslashes++;
                continue;
            }

            line.Append('\\', sign == '"' ? (backslashes * 2) + 1 : backslashes).Append(sign);
            backslashes = 0;
        }

        return line.Append('\\', backslashes * 2).Append('"').ToString();
    }
}
