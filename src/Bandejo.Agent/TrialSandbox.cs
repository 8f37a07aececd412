using System.Diagnostics;
using System.Runtime.InteropServices;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Agent;

/// <summary>
/// A clean root of this machine for one trial: its system folders lie beneath a layer that takes all changes (overlayfs), its homes and optional folders are
/// empty, and it has neither network, terminal, display nor user. Made with unshare and bwrap; all of it goes when the trial ends.
/// </summary>
internal static class TrialSandbox
{
    /// <summary>Where the inside finds what it needs.</summary>
    public const string Inside = "/run/trial";

    /// <summary>Ends well, but a step did not hold.</summary>
    private const int DidNotHold = 1;

    /// <summary>The program inside ends so where the package has not the settings that were asked for; it says which.</summary>
    public const int NotThese = 2;

    private static readonly string[] Layered = ["usr", "etc", "var"];
    private static readonly string[] Empty = ["opt", "srv", "home", "root", "tmp", "mnt", "media"];

    /// <summary>What the system account of a device may do, less what reaches out of the sandbox.</summary>
    private static readonly string[] Rights = ["CAP_CHOWN", "CAP_DAC_OVERRIDE", "CAP_FOWNER", "CAP_FSETID", "CAP_KILL", "CAP_SETGID", "CAP_SETUID", "CAP_SETPCAP", "CAP_SETFCAP", "CAP_SYS_CHROOT"];

    /// <summary>Runs the plan in a sandbox for each of its variants; what the inside tells goes to standard output.</summary>
    public static async Task<int> Run(string planFile, CancellationToken cancellation)
    {
        foreach (var (tool, package) in new[] { ("bwrap", "bubblewrap"), ("unshare", "util-linux"), ("mount", "mount") })
        {
            if (!IsThere(tool))
            {
                throw new InvalidDataException($"A trial needs {tool}, which is missing on this machine; it comes with the package '{package}' of Debian and its kin.");
            }
        }

        var plan = JsonSerializer.Deserialize(await File.ReadAllTextAsync(planFile, cancellation), ContractJson.Default.TrialPlan) ?? throw new InvalidDataException("The plan of the trial is empty.");
        var held = true;
        foreach (var variant in plan.Variants.Count > 0 ? plan.Variants : [.. plan.Package.Document.Variants.Select(each => each.Name)])
        {
            var work = Directory.CreateTempSubdirectory("bandejo-trial-").FullName;
            try
            {
                if (Layered.Any(folder => work.StartsWith($"/{folder}/", StringComparison.Ordinal)))
                {
                    throw new InvalidDataException($"The trial cannot work in {work}, which is beneath what it lays layers over; set TMPDIR to a folder below /tmp.");
                }

                held &= await RunOne(plan with { Variants = [variant] }, work, cancellation);
            }
            finally
            {
                Delete(work);
            }
        }

        return held ? 0 : DidNotHold;
    }

