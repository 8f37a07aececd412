using System.Diagnostics;

namespace Bandejo.Kit;

/// <summary>The built programs: in <c>out/</c> of the project, or in the folder that BANDEJO_PROGRAMS names.</summary>
public static class Programs
{
    private static readonly string Folder = Environment.GetEnvironmentVariable("BANDEJO_PROGRAMS") ?? Path.Combine(Root(), "out");

    public static string Service => Path.Combine(Folder, "bandejo-service");

    public static string Agent => Path.Combine(Folder, "bandejo-agent");

    public static string Fleet => Path.Combine(Folder, "bandejo-fleet");

    public static string Cli => Path.Combine(Folder, "bandejo");

    /// <summary>The folder of the programs for Windows: the agent, and what makes installers in tests.</summary>
    public static string Windows => Path.Combine(Folder, "lib/windows");

    /// <summary>Compiles what makes a program's disk slow or full (tests/Kit/faults.c) and returns the library; null where there is no C compiler.</summary>
    public static string? Faults(string folder)
    {
        var library = Path.Combine(folder, "faults.so");
        foreach (var compiler in new[] { "gcc", "clang" })
        {
            try
            {
                using var process = Start(compiler, ["-shared", "-fPIC", "-o", library, Path.Combine(Root(), "tests/Kit/faults.c"), "-ldl"]);
                process.WaitForExit();
                if (process.ExitCode == 0)
                {
                    return library;
                }
            }
            catch (System.ComponentModel.Win32Exception)
            {
                // Not this one.
            }
        }

        return null;
    }

    /// <summary>The project's folder.</summary>
    public static string Root()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Bandejo.slnx")))
        {
            folder = folder.Parent;
        }

        return folder.FullName;
    }

    /// <summary>Whether programs live for seconds, as in tests. Where they are measured they run as they do for people.</summary>
    public static bool AreShortLived { get; set; } = true;

    /// <summary>Runs a program to its end.</summary>
    public static async Task<(int Code, string Output, string Errors)> Run(string program, params string[] arguments)
    {
        using var process = Start(program, arguments);
        var (output, errors) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        await process.WaitForExitAsync();
        return (process.ExitCode, await output, await errors);
    }

    /// <summary>Starts a program with nothing on its standard input.</summary>
    public static Process Start(string program, IEnumerable<string> arguments, IReadOnlyDictionary<string, string>? environment = null)
    {
        var start = new ProcessStartInfo(program) { RedirectStandardOutput = true, RedirectStandardError = true, RedirectStandardInput = true };
        foreach (var argument in arguments)
        {
            start.ArgumentList.Add(argument);
        }

        if (AreShortLived)
        {
            // What the runtime learns and compiles anew while a program runs pays only after the seconds that most of these live: it begins later (10 s, in
            // hexadecimal milliseconds).
            start.Environment["DOTNET_TieredPGO"] = "0";
            start.Environment["DOTNET_TC_CallCountingDelayMs"] = "2710";
            start.Environment["DOTNET_gcServer"] = "0";
        }

        foreach (var (name, value) in environment ?? new Dictionary<string, string>())
        {
            start.Environment[name] = value;
        }

        return Process.Start(start)!;
    }
}
