using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>Reads a Windows program, and finds out whether it carries an installer.</summary>
internal static class ProgramReader
{
    /// <summary>How much of the beginning and of what is appended is searched for marks.</summary>
    private const int Searched = 4 << 20;

    private static readonly (byte[] Mark, string What)[] Carried =
    [
        (CompoundFile.Signature.ToArray(), "a Windows Installer database"),
        ([.. "MSCF\0\0\0\0"u8], "a cabinet of files"),
        ([0x37, 0x7A, 0xBC, 0xAF, 0x27, 0x1C], "an archive of files (7z)"),
        ([0x50, 0x4B, 0x03, 0x04], "an archive of files (ZIP)"),
        ([.. "Rar!\x1A\x07"u8], "an archive of files (RAR)"),
    ];

    public static void Read(Window file, Draft draft, HintCatalog hints)
    {
        var program = new PortableExecutable(file);
        draft.Kind = (
            InstallerKind.WindowsProgram,
            program.IsDll ? "Windows library" : program.IsForTerminal ? "Windows program for the command line" : "Windows program");
        draft.Tell(Facts.System, "windows", Certainty.Certain, "its kind");
        Architecture(draft, program);
        Version(file, draft, program);
        Manifest(file, draft, program);
        draft.Icon = IconReader.Of(file, program);
        if (program.Signature() is { Length: > 0 } signature)
        {
            if (SignerName.Of(signature) is { } signer)
            {
                draft.Tell(Facts.Signer, signer, Certainty.Certain, "its signature, which was read and not verified");
            }
            else
            {
                draft.Warn("It carries a signature that cannot be read.");
            }
        }
        else
        {
            draft.Tell(Facts.Signer, "nobody: it is not signed", Certainty.Certain, "no signature");
        }

        if (!program.IsDll)
        {
            Setup(file, draft, program, hints);
        }
    }

    /// <summary>What sort of installer a program is, from its beginning; null where it shows no sign of being one.</summary>
    /// <exception cref="BrokenFileException">It is no program.</exception>
    public static string? WhatInstalls(Window file, HintCatalog hints)
    {
        var program = new PortableExecutable(file);
        var (hint, carried, overlaySize) = Marks(file, program, hints);
        return program.IsDll ? null
            : hint is not null ? $"a Windows setup: {hint.Name}"
            : carried.Count > 0 || overlaySize > 1 << 20 ? "a Windows program that carries an installer"
            : null;
    }

    private static void Architecture(Draft draft, PortableExecutable program)
    {
        if (program.Architecture is { } architecture)
        {
            // A setup is often an x86 program whatever it installs.
            draft.Tell(
                Facts.Architecture, program is { Machine: 0x14C, RunsAnywhere: true } ? "any" : architecture, Certainty.Certain,
                "header of the program itself");
        }
        else
        {
            draft.Ask("For which architecture it is", $"Its header names the machine 0x{program.Machine:X4}, which is none of x64, x86 and arm64.");
        }
    }

    private static void Version(Window file, Draft draft, PortableExecutable program)
    {
        var found = program.Resources(16).Select(each => new VersionData(file.Some(each.At, (int)Math.Min(each.Size, 64 * 1024)))).FirstOrDefault();
        if (found is null)
        {
            return;
        }

        draft.Tell(Facts.Name, Plain(found["ProductName"]), Certainty.Certain, "version data: ProductName");
        draft.Tell(Facts.Name, Plain(found["FileDescription"]), Certainty.Likely, "version data: FileDescription");
        draft.Tell(Facts.Version, Number(found["ProductVersion"]), Certainty.Certain, "version data: ProductVersion");
        draft.Tell(Facts.Version, found.FileVersion, Certainty.Likely, "version data: number of the file");
        draft.Tell(Facts.Publisher, found["CompanyName"], Certainty.Certain, "version data: CompanyName");
        draft.Tell(Facts.Summary, found["Comments"], Certainty.Likely, "version data: Comments");
    }

    /// <summary>A version as text, without spaces and what follows them; commas between numbers are an old habit.</summary>
    private static string Number(string text)
    {
        var number = text.Replace(", ", ".", StringComparison.Ordinal).Replace(',', '.').Trim().Split(' ')[0];
        return number.Any(char.IsAsciiDigit) ? number : "";
    }

    private static string Plain(string name)
    {
        foreach (var end in new[] { " Setup", " Installer", " setup", " installer" })
        {
            name = name.EndsWith(end, StringComparison.Ordinal) ? name[..^end.Length] : name;
        }

        return name;
    }