    private static async Task<bool> RunOne(TrialPlan plan, string work, CancellationToken cancellation)
    {
        foreach (var folder in (string[])[.. Layered, .. Empty, "dev", "proc", "run"])
        {
            Directory.CreateDirectory(Path.Combine(work, "root", folder));
        }

        foreach (var folder in Layered)
        {
            Directory.CreateDirectory(Path.Combine(work, "changes", folder));
            Directory.CreateDirectory(Path.Combine(work, "work", folder));
        }

        foreach (var link in new DirectoryInfo("/").EnumerateDirectories("*").Where(each => each.LinkTarget is not null && each.Name is "bin" or "sbin" or "lib" or "lib32" or "lib64" or "libx32"))
        {
            Directory.CreateSymbolicLink(Path.Combine(work, "root", link.Name), link.LinkTarget!);
        }

        File.SetUnixFileMode(Path.Combine(work, "root/tmp"), (UnixFileMode)0x3FF);
        Directory.CreateDirectory(Path.Combine(work, "state"));
        var packages = plan.Before.Prepend(plan.Package).Concat(plan.Earlier is { } earlier ? [earlier] : []).ToList();
        var placed = packages.ToDictionary(each => each.Folder, each => $"{Inside}/packages/{packages.IndexOf(each)}", StringComparer.Ordinal);
        TrialPackage Moved(TrialPackage each) => each with { Folder = placed[each.Folder] };
        var inside = plan with { Package = Moved(plan.Package), Earlier = plan.Earlier is { } before ? Moved(before) : null, Before = [.. plan.Before.Select(Moved)] };
        await File.WriteAllTextAsync(Path.Combine(work, "plan.json"), JsonSerializer.Serialize(inside, ContractJson.Default.TrialPlan), cancellation);

        var isRoot = Geteuid() == 0;
        var mounts = string.Join("\n", Layered.Select(folder => $"mount -t overlay overlay -o 'lowerdir=/{folder},upperdir={work}/changes/{folder},workdir={work}/work/{folder}{(isRoot ? "" : ",userxattr")}' {work}/root/{folder} || exit 97"));
        var start = new ProcessStartInfo("unshare") { UseShellExecute = false, RedirectStandardInput = true, RedirectStandardError = true };
        foreach (var word in (string[])["--mount", .. isRoot ? [] : new[] { "--user", "--map-root-user" }, "sh", "-c", mounts + "\nexec \"$@\"", "sh", .. Sandbox(work, placed, plan.HasNetwork)])
        {
            start.ArgumentList.Add(word);
        }

        using var process = Process.Start(start)!;
        process.StandardInput.Close();
        var errors = process.StandardError.ReadToEndAsync(CancellationToken.None);
        try
        {
            await process.WaitForExitAsync(cancellation);
        }
        catch (OperationCanceledException)
        {
            process.Kill(entireProcessTree: true);
            throw;
        }

        return process.ExitCode switch
        {
            0 => true,
            DidNotHold => false,
            97 => throw new InvalidDataException($"This machine cannot lay a layer over its system folders for a trial ({(await errors).Trim()}). It needs overlayfs, and a kernel that lets this account use it."),
            NotThese => throw new InvalidDataException((await errors).Trim()),
            var code => throw new InvalidDataException($"The sandbox of the trial ended with code {code}: {(await errors).Trim()}"),
        };
    }

    private static IEnumerable<string> Sandbox(string work, IReadOnlyDictionary<string, string> packages, bool hasNetwork)
    {
        List<string> words = ["bwrap", "--bind", $"{work}/root", "/", "--dev", "/dev", "--proc", "/proc", "--tmpfs", "/run", "--bind", $"{work}/state", Inside, "--ro-bind", $"{work}/plan.json", $"{Inside}/plan.json", "--ro-bind", AppContext.BaseDirectory, $"{Inside}/agent"];
        foreach (var folder in Layered)
        {
            words.AddRange(["--ro-bind", $"{work}/changes/{folder}", $"{Inside}/changes/{folder}"]);
        }

        foreach (var (from, to) in packages)
        {
            words.AddRange(["--ro-bind", from, to]);
        }

        foreach (var right in Rights)
        {
            words.AddRange(["--cap-add", right]);
        }

        words.AddRange(["--unshare-ipc", "--unshare-pid", "--unshare-uts", "--hostname", "trial", "--die-with-parent", "--new-session", "--clearenv", "--setenv", "PATH", "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin", "--setenv", "LANG", "C.UTF-8", "--setenv", "HOME", "/root", "--chdir", "/"]);
        words.AddRange(hasNetwork ? [] : ["--unshare-net"]);
        words.AddRange([$"{Inside}/agent/{Path.GetFileName(Environment.ProcessPath)}", "trial", $"{Inside}/plan.json", "--inside"]);
        return words;
    }

    private static bool IsThere(string tool) => (Environment.GetEnvironmentVariable("PATH") ?? "").Split(':').Append("/usr/sbin").Append("/usr/bin").Any(folder => folder.Length > 0 && File.Exists(Path.Combine(folder, tool)));

    /// <summary>The kernel leaves a folder without rights in the layers' own; it is given some, and goes.</summary>
    private static void Delete(string work)
    {
        foreach (var folder in Layered.Select(each => Path.Combine(work, "work", each, "work")).Where(Directory.Exists))
        {
            File.SetUnixFileMode(folder, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        }

        Directory.Delete(work, recursive: true);
    }

    [DllImport("libc", EntryPoint = "geteuid")]
    private static extern uint Geteuid();
}
