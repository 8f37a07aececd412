namespace Bandejo.Agent;

/// <summary>Makes the agent a service of this machine, and takes it away again with all that it kept.</summary>
internal static class AgentInstall
{
    private static readonly ServiceManager Service = new(AgentService.Name);

    /// <summary>Registers the service where it is not yet, and starts it. Asked for twice, the same.</summary>
    /// <exception cref="IOException">The service manager refuses, or the service does not start.</exception>
    public static async Task Register()
    {
        var why = await Service.Start("Bandejo agent", "Keeps this machine as its deployments ask, and proves it.", $"\"{Environment.ProcessPath}\" service");
        if (why is not null)
        {
            Console.Error.WriteLine($"Note: should the agent ever be ended by force, this machine does not start it again by itself: {why}");
        }
    }

    /// <summary>Stops the service, where it is there, and removes it and the agent's own folder.</summary>
    /// <exception cref="IOException">The service manager refuses, or it does not stop.</exception>
    public static async Task Remove(string folder)
    {
        if (Service.IsThere)
        {
            await Service.Stop();
            Service.Remove();
        }

        if (Directory.Exists(folder))
        {
            Directory.Delete(folder, recursive: true);
        }
    }
}
