using System.Globalization;

namespace Bandejo.Core.Installers;

/// <summary>Reads a Windows Installer database, and transforms beside it.</summary>
internal static class DatabaseReader
{
    /// <summary>Public properties that steer the installer itself, and are none of the software's own.</summary>
    private static readonly HashSet<string> Steering = new(StringComparer.Ordinal)
    {
        "ALLUSERS", "MSIINSTALLPERUSER", "REBOOT", "REBOOTPROMPT", "REINSTALL", "REINSTALLMODE", "ADDLOCAL", "ADDDEFAULT", "ADDSOURCE", "REMOVE", "ADVERTISE",
        "TRANSFORMS", "PATCH", "INSTALLLEVEL", "LIMITUI", "PROMPTROLLBACKCOST", "ROOTDRIVE",
        "SHORTFILENAMES", "SEQUENCE", "PRIMARYFOLDER", "DISABLEADVTSHORTCUTS", "DISABLEROLLBACK", "COMPANYNAME", "USERNAME", "PIDKEY", "ACTION",
        "MEDIAPACKAGEPATH", "AFTERREBOOT", "EXECUTEACTION", "FASTOEM", "MSIRESTARTMANAGERCONTROL",
        "MSIDISABLERMRESTART", "MSIRMSHUTDOWN", "MSIFASTINSTALL", "MSIDEPLOYMENTCOMPLIANT", "MSIENFORCEUPGRADECOMPONENTRULES", "MSIUSEREALADMINDETECTION",
        "TARGETDIR", "SOURCELIST",
    };

    public static void Read(Window file, Draft draft, IReadOnlyList<(string Name, Window File)> transforms)
    {
        var compound = new CompoundFile(file);
        var summary = new SummaryInformation(compound.Read(SummaryInformation.StreamName));
        if (compound.Streams.Count > 0 && Path.GetExtension(draft.File).Equals(".mst", StringComparison.OrdinalIgnoreCase))
        {
            draft.Kind = (InstallerKind.WindowsTransform, "transform of a Windows Installer database");
            draft.Tell(Facts.Name, summary.Subject, Certainty.Likely, "summary information");
            draft.Ask("What it changes", "Inspect it together with the database it belongs to: put both into one folder and inspect the folder.");
            return;
        }

        if (Path.GetExtension(draft.File).Equals(".msp", StringComparison.OrdinalIgnoreCase))
        {
            Patch(draft, summary);
            return;
        }

        var tables = new DatabaseTables(compound);
        if (!tables.Has("Property"))
        {
            throw new BrokenFileException("it is a compound file without a table of properties, so it is no installer database");
        }

        draft.Kind = (InstallerKind.WindowsInstaller, "Windows Installer database");
        draft.Tell(Facts.System, "windows", Certainty.Certain, "its kind");
        var properties = tables.Read("Property").Where(row => Text(row, "Property").Length > 0).GroupBy(row => Text(row, "Property"), StringComparer.Ordinal)
            .ToDictionary(rows => rows.Key, rows => Text(rows.Last(), "Value"), StringComparer.Ordinal);
        Product(draft, properties, summary);
        Choices(draft, properties, tables);
        Contents(draft, tables, compound);
        Restarts(draft, properties, tables);
        Commands(draft, properties, transforms.Select(each => each.Name));
        foreach (var (name, transform) in transforms)
        {
            Transform(draft, name, transform, tables);
        }
    }

    /// <summary>A patch names the products that it is for in its summary (Template), and is taken by the system's own tool.</summary>
    private static void Patch(Draft draft, SummaryInformation summary)
    {
        draft.Kind = (InstallerKind.WindowsPatch, "patch for a Windows Installer database");
        draft.Tell(Facts.System, "windows", Certainty.Certain, "its kind");
        draft.Tell(Facts.Name, summary.Subject, Certainty.Likely, "summary information");
        var products = summary.Template.Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Where(each => each.StartsWith('{'))
            .Take(20).ToList();
        draft.Conditions.AddRange(products.Select(product => $"is for the product {product}"));
        draft.Command("install", Certainty.Certain, "Windows' own tool", "msiexec", "/update", draft.File, "/qn", "REBOOT=ReallySuppress");
        if (products is [var only])
        {
            draft.Command(
                "remove", Certainty.Certain, "Windows' own tool", "msiexec", "/package", only, "/uninstall", draft.File, "/qn", "REBOOT=ReallySuppress");
        }

        draft.Ask("Whether the product is on every device", "A patch changes what is there, and fails where that is not: say it in 'requires' or 'needs'.");
    }

