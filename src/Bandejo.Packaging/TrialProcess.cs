using System.Diagnostics;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Packaging;

/// <summary>Has the agent's program carry out a trial on this machine.</summary>
public static class TrialProcess
{
    /// <summary>Ended well: every step held, or one did not.</summary>
    public static bool IsResult(int code) => code is 0 or 1;

    /// <summary>The agent's program: beside this one, or on the path; null where it is not there.</summary>
    public static string? Find()
    {
        string[] beside = [Path.GetDirectoryName(Environment.ProcessPath) ?? "", AppContext.BaseDirectory, Path.Combine(AppContext.BaseDirectory, "../agent")];
        return beside.Concat((Environment.GetEnvironmentVariable("PATH") ?? "").Split(':')).Where(folder => folder.Length > 0)
            .Select(folder => Path.Combine(folder, "bandejo-agent")).FirstOrDefault(File.Exists);
    }

    /// <summary>Runs a trial to its end. Cancelled, it is ended with everything it started.</summary>
    /// <param name="agent">The agent's program.</param>
    /// <param name="tell">Is told each step as it ends.</param>
    /// <returns>Its exit code, all steps, and what it said where it could not be carried out.</returns>
    public static async Task<(int Code, List<TrialStepInfo> Steps, string Problem)> Run(
        string agent, TrialPlan plan, Action<TrialStepInfo> tell, CancellationToken cancellation)
    {
        var file = Path.GetTempFileName();
        try
        {
            await File.WriteAllTextAsync(file, JsonSerializer.Serialize(plan, ContractJson.Default.TrialPlan), cancellation);
            var start = new ProcessStartInfo(agent, ["trial", file]) { UseShellExecute = false, RedirectStandardOutput = true, RedirectStandardError = true };
            using var process = Process.Start(start)!;
            await using var end = cancellation.Register(() => process.Kill(entireProcessTree: true));
            var problem = process.StandardError.ReadToEndAsync(CancellationToken.None);
            var steps = new List<TrialStepInfo>();
            while (await process.StandardOutput.ReadLineAsync(cancellation) is { } line)
            {
                steps.Add(JsonSerializer.Deserialize(line, ContractJson.Default.TrialStepInfo)!);
                tell(steps[^1]);
            }

            await process.WaitForExitAsync(cancellation);
            return (process.ExitCode, steps, (await problem).Trim());
        }
        finally
        {
            File.Delete(file);
        }
    }
}
