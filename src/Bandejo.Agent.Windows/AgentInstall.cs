using System.ComponentModel;
using System.Diagnostics;
using System.ServiceProcess;

namespace Bandejo.Agent;

/// <summary>Makes the agent a service of this machine, and takes it away again with all that it kept.</summary>
internal static class AgentInstall
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(60);

    /// <summary>Registers the service where it is not yet, and starts it. Asked for twice, the same.</summary>
    /// <exception cref="IOException">The service manager refuses, or the service does not start.</exception>
    public static void Register()
    {
        if (!IsThere())
        {
            Ask("create", AgentService.Name, "binPath=", $"\"{Environment.ProcessPath}\" service", "start=", "auto", "DisplayName=", "Bandejo agent");
            Ask("description", AgentService.Name, "Keeps this machine as its deployments ask, and proves it.");

            // Whatever ends it, it comes back: after five seconds, and then after a minute each.
            Ask("failure", AgentService.Name, "reset=", "86400", "actions=", "restart/5000/restart/60000/restart/60000");
        }

        With(service =>
        {
            if (service.Status is not (ServiceControllerStatus.Running or ServiceControllerStatus.StartPending))
            {
                service.Start();
            }

            service.WaitForStatus(ServiceControllerStatus.Running, Patience);
        });
    }

    /// <summary>Stops the service, where it is there, and removes it and the agent's own folder.</summary>
    /// <exception cref="IOException">The service manager refuses, or it does not stop.</exception>
    public static void Remove(string folder)
    {
        if (IsThere())
        {
            With(service =>
            {
                if (service.Status != ServiceControllerStatus.Stopped)
                {
                    service.Stop();
                }

                service.WaitForStatus(ServiceControllerStatus.Stopped, Patience);
            });
            Ask("delete", AgentService.Name);
        }

        if (Directory.Exists(folder))
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static bool IsThere()
    {
        using var service = new ServiceController(AgentService.Name);
        try
        {
            _ = service.Status;
            return true;
        }
        catch (InvalidOperationException)
        {
            return false;
        }
    }

    private static void With(Action<ServiceController> does)
    {
        using var service = new ServiceController(AgentService.Name);
        try
        {
            does(service);
        }
        catch (InvalidOperationException error)
        {
            throw new IOException($"{error.Message} {error.InnerException?.Message}".Trim(), error);
        }
        catch (System.ServiceProcess.TimeoutException error)
        {
            throw new IOException($"The service {AgentService.Name} is '{service.Status}' after {Patience.TotalSeconds:0} s.", error);
        }
    }

    /// <summary>Asks the service manager (sc.exe).</summary>
    private static void Ask(params string[] words)
    {
        try
        {
            using var asked = Process.Start(new ProcessStartInfo(Path.Combine(Environment.SystemDirectory, "sc.exe"), words)
            {
                UseShellExecute = false, CreateNoWindow = true, RedirectStandardOutput = true,
            })!;
            var said = asked.StandardOutput.ReadToEnd().Trim();
            asked.WaitForExit();
            if (asked.ExitCode != 0)
            {
                throw new IOException($"sc {words[0]} ended with code {asked.ExitCode}: {said}");
            }
        }
        catch (Win32Exception error)
        {
            throw new IOException($"sc.exe cannot be started: {error.Message}", error);
        }
    }
}