    private static void Product(Draft draft, Dictionary<string, string> properties, SummaryInformation summary)
    {
        foreach (
            var (
                what,
                property)
                in new[]
                {
                    (Facts.Name, "ProductName"), (Facts.Version, "ProductVersion"), (Facts.Publisher, "Manufacturer"), (Facts.ProductCode, "ProductCode"),
                    (Facts.UpgradeCode, "UpgradeCode"),
                })
        {
            draft.Tell(what, properties.GetValueOrDefault(property), Certainty.Certain, $"property {property}");
        }

        if (int.TryParse(properties.GetValueOrDefault("ProductLanguage"), CultureInfo.InvariantCulture, out var language))
        {
            draft.Tell(Facts.Language, Languages.Name(language), Certainty.Certain, "property ProductLanguage");
        }

        var architecture = summary.Template.Split(';')[0]
            .ToLowerInvariant() switch { "x64" or "amd64" => "x64", "arm64" => "arm64", "intel64" => "ia64", "intel" or "" => "x86", var other => other };
        draft.Tell(Facts.Architecture, architecture, Certainty.Certain, "summary information");
        draft.Tell(Facts.Summary, properties.GetValueOrDefault("ARPCOMMENTS"), Certainty.Certain, "property ARPCOMMENTS");
        draft.Tell(
            Facts.Rights,
            (summary.Words & 8) != 0 ? "installs for one user, without an administrator's rights"
                : properties.GetValueOrDefault("ALLUSERS") is "1" ? "installs for all users"
                : "installs for all users when the system account runs it",
            (summary.Words & 8) != 0 ? Certainty.Certain : Certainty.Likely, "summary information");
        if ((summary.Words & 8) != 0)
        {
            draft.Ask(
                "Whether it can be installed for all users",
                "It was made for one user's own rights; the system account is a user too, but its files may land where nobody looks. Ask the maker for an "
                    + "edition for all users.");
        }
    }

    private static void Choices(Draft draft, Dictionary<string, string> properties, DatabaseTables tables)
    {
        var hidden = List(properties, "MsiHiddenProperties");
        var meant = List(properties, "SecureCustomProperties");
        var names = properties.Keys.Where(
            name =>
                name.Length > 2 && name.All(c => char.IsAsciiLetterUpper(c) || char.IsAsciiDigit(c) || c is '_' or '.') && !Steering.Contains(name)
                    && !name.StartsWith("ARP", StringComparison.Ordinal))
            .Concat(meant.Where(name => !Steering.Contains(name))).Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal);
        var upgrades = tables.Read("Upgrade").Select(row => Text(row, "ActionProperty")).ToHashSet(StringComparer.Ordinal);
        foreach (var name in names.Where(name => !upgrades.Contains(name)).Take(100))
        {
            var isSecret = hidden.Contains(name) || name.Contains("PASSWORD", StringComparison.Ordinal) || name.Contains("SECRET", StringComparison.Ordinal);
            draft.Takes(name, properties.GetValueOrDefault(name, ""), isSecret, name + "={value}");
        }

        var level = int.TryParse(properties.GetValueOrDefault("INSTALLLEVEL"), CultureInfo.InvariantCulture, out var given) ? given : 1;
        foreach (var feature in tables.Read("Feature").Take(200))
        {
            draft.Features.Add(new InstallerFeature(
                Text(feature, "Feature"), Text(feature, "Title"), Number(feature, "Level") is > 0 and var at && at <= level));
        }

