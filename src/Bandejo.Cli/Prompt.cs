using System.Text;

namespace Bandejo.Cli;

/// <summary>Asks a person at a terminal. Ctrl-C ends the program wherever it asks; the end of the input is no answer.</summary>
internal static class Prompt
{
    /// <summary>Whether somebody can be asked.</summary>
    public static bool IsPossible => !Console.IsInputRedirected && !Console.IsOutputRedirected;

    /// <summary>Asks for a yes; everything else, and no answer, is a no.</summary>
    public static async Task<bool> Agrees(string question, CancellationToken cancellation)
    {
        await Console.Out.WriteAsync($"{question} [y/N] ");
        var answer = await Read(Terminal.ReadLine, cancellation);
        if (answer is null)
        {
            Console.WriteLine();
        }

        return answer?.Trim().ToLowerInvariant() is "y" or "yes";
    }

    /// <summary>Asks for a password, without showing it; null where none was given.</summary>
    public static async Task<string?> Password(string question, CancellationToken cancellation)
    {
        await Console.Error.WriteAsync($"{question}: ");
        string? answer;
        try
        {
            answer = await Read(Hidden, cancellation);
        }
        finally
        {
            Terminal.Restore();
        }

        await Console.Error.WriteLineAsync();
        return answer;
    }

    private static string? Hidden()
    {
        var text = new StringBuilder();
        while (true)
        {
            var key = Console.ReadKey(intercept: true);
            switch (key.Key)
            {
                case ConsoleKey.Enter:
                    return text.ToString();
                case ConsoleKey.Backspace:
                    text.Length = Math.Max(0, text.Length - 1);
                    break;
                case ConsoleKey.D when key.Modifiers.HasFlag(ConsoleModifiers.Control):
                    return null;
                default:
                    if (!char.IsControl(key.KeyChar))
                    {
                        text.Append(key.KeyChar);
                    }

                    break;
            }
        }
    }

    // Who reads from a terminal cannot be stopped; it is left, and ends with the program.
    private static Task<string?> Read(Func<string?> read, CancellationToken cancellation) => Task.Run(read, CancellationToken.None).WaitAsync(cancellation);
}

/// <summary>Passwords, from a person who is asked or from standard input.</summary>
internal static class Passwords
{
    /// <summary>A password: asked for at a terminal, else the next line of standard input.</summary>
    /// <param name="question">What is asked.</param>
    /// <param name="isNew">Whether it is one that is given now, and is asked for twice.</param>
    /// <exception cref="WrongUseException">None was given, or the two differ.</exception>
    public static async Task<string> Of(string question, CancellationToken cancellation, bool isNew = false)
    {
        if (Console.IsInputRedirected)
        {
            return await Task.Run(Terminal.ReadLine, cancellation).WaitAsync(cancellation) ?? throw new WrongUseException("Standard input holds no password.");
        }

        var password = await Prompt.Password(question, cancellation);
        if (string.IsNullOrEmpty(password))
        {
            throw new WrongUseException("No password was given.");
        }

        return !isNew || await Prompt.Password("Once more", cancellation) == password
            ? password
            : throw new WrongUseException("The two are not the same; nothing was changed.");
    }
}
