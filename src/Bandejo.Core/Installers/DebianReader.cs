using System.Text;

namespace Bandejo.Core.Installers;

/// <summary>Reads Debian packages: an ar archive with the control files and the data as tar archives (deb(5)).</summary>
internal static class DebianReader
{
    /// <summary>What dpkg is told to remove a package and keep its configuration (dpkg(1)).</summary>
    public const string Keep = "--remove";

    private const int MostControl = 16 << 20;

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.Debian, "Debian package");
        draft.Tell(Facts.System, "linux", Certainty.Certain, "its kind");
        var isRead = false;
        var hasData = false;
        for (var at = 8L; at + 60 <= file.Length;)
        {
            file.Budget.Entry();
            var head = Encoding.ASCII.GetString(file.Bytes(at, 60));
            var name = head[..16].TrimEnd(' ', '/');
            if (!long.TryParse(head[48..58].Trim(), out var size) || size < 0 || head[58] != '`')
            {
                throw new BrokenFileException("a part of its ar archive has a damaged head");
            }

            var part = file.Part(at + 60, size);
            if (name.StartsWith("control.tar", StringComparison.Ordinal))
            {
                Control(part, draft);
                isRead = true;
            }
            else if (name.StartsWith("data.tar", StringComparison.Ordinal))
            {
                hasData = true;
            }

            at += 60 + size + (size & 1);
        }

        if (!isRead || !hasData)
        {
            throw new BrokenFileException(isRead ? "it has no data archive" : "it has no control archive");
        }
    }

    private static void Control(Window part, Draft draft)
    {
        using var stream = Unpacking.Open(part.Open(), Unpacking.How(part.Some(0, 8)), part.Budget);
        var left = (long)MostControl;
        foreach (var (path, size, _, _, content) in TarReading.Files(stream, part.Budget))
        {
            left -= size;
            if (left < 0)
            {
                throw new BrokenFileException($"its control archive unpacks to more than {MostControl / 1048576} MiB, which makes no sense there");
            }

            switch (path.TrimStart('.', '/'))
            {
                case "control":
                    Fields(Encoding.UTF8.GetString(Unpacking.All(content, 1 << 20, path, part.Budget)), draft);
                    break;
                case "md5sums":
                    foreach (var line in Encoding.UTF8.GetString(Unpacking.All(content, MostControl, path, part.Budget)).Split('\n').Where(
                        line => line.Length > 34))
                    {
                        draft.Contains(line[34..].Trim(), 0);
                    }

                    break;
                case "config" or "templates":
                    draft.Warn("It may ask questions while it is installed; with DEBIAN_FRONTEND=noninteractive it takes its own answers.");
                    break;
            }
        }
    }

    private static void Fields(string control, Draft draft)
    {
        var fields = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        foreach (var line in control.Split('\n').Where(line => line.Contains(':') && !line.StartsWith(' ')))
        {
            fields.TryAdd(line[..line.IndexOf(':', StringComparison.Ordinal)], line[(line.IndexOf(':', StringComparison.Ordinal) + 1)..].Trim());
        }

        const string Source = "control file";
        var name = fields.GetValueOrDefault("Package", "");
        draft.Tell(Facts.Name, name, Certainty.Certain, Source);
        draft.Tell(Facts.Identity, name, Certainty.Certain, Source);
        draft.Tell(Facts.Version, fields.GetValueOrDefault("Version"), Certainty.Certain, Source);
        draft.Tell(Facts.Publisher, fields.GetValueOrDefault("Maintainer", "").Split('<')[0], Certainty.Certain, Source);
        draft.Tell(Facts.Summary, fields.GetValueOrDefault("Description"), Certainty.Certain, Source);
        draft.Tell(
            Facts.Architecture, fields.GetValueOrDefault("Architecture") switch { "amd64" => "x64", "i386" => "x86", "all" => "any", var other => other },
            Certainty.Certain, Source);
        draft.Tell(Facts.Restart, "no", Certainty.Likely, "its kind");
        if (long.TryParse(fields.GetValueOrDefault("Installed-Size"), out var kilobytes))
        {
            draft.Tell(Facts.InstalledSize, kilobytes + " KiB", Certainty.Certain, Source);
        }

        foreach (
            var needed in $"{fields.GetValueOrDefault("Pre-Depends")},{fields.GetValueOrDefault("Depends")}"
                .Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Take(200))
        {
            draft.Nested.Add(new NestedInstaller(needed, 0, "a Debian package that it asks for"));
        }

        draft.Command(
            "install", Certainty.Certain, "Debian's own tool", "env", "DEBIAN_FRONTEND=noninteractive", "sh", "-c",
            "exec dpkg --root=\"$BANDEJO_ROOT\" --install \"$0\"", draft.File);
        draft.Command(
            "remove", Certainty.Certain, "Debian's own tool", "env", "DEBIAN_FRONTEND=noninteractive", "sh", "-c",
            "exec dpkg --root=\"$BANDEJO_ROOT\" \"$1\" \"$0\"", name, Keep);
        if (name.Length > 0)
        {
            draft.Proofs.Add(new SuggestedProof("program", name, Certainty.Certain, "the system lists it under that name"));
        }

        if (draft.Nested.Count > 0)
        {
            draft.Ask(
                draft.Nested.Count == 1
                    ? "Whether the package it asks for is on every device"
                    : $"Whether the {draft.Nested.Count} packages it asks for are on every device",
                "dpkg fetches nothing. Where apt may be used, put [apt-get, install, --yes, ./FILE] into the 'install' step.");
        }
    }
}
