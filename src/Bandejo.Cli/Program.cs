using System.CommandLine;
using Bandejo.Cli;

Terminal.Begin();
var root = new RootCommand("bandejo: packages applications, brings them to groups of devices in waves, and proves what became of it")
{
    SignIn.In(), SignIn.Out(), PackageCommands.All(), AppCommands.All(), GroupCommands.All(), DeviceCommands.All(), DeploymentCommands.All(),
    WavePlanCommands.All(), CalendarCommands.All(), HandlingCommands.All(), TodayCommand.All(), ComplianceCommands.All(), TrendCommands.All(),
    JournalCommands.All(),
    KeepingCommands.All(), ClockCommands.All(), IdentityCommands.All(), AccountCommands.All(), TokenCommands.All(), Completion.All(),
};
root.Options.Add(Shared.Service);
root.Options.Add(Shared.Output);
root.Options.Add(Shared.Patience);
root.Options.Add(Shared.Once);
Completion.OfNames(root);

var parsed = root.Parse(OldWords.Now(args));
if (parsed.Action is not System.CommandLine.Help.HelpAction && !IsForCompletion(args) && WrongWords.Of(parsed) is { Count: > 0 } wrong)
{
    foreach (var each in wrong)
    {
        Console.Error.WriteLine(each);
    }

    Console.Error.WriteLine($"See: {Shared.PathOf(parsed.CommandResult.Command)} --help");
    return ExitCode.WrongUse;
}

return await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false });

// What a shell asks while somebody types is half of something.
static bool IsForCompletion(string[] words) => words.Length > 0 && words[0].StartsWith("[suggest", StringComparison.Ordinal);