    private static void Manifest(Window file, Draft draft, PortableExecutable program)
    {
        foreach (var (_, at, size) in program.Resources(24).Take(1))
        {
            var text = Encoding.UTF8.GetString(file.Some(at, (int)Math.Min(size, 256 * 1024)));
            var rights = text.Contains("requireAdministrator", StringComparison.Ordinal) ? "asks for an administrator's rights"
                : text.Contains("highestAvailable", StringComparison.Ordinal) ? "asks for the most rights its user has"
                : text.Contains("asInvoker", StringComparison.Ordinal) ? "runs with the rights of whoever starts it" : null;
            draft.Tell(Facts.Rights, rights, Certainty.Certain, "manifest of the program");
        }
    }

    private static void Setup(Window file, Draft draft, PortableExecutable program, HintCatalog hints)
    {
        var (hint, carried, overlaySize) = Marks(file, program, hints);
        if (hint is null && carried.Count == 0)
        {
            if (overlaySize > 1 << 20)
            {
                draft.Kind = (InstallerKind.WindowsSetup, "Windows program with something appended");
                draft.Ask(
                    $"What the {overlaySize / 1048576:N0} MiB behind the program are",
                    "Most likely an installer. Try it with /? in a trial, ask its maker for silent switches, or capture what it changes.", "install");
            }
            else
            {
                draft.Ask(
                    "Whether it installs anything",
                    "It looks like a program that simply runs. Where it is one, copy it into its place with an 'install' step of your own.", "install");
            }

            return;
        }

        draft.Kind = (InstallerKind.WindowsSetup, hint is null ? "Windows setup program" : $"Windows setup program: {hint.Name}");
        if (hint is not null)
        {
            draft.Tell(Facts.Setup, hint.Name, hint.Certainty, hint.Source);
            Commands(draft, hint);
        }
        else
        {
            draft.Ask(
                "Which switches make it silent",
                "None of the known marks is in it. Try it with /? in a trial, look into its maker's notes, or capture what it changes.", "install");
        }

        if (carried.Exists(each => each.What.Contains("Installer", StringComparison.Ordinal)))
        {
            draft.Nested.Add(new NestedInstaller("inside the program", 0, "a Windows Installer database"));
            draft.Ask(
                "What the database inside it is",
                "It is often the better start for a package: let the setup unpack itself (many do with /extract or /a) and inspect the .msi.");
        }

        if (draft.Value(Facts.Name) is { } name)
        {
            draft.Proofs.Add(new SuggestedProof("program", name, Certainty.Guess, "the system mostly lists it under the name of its version data"));
        }
    }

    /// <summary>The marks of setups in a program: what a hint knows, and what it carries behind itself or as a resource.</summary>
    private static (Hint? Hint, List<(string What, int At)> Carried, long OverlaySize) Marks(Window file, PortableExecutable program, HintCatalog hints)
    {
        var head = file.Some(0, Searched);
        var overlaySize = program.OverlayEnd - program.OverlayAt;
        var overlay = file.Some(program.OverlayAt, (int)Math.Min(Searched, Math.Max(0, overlaySize)));
        var hint = hints.Find("windows", head, overlay, program.Sections);
        var carried = Carried.Select(each => (each.What, At: overlay.AsSpan().IndexOf(each.Mark))).Where(each => each.At >= 0).OrderBy(each => each.At)
            .ToList();
        if (program.Resources(10).Any(each => file.Has(each.At, CompoundFile.Signature)))
        {
            carried.Insert(0, ("a Windows Installer database", 0));
        }

        return (hint, carried, overlaySize);
    }

    private static void Commands(Draft draft, Hint hint)
    {
        draft.Command("install", hint.Certainty, hint.Source, [draft.File, .. hint.Install]);
        if (hint.Remove.Count > 0 && hint.RemovesItself)
        {
            draft.Command("remove", hint.Certainty, hint.Source, [draft.File, .. hint.Remove]);
        }
        else if (hint.Remove.Count > 0)
        {
            // Where it stands is chosen while it is installed, and nothing in the file says it.
            draft.Ask(
                "Where its remove program stands",
                $"Mostly at {hint.RemoveProgram.Replace("NAME", draft.Value(Facts.Name) ?? "…", StringComparison.Ordinal)}; a trial or a capture shows "
                    + $"where. It removes without asking with {string.Join(' ', hint.Remove)}.",
                "remove");
        }

        if (hint.Log.Count > 0)
        {
            draft.Command("log", hint.Certainty, hint.Source, hint.Log);
        }

        if (hint.Try.Length > 0)
        {
            draft.Ask("What else to know of this kind of setup", hint.Try);
        }
    }
}
