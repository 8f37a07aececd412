namespace Bandejo.Agent;

/// <summary>Makes the agent a service of this machine, and takes it away again with all that it kept.</summary>
internal static class AgentInstall
{
    /// <summary>How often the folder is tried to be deleted, each tenth of a second, before that is given up.</summary>
    private const int MostLooks = 300;

    private static readonly ServiceManager Service = new(AgentService.Name);

    /// <summary>Registers the service where it is not yet, and starts it. Asked for twice, the same.</summary>
    /// <param name="folder">Where the agent keeps its own files; null for the usual place.</param>
    /// <exception cref="IOException">The service manager refuses, or the service does not start.</exception>
    public static async Task Register(string? folder)
    {
        var command = $"\"{Environment.ProcessPath}\" service{(folder is null ? "" : $" --state \"{folder}\"")}";
        var why = await Service.Start("Bandejo agent", "Keeps this machine as its deployments ask, and proves it.", command);
        if (why is not null)
        {
            Console.Error.WriteLine($"Note: should the agent ever be ended by force, this machine does not start it again by itself: {why}");
        }
    }

    /// <summary>Stops the service, where it is there, and removes it and the agent's own folder.</summary>
    /// <exception cref="IOException">The service manager refuses, or it does not stop.</exception>
    public static async Task Remove(string folder)
    {
        if (Directory.Exists(folder) && !Home.IsOne(folder))
        {
            throw new IOException($"{folder} is no agent's folder, and stays; name the agent's own with --state.");
        }

        if (Service.IsThere)
        {
            await Service.Stop();
            Service.Remove();
        }

        // A service has stopped before its program has ended, which holds its files until then.
        using var pace = new PeriodicTimer(TimeSpan.FromMilliseconds(100));
        for (var looks = 1; Directory.Exists(folder); looks++)
        {
            try
            {
                Directory.Delete(folder, recursive: true);
            }
            catch (IOException) when (looks < MostLooks)
            {
                await pace.WaitForNextTickAsync();
            }
        }
    }
}
