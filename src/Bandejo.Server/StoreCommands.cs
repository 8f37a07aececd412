using System.Globalization;
using Bandejo.Core;
using Bandejo.Core.Rules;
using Bandejo.Store;

namespace Bandejo.Server;

/// <summary>What the service's program does with the store besides serving: <c>bandejo-service NAME …</c>. Each ends with 0 where all is well.</summary>
internal static class StoreCommands
{
    /// <summary>Every command with its meaning, for <c>--help</c> and the reference.</summary>
    public static IReadOnlyList<(string Name, string Meaning)> All { get; } =
    [
        ("check", "Reads the whole log, and says whether the tables are what it makes of them; changes nothing"),
        ("rebuild", "Makes the tables anew from the log"),
        (
            "backup FOLDER",
            "Copies all that is kept, content and keys too, into a folder, while the service runs; into one that has a backup already only what is new"),
        ("restore FOLDER", "Makes a new data folder, and with --store a new database, of a backup; run it before the service's first start there"),
        (
            "copy-store FROM TO",
            "Carries all that is kept from one database into another, in which there is nothing yet, while no service runs on either; FROM and TO are files "
                + "or Host=…;Database=…"),
    ];

    /// <summary>Whether arguments name a command, and not a setting.</summary>
    public static bool Are(IReadOnlyList<string> arguments) => arguments is [var first, ..] && !first.StartsWith('-');

    /// <summary>Carries a command out.</summary>
    public static int Run(IReadOnlyList<string> arguments, TextWriter says, TextWriter complains)
    {
        var names = All.Select(each => each.Name.Split(' ')).ToList();
        if (names.FirstOrDefault(each => each[0] == arguments[0]) is not [var name, .. var places])
        {
            var near = Suggest.Nearest(arguments[0], names.Select(each => each[0]));
            complains.WriteLine(
                $"There is no command '{arguments[0]}'. "
                    + (near is null ? $"Commands: {string.Join(", ", names.Select(each => each[0]))}; none starts the service." : $"Did you mean '{near}'?"));
            return 2;
        }

        string[] given = [.. arguments.Skip(1).TakeWhile(each => !each.StartsWith('-'))];
        if (given.Length != places.Length)
        {
            var what = given.Length < places.Length ? $"{places[given.Length]} is missing" : $"'{given[places.Length]}' is one word too many";
            complains.WriteLine($"bandejo-service {string.Join(' ', places.Prepend(name))}: {what}.");
            return 2;
        }

        var read = ServiceOptions.Read([.. arguments.Skip(1 + given.Length)], Environment.GetEnvironmentVariable);
        if (!read.Ok)
        {
            complains.WriteLine(read.Failure!.Message);
            return 2;
        }

        try
        {
            var options = read.Value;
            return name switch
            {
                "check" => Check(options.Store, says, complains), "rebuild" => Rebuild(options.Store, says, complains),
                "copy-store" => Copy(given[0], given[1], says, complains), "backup" => Backup(options, given[0], says, complains),
                _ => Restore(options, given[0], says, complains),
            };
        }
        catch (Exception error) when (error is StoreException or IOException or UnauthorizedAccessException)
        {
            complains.WriteLine(error is StoreException ? error.Message : Troubles.AsSentence(error));
            return 4;
        }
    }

    private static int Check(string store, TextWriter says, TextWriter complains)
    {
        var (records, differing) = DatabaseStore.Check(store, Progress(complains));
        if (differing.Count > 0)
        {
            complains.WriteLine(
                $"The log is whole ({Records(records)}), and {(differing.Count == 1 ? "this table is" : "these tables are")} not what it makes of "
                    + $"{(differing.Count == 1 ? "it" : "them")}: {string.Join(", ", differing)}. bandejo-service rebuild makes all anew from the log.");
            return 1;
        }

        says.WriteLine($"The log is whole ({Records(records)}), and all tables are what it makes of them.");
        return 0;
    }

    private static int Rebuild(string store, TextWriter says, TextWriter complains)
    {
        says.WriteLine($"All tables were made anew from the log ({Records(DatabaseStore.Rebuild(store, Progress(complains)))}).");
        return 0;
    }

    private static int Copy(string from, string to, TextWriter says, TextWriter complains)
    {
        var records = DatabaseStore.Copy(from, to, Progress(complains));
        says.WriteLine($"All that is kept was copied ({Records(records)}), and every table is what it was there. Content and keys stay where they are: "
            + "start the service with the same --data, and with --store for the new database.");
        return 0;
    }

    private static int Backup(ServiceOptions options, string folder, TextWriter says, TextWriter complains)
    {
        var made = Backups.Make(options.Store, options.Data, Path.GetFullPath(folder), Progress(complains));
        says.WriteLine(string.Create(
            CultureInfo.InvariantCulture,
            $"The backup in {folder} has {Records(made.Records)} ({made.NewRecords:N0} new) and {made.Files:N0} files ({made.NewFiles:N0} new). It holds keys: "
                + $"keep it where only you can read it."));
        return 0;
    }

    private static int Restore(ServiceOptions options, string folder, TextWriter says, TextWriter complains)
    {
        var about = Backups.Restore(Path.GetFullPath(folder), options.Store, options.Data, Progress(complains));
        says.WriteLine(string.Create(
            CultureInfo.InvariantCulture,
            $"All up to {about.At.UtcDateTime:yyyy-MM-dd HH:mm} UTC is in {options.Data} ({Records(about.Records)}, {about.Files:N0} files). Start the service "
                + $"with the same settings, and never again the one that the backup was made of: devices would hear two."));
        return 0;
    }

    private static string Records(long number) => string.Create(CultureInfo.InvariantCulture, $"{number:N0} record{(number == 1 ? "" : "s")}");

    /// <summary>Tells of every tenth of a long way, so that nobody waits without knowing for what.</summary>
    private static Action<long, long> Progress(TextWriter complains) => (done, all) =>
    {
        if (all >= 10_000 && done % (all / 10) == 0)
        {
            complains.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{done:N0} of {all:N0} records"));
        }
    };
}
