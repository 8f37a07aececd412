using System.CommandLine;
using Bandejo.Cli;

var root = new RootCommand("bandejo: packages applications, brings them to groups of devices in waves, and proves what became of it")
{
    SignIn.In(), SignIn.Out(), PackageCommands.All(), AppCommands.All(), GroupCommands.All(), DeviceCommands.All(), DeploymentCommands.All(),
    WavePlanCommands.All(), HandlingCommands.All(), TodayCommand.All(), ComplianceCommands.All(), TrendCommands.All(),
    JournalCommands.All(),
    KeepingCommands.All(), ClockCommands.All(), IdentityCommands.All(), AccountCommands.All(), TokenCommands.All(), Completion.All(),
};
root.Options.Add(Shared.Service);
root.Options.Add(Shared.Output);

var parsed = root.Parse(args);
if (parsed.Errors.Count > 0 && parsed.Action is not System.CommandLine.Help.HelpAction)
{
    foreach (var error in parsed.Errors)
    {
        Console.Error.WriteLine(error.Message);
    }

    Console.Error.WriteLine($"See: {Shared.PathOf(parsed.CommandResult.Command)} --help");
    return ExitCode.WrongUse;
}

return await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false });
