namespace Bandejo.Core.Installers;

/// <summary>Reads out of an installer file what it is and how it wants to be handled. The file is never run, unpacked or written to.</summary>
public static class Inspector
{
    /// <summary>Inspects one file.</summary>
    /// <param name="file">Its content, which must be able to seek.</param>
    /// <param name="name">Its name, without folders.</param>
    /// <param name="hints">How setups are recognised.</param>
    /// <param name="transforms">Transforms that lie beside a Windows Installer database.</param>
    /// <param name="budget">What it may cost; the usual where none is given.</param>
    /// <exception cref="OperationCanceledException">The budget was told to stop.</exception>
    /// <returns>Always an inspection: what is damaged or hostile is among its findings.</returns>
    public static Inspection Inspect(
        Stream file, string name, HintCatalog hints, IReadOnlyList<(string Name, Stream File)>? transforms = null, ReadingBudget? budget = null)
    {
        budget ??= new ReadingBudget(TimeProvider.System);
        var draft = new Draft(name, file.Length) { Look = new InsideLook(hints, budget) };
        if (file.Length == 0)
        {
            draft.Findings.Add(new Finding("The file is empty.", name));
            return draft.Done();
        }

        var window = new Window(file, budget);
        try
        {
            Read(window, draft, hints, [.. (transforms ?? []).Select(each => (each.Name, new Window(each.File, budget)))]);
        }
        catch (BrokenFileException error)
        {
            draft.Findings.Add(new Finding(
                $"{(draft.Kind.Kind == InstallerKind.Unknown ? "The file" : $"This {draft.Kind.InWords}")} is damaged or not what it seems: {error.Message}. "
                    + $"What was read before stands below; fetch the file again and compare its digest.",
                name));
        }

        catch (SpentException spent)
        {
            draft.ContainsMore();
            draft.Warn(
                $"It was not read to its end: {spent.Message}. What was read before stands below. No usual installer takes that much; fetch the file again "
                    + $"and compare its digest, or look at it by hand.");
        }

        if (draft.Kind.Kind == InstallerKind.Unknown)
        {
            draft.Ask("What it is", "None of the kinds that are read here. Say in a manifest by hand how it is installed: bandejo package new FOLDER.");
        }

        ByName(draft);
        Missing(draft);
        return draft.Done();
    }

    /// <summary>Reads what came out of an archive, as far as it says what it is.</summary>
    internal static void Read(Window file, Draft draft, HintCatalog hints, IReadOnlyList<(string Name, Window File)> transforms)
    {
        var head = file.Some(0, 1024);
        if (head.AsSpan().StartsWith(CompoundFile.Signature))
        {
            DatabaseReader.Read(file, draft, transforms);
        }
        else if (head is [(byte)'M', (byte)'Z', ..])
        {
            ProgramReader.Read(file, draft, hints);
        }
        else if (head.AsSpan().StartsWith("!<arch>\n"u8))
        {
            DebianReader.Read(file, draft);
        }
        else if (RpmReader.Is(head))
        {
            RpmReader.Read(file, draft);
        }
        else if (CabinetReader.Is(head))
        {
            CabinetReader.Read(file, draft);
        }
        else if (SevenZipReader.Is(head))
        {
            SevenZipReader.Read(file, draft);
        }
        else if (DiscReader.Is(file))
        {
            DiscReader.Read(file, draft);
        }
        else if (head.AsSpan().StartsWith("xar!"u8))
        {
            MacReader.Read(file, draft);
        }
        else if (ImageReader.Is(head))
        {
            ImageReader.Read(file, draft);
        }
        else if (ScriptReader.Is(head))
        {
            ScriptReader.Read(file, draft, hints);
        }
        else if (head is [(byte)'P', (byte)'K', 3, 4, ..] or [(byte)'P', (byte)'K', 5, 6, ..])
        {
            ZipReader.Read(file, draft);
        }
        else if (Unpacking.How(head) is { } how)
        {
            TarReader.Read(file, draft, how);
        }
        else if (TarReading.IsHead(head))
        {
            TarReader.Read(file, draft, null);
        }
        else
        {
            NamedReader.Read(file, draft);
        }
    }

    /// <summary>What the name of the file says and the file does not; and where the two do not agree, that.</summary>
    private static void ByName(Draft draft)
    {
        // Of what is damaged nobody knows what it would have said.
        if (draft.Kind.Kind is InstallerKind.Unknown or InstallerKind.WindowsTransform || draft.Findings.Exists(finding => !finding.IsWarning))
        {
            return;
        }

        const string Source = "name of the file";
        var (_, version) = InstallerNames.Guess(draft.File);
        if (version is not null && draft.Value(Facts.Version) is { } told && !told.Contains(version, StringComparison.OrdinalIgnoreCase)
            && !version.StartsWith(told, StringComparison.OrdinalIgnoreCase))
        {
            draft.Warn($"Its name says version {version}, and the file itself {told}; look which of them is the software's.");
        }
        else if (!draft.Knows(Facts.Version))
        {
            draft.Tell(Facts.Version, version, Certainty.Guess, Source);
        }

        if (InstallerNames.Architecture(draft.File) is not { } architecture)
        {
            return;
        }

        if (draft.Kind.Kind == InstallerKind.WindowsSetup && draft.Value(Facts.Architecture) is "x86" or "any" && architecture != "x86")
        {
            draft.Unsay(Facts.Architecture);
            draft.Tell(Facts.Architecture, architecture, Certainty.Likely, $"{Source}; the setup itself is a program for x86, as most are");
        }
        else if (!draft.Knows(Facts.Architecture))
        {
            draft.Tell(Facts.Architecture, architecture, Certainty.Guess, Source);
        }
    }

    /// <summary>Says of what matters most that it is not known.</summary>
    private static void Missing(Draft draft)
    {
        if (draft.Kind.Kind is InstallerKind.Unknown or InstallerKind.WindowsTransform)
        {
            return;
        }

        if (!draft.Knows(Facts.Version))
        {
            draft.Ask("Its version", "The file does not say; look at its maker's page, or at what a trial finds installed.");
        }

        if (draft.Proofs.Count == 0)
        {
            draft.Ask("What proves that it is there", "Run a trial and choose a file of it that carries the version.");
        }
    }
}
