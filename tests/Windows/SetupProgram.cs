using System.Diagnostics;
using Microsoft.Win32;

/// <summary>
/// A setup program as makers write them, for tests: what it is told it does in turn. <c>/note FILE</c> writes a line, <c>/until FILE</c> waits until that is
/// there, <c>/put FOLDER VERSION</c> installs itself, <c>/copy FILE</c> copies its own program, <c>/keep KEY NAME VALUE</c> writes into the view of 32 bits of
/// the registry below HKLM, <c>/child</c> starts another that outlives it, <c>/hang</c> never ends, <c>/code N</c> ends with N.
/// </summary>
internal static class SetupProgram
{
    /// <summary>Does it. Returns the exit code.</summary>
    public static async Task<int> Run(string[] words)
    {
        for (var i = 1; i < words.Length; i++)
        {
            switch (words[i])
            {
                case "/note":
                    File.AppendAllText(words[++i], "run\n");
                    break;
                case "/until":
                    await Until(words[++i]);
                    break;
                case "/put":
                    Directory.CreateDirectory(words[++i]);
                    File.WriteAllText(Path.Combine(words[i], "VERSION"), words[++i] + "\n");
                    break;
                case "/copy":
                    Directory.CreateDirectory(Path.GetDirectoryName(words[++i])!);
                    File.Copy(Environment.ProcessPath!, words[i], overwrite: true);
                    break;
                case "/keep":
                    using (var machine = RegistryKey.OpenBaseKey(RegistryHive.LocalMachine, RegistryView.Registry32))
                    {
                        using var key = machine.CreateSubKey(words[++i]);
                        key.SetValue(words[++i], words[++i]);
                    }

                    break;
                case "/child":
                    using (Process.Start(new ProcessStartInfo(Environment.ProcessPath!, ["setup", "/hang"]) { UseShellExecute = false }))
                    {
                        Console.WriteLine("It goes on by itself.");
                    }

                    break;
                case "/hang":
                    await new TaskCompletionSource().Task;
                    break;
                case "/code":
                    return int.Parse(words[++i]);
                default:
                    Console.Error.WriteLine($"'{words[i]}' is not known here.");
                    return 87;
            }
        }

        return 0;
    }

    private static async Task Until(string file)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromMilliseconds(50));
        while (!File.Exists(file))
        {
            await timer.WaitForNextTickAsync();
        }
    }
}