        foreach (var condition in tables.Read("LaunchCondition").Take(50))
        {
            draft.Conditions.Add($"{Text(condition, "Condition")}: {Text(condition, "Description")}");
        }
    }

    private static void Contents(Draft draft, DatabaseTables tables, CompoundFile compound)
    {
        foreach (var file in tables.Read("File"))
        {
            var name = Text(file, "FileName");
            draft.Contains(name[(name.IndexOf('|', StringComparison.Ordinal) + 1)..], Number(file, "FileSize"));
        }

        foreach (var (name, stream, size) in tables.Others.Where(other => other.Name.StartsWith("Binary.", StringComparison.Ordinal)))
        {
            var head = tables.Head(stream, 8);
            var what = head.AsSpan().StartsWith("MZ"u8) && size > 200_000 ? "a Windows program that it runs"
                : head.AsSpan().StartsWith(CompoundFile.Signature) ? "a Windows Installer database"
                : null;
            if (what is not null)
            {
                draft.Nested.Add(new NestedInstaller(name, size, what));
            }
        }

        if (compound.Storages.Count > 0)
        {
            draft.Ask(
                $"What {compound.Storages.Count} transforms inside it are for", "They are mostly languages: TRANSFORMS=:NAME on the command line chooses one.");
        }

        draft.Beside.AddRange(
            tables.Read("Media").Select(row => Text(row, "Cabinet"))
                .Where(name => name.Length > 0 && !name.StartsWith('#') && Packages.SafePath.Problem(name) is null).Distinct(StringComparer.Ordinal).Take(50));
        if (draft.Beside.Count > 0)
        {
            draft.Warn($"Its files are not inside: {string.Join(", ", draft.Beside)} must lie beside it in the package folder.");
        }
    }

    private static void Restarts(Draft draft, Dictionary<string, string> properties, DatabaseTables tables)
    {
        var actions = tables.Read("InstallExecuteSequence").Select(row => Text(row, "Action")).ToHashSet(StringComparer.Ordinal);
        if (actions.Contains("ForceReboot"))
        {
            draft.Tell(Facts.Restart, "restarts in the middle of installing", Certainty.Certain, "action ForceReboot");
        }
        else if (actions.Contains("ScheduleReboot"))
        {
            draft.Tell(Facts.Restart, "asks for a restart at the end", Certainty.Certain, "action ScheduleReboot");
        }
        else
        {
            draft.Tell(
                Facts.Restart, properties.GetValueOrDefault("REBOOT") is ['F' or 'f', ..] ? "asks for a restart at the end" : "only where files are in use",
                Certainty.Likely, "no action asks for one");
        }
    }

    private static void Commands(Draft draft, Dictionary<string, string> properties, IEnumerable<string> transforms)
    {
        var code = properties.GetValueOrDefault("ProductCode", "");
        var changed = string.Join(';', transforms);
        string[] with = changed.Length > 0 ? [$"TRANSFORMS={changed}"] : [];
        const string Source = "every Windows Installer database";
        draft.Command("install", Certainty.Certain, Source, ["msiexec", "/i", draft.File, .. with, "/qn", "/norestart"]);
        draft.Command("log", Certainty.Certain, Source, "/l*v", "install.log");
        if (code.Length > 0)
        {
            draft.Command("remove", Certainty.Certain, Source, "msiexec", "/x", code, "/qn", "/norestart");
            draft.Command("repair", Certainty.Certain, Source, "msiexec", "/fa", code, "/qn", "/norestart");
        }

        if (code.Length > 0)
        {
            draft.Proofs.Add(new SuggestedProof(
                "product", code, Certainty.Certain, "property ProductCode; Windows keeps the version of each product under its code"));
        }
        else if (draft.Value(Facts.Name) is { } name)
        {
            draft.Proofs.Add(new SuggestedProof("program", name, Certainty.Certain, "property ProductName; the system lists it under that name"));
        }

        if (code.Length == 0 && properties.GetValueOrDefault("ARPSYSTEMCOMPONENT") == "1")
        {
            draft.Warn(
                "It keeps itself out of the system's list of programs (ARPSYSTEMCOMPONENT), so that the list cannot prove it; check for a file and its "
                    + "version.");
        }
    }

    private static void Transform(Draft draft, string name, Window file, DatabaseTables tables)
    {
        try
        {
            var changes = new DatabaseTables(new CompoundFile(file), tables);
            foreach (var (change, row) in changes.Changes("Property").Take(50))
            {
                draft.Conditions.Add($"{name}: property {Text(row, "Property")} {change}{(row.TryGetValue("Value", out var value) ? $" to '{value}'" : "")}");
            }

            var others = changes.Names.Where(table => table != "Property").Order(StringComparer.Ordinal).ToList();
            if (others.Count > 0)
            {
                draft.Conditions.Add($"{name}: changes the tables {string.Join(", ", others.Take(20))}");
            }
        }
        catch (BrokenFileException error)
        {
            draft.Findings.Add(new Finding($"The transform '{name}' beside it cannot be read: {error.Message}.", name));
        }
    }

    private static string[] List(Dictionary<string, string> properties, string name) =>
        properties.GetValueOrDefault(name, "").Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);

    private static string Text(IReadOnlyDictionary<string, object?> row, string column) => row.GetValueOrDefault(column) as string ?? "";

    private static int Number(IReadOnlyDictionary<string, object?> row, string column) => row.GetValueOrDefault(column) is int number ? number : 0;
}

/// <summary>Languages by the numbers that Windows gives them ([MS-LCID]).</summary>
internal static class Languages
{
    private static readonly Dictionary<int, string> Names = new()
    {
        [0] = "any", [1028] = "zh-TW", [1029] = "cs", [1030] = "da", [1031] = "de", [1032] = "el", [1033] = "en-US", [1034] = "es", [1035] = "fi",
        [1036] = "fr", [1037] = "he", [1038] = "hu", [1040] = "it", [1041] = "ja", [1042] = "ko", [1043] = "nl",
        [1044] = "nb", [1045] = "pl", [1046] = "pt-BR", [1049] = "ru", [1051] = "sk", [1053] = "sv", [1055] = "tr", [1058] = "uk", [2052] = "zh-CN",
        [2057] = "en-GB", [2070] = "pt", [3082] = "es",
    };

    /// <summary>The tag of a language (BCP 47), or the number itself.</summary>
    public static string Name(int number) => Names.GetValueOrDefault(number) ?? number.ToString(CultureInfo.InvariantCulture);
}
