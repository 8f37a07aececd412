using System.Diagnostics;
using System.Security.Cryptography;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Kit;

namespace Bandejo.Bench;

/// <summary>Inspecting large and many installer files through the command line, and what a trial costs beyond the installer's own work.</summary>
internal static class PackagingBench
{
    private const int Large = 700 << 20;
    private const int Many = 200;
    private const int Payload = 1 << 30;

    /// <summary>How many rounds of building there are at most.</summary>
    private const int MostRounds = 12;

    public static async Task Run(Report report)
    {
        var folder = Directory.CreateTempSubdirectory("bandejo-bench").FullName;
        try
        {
            var sample = Path.Combine(Programs.Root(), "demo/installers/foldline-7.2.0.msi");
            var setup = Path.Combine(folder, "setup.exe");
            await using (var stream = File.Create(setup))
            {
                await stream.WriteAsync(Program());
                var block = new byte[1 << 20];
                new Random(1).NextBytes(block);
                while (stream.Length < Large)
                {
                    await stream.WriteAsync(block);
                }
            }

            var (seconds, memory) = await Inspect(setup);
            report.Add("inspecting a setup program of 700 MB", "", $"{seconds:0.00} s, {memory / 1048576} MiB of memory", null, "under 2 s", seconds < 2);
            File.Delete(setup);
            for (var number = 0; number < Many; number++)
            {
                File.Copy(sample, Path.Combine(folder, $"installer-{number}.msi"));
            }

            var (all, most) = await Inspect(folder);
            report.Add($"inspecting a folder of {Many} installers", "", $"{all:0.00} s, {most / 1048576} MiB of memory");
            await Trial(report);
            await Build(report);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static async Task Trial(Report report)
    {
        await using var site = await Site.StartApart();
        var folder = site.WriteFolder("foldline", "7.2.0", "mkdir -p $T; echo $BANDEJO_VERSION > $T/VERSION");
        List<double> overheads = [];
        for (var round = 0; round < 5; round++)
        {
            var start = Stopwatch.GetTimestamp();
            var trial = JsonSerializer.Deserialize(await site.Must("package", "trial", folder, "--output", "json"), ContractJson.Default.TrialReport)!;

            // The steps themselves do next to nothing here, so that nearly all of it is ours.
            overheads.Add(Stopwatch.GetElapsedTime(start).TotalSeconds);
            if (trial.Steps.Any(step => step.State == "failed"))
            {
                throw new InvalidOperationException("The trial that is measured failed.");
            }
        }

        var median = Report.Median(overheads);
        report.Add("a whole trial of an installer that does next to nothing", "", $"{median:0.00} s", null, "under 2 s", median < 2);
    }

    /// <summary>Building a large payload, all the way into the service, against hashing the same file alone; and building the same again.</summary>
    private static async Task Build(Report report)
    {
        await using var site = await Site.StartApart();
        var folder = await PayloadFolder.Make(site);
        var memory = 0L;
        site.Watch = process => _ = Follow(process, most => memory = Math.Max(memory, most));
        var (rounds, says) = await QuietRounds.Run(MostRounds, async round =>
        {
            await folder.Write(Payload, round);
            await File.WriteAllTextAsync(folder.Manifest, (await File.ReadAllTextAsync(folder.Manifest)).Replace(
                $"11.3.{round}", $"11.3.{round + 1}", StringComparison.Ordinal));
            var before = await Hash();
            var building = await Timed(() => site.Must("package", "build", folder.Path));
            return (Hashing: (before + await Hash()) / 2, Building: building);
        });
        var again = await Timed(() => site.Must("package", "build", folder.Path));
        var ratio = Report.Median(rounds.Select(round => round.Hashing / round.Building));
        report.Add(
            "building a payload of 1 GB, taken in by the service", $"hashing alone {Report.Median(rounds.Select(round => round.Hashing)):0.0} s",
            $"{Report.Median(rounds.Select(round => round.Building)):0.0} s ({says})", ratio, "at least 0.7", ratio >= 0.7);
        report.Add("building a payload of 1 GB: memory of the command line", "", $"{memory / 1048576} MiB", null, "under 200 MB", memory < 200_000_000);
        report.Add("building the same again", "", $"{again:0.0} s");

        Task<double> Hash() => Timed(async () =>
        {
            await using var stream = File.OpenRead(folder.Payload);
            await SHA256.HashDataAsync(stream);
        });
    }

    private static async Task<double> Timed(Func<Task> act)
    {
        var start = Stopwatch.GetTimestamp();
        await act();
        return Stopwatch.GetElapsedTime(start).TotalSeconds;
    }

    private static async Task Follow(Process process, Action<long> tell)
    {
        try
        {
            while (!process.HasExited)
            {
                process.Refresh();
                tell(process.PeakWorkingSet64);
                await Task.Delay(200);
            }
        }
        catch (InvalidOperationException)
        {
            // It ended, and its numbers with it.
        }
    }

    private static async Task<(double Seconds, long Memory)> Inspect(string path)
    {
        var start = Stopwatch.GetTimestamp();
        using var process = Programs.Start(Programs.Cli, ["package", "inspect", path, "--output", "json"]);
        var output = process.StandardOutput.ReadToEndAsync();
        var memory = 0L;
        while (!process.HasExited)
        {
            process.Refresh();
            memory = Math.Max(memory, process.HasExited ? memory : process.PeakWorkingSet64);
            await Task.WhenAny(process.WaitForExitAsync(), Task.Delay(5));
        }

        await output;
        return (Stopwatch.GetElapsedTime(start).TotalSeconds, memory);
    }

    /// <summary>The head of a Windows program, behind which something large is appended.</summary>
    private static byte[] Program()
    {
        var file = new byte[1024];
        (file[0], file[1], file[60]) = ((byte)'M', (byte)'Z', 64);
        "PE\0\0"u8.CopyTo(file.AsSpan(64));
        (file[68], file[69], file[84]) = (0x64, 0x86, 240);
        (file[88], file[89]) = (0x0B, 0x02);
        return file;
    }
}
