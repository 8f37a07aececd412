using System.CommandLine;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>The agent's command line.</summary>
internal static class AgentProgram
{
    /// <summary>Carries out what was asked for. Returns the exit code.</summary>
    public static async Task<int> Run(string[] arguments, IAgentSystem system)
    {
        var options = new AgentOptions(system);
        var program = new RootCommand("bandejo-agent: keeps this machine as its deployments ask, and proves it")
        {
            Join(system, options), RunCommand(system, options), Accept(options), Take(options), Report(options), Show(options),
        };
        foreach (var own in system.Commands(options))
        {
            program.Add(own);
        }

        foreach (var option in options.All)
        {
            option.Recursive = true;
            program.Options.Add(option);
        }

        return await program.Parse(arguments).InvokeAsync();
    }

    /// <summary>Runs a command and says in one line what kept it from its end.</summary>
    public static async Task<int> Guarded(Func<Task<int>> action)
    {
        try
        {
            return await action();
        }
        catch (OperationCanceledException)
        {
            return 0;
        }
        catch (LinkException error)
        {
            Console.Error.WriteLine(error.Message);
            return error.Status == 0 ? 4 : 3;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException or InvalidDataException)
        {
            Console.Error.WriteLine(error.Message);
            return 2;
        }
    }

    private static Command Join(IAgentSystem system, AgentOptions options)
    {
        var service = new Option<string>("--service") { Description = "The service's address, such as https://bandejo.example:7410", Required = true };
        var code = new Option<string>("--code") { Description = "The join code", Required = true };
        var name = new Option<string?>("--name") { Description = "The name it would like [the host name]" };
        var plain = new Option<bool>("--without-tls")
        {
            Description = "Accepts a service on another machine without TLS: whoever is on the way, or answers in its place, then commands this machine "
                + "as root",
        };
        var join = new Command("join", "Enrols this machine with a join code") { service, code, name, plain };
        join.SetAction((parsed, cancellation) => Guarded(() => Commands.Join(
            system, options.HomeOf(parsed), parsed.GetValue(service)!, parsed.GetValue(code)!, parsed.GetValue(name), parsed.GetValue(plain),
            options.TimeOf(parsed), isStarted: false, cancellation)));
        return join;
    }

    private static Command RunCommand(IAgentSystem system, AgentOptions options)
    {
        var unguarded = new Option<bool>("--unguarded") { Description = "With --root: what is installed may write outside that folder too" };
        var run = new Command("run", "Checks in and carries out orders until it is ended");
        if (system.HasRoots)
        {
            run.Add(unguarded);
        }

        run.SetAction((parsed, cancellation) => Guarded(() => Commands.Run(
            system, options.HomeOf(parsed), system.HasRoots && parsed.GetValue(unguarded), options.TimeOf(parsed), Console.WriteLine, cancellation)));
        return run;
    }

    private static Command Accept(AgentOptions options)
    {
        var identity = new Argument<string>("identity") { Description = "The service's identity, as 'bandejo identity show' says it" };
        var accept = new Command("accept", "Believes the service under another identity, after it was given one by hand") { identity };
        accept.SetAction((parsed, cancellation) => Guarded(() => Commands.Accept(options.HomeOf(parsed), parsed.GetValue(identity)!, cancellation)));
        return accept;
    }

    private static Command Take(AgentOptions options)
    {
        var app = new Argument<string>("app") { Description = "The app's short name, such as foldline" };
        var take = new Command("take", "Takes an app from the shelf") { app };
        take.SetAction((parsed, _) => Guarded(() => Task.FromResult(Commands.Say(
            options.HomeOf(parsed), "take", parsed.GetValue(app)!, "", options.TimeOf(parsed)))));
        return take;
    }

    private static Command Report(AgentOptions options)
    {
        var app = new Argument<string>("app") { Description = "The app's short name, such as foldline" };
        var text = new Argument<string>("text") { Description = "What broke, in your own words" };
        var report = new Command("report", "Reports that something broke after an app was changed") { app, text };
        report.SetAction((parsed, _) => Guarded(() => Task.FromResult(Commands.Say(
            options.HomeOf(parsed), "harm", parsed.GetValue(app)!, parsed.GetValue(text)!, options.TimeOf(parsed)))));
        return report;
    }

    private static Command Show(AgentOptions options)
    {
        var show = new Command("show", "Shows who this machine is and what it knows");
        show.SetAction((parsed, _) => Guarded(() => Task.FromResult(Commands.Show(options.HomeOf(parsed)))));
        return show;
    }
}
