using System.Buffers.Binary;
using System.Globalization;
using System.Text;
using System.Xml.Linq;

namespace Bandejo.Core.Installers;

/// <summary>Reads macOS installer packages: a xar archive with a table of contents in XML, and inside it a description of the whole or of each part.</summary>
internal static class MacReader
{
    private const int MostContents = 32 << 20;
    private const int LongestPath = 4096;

    public static void Read(Window file, Draft draft)
    {
        draft.Kind = (InstallerKind.MacInstaller, "macOS installer package");
        draft.Tell(Facts.System, "macos", Certainty.Certain, "its kind");
        var head = file.Bytes(0, 28);
        var (headSize, packed, unpacked) = (
            BinaryPrimitives.ReadUInt16BigEndian(head.AsSpan(4)), (long)BinaryPrimitives.ReadUInt64BigEndian(head.AsSpan(8)),
            BinaryPrimitives.ReadUInt64BigEndian(head.AsSpan(16)));
        if (unpacked > MostContents)
        {
            throw new BrokenFileException($"its table of contents would have {unpacked:N0} bytes");
        }

        var contents = SafeXml.Read(
            Unpacking.All(Unpacking.Open(file.Part(headSize, packed).Open(), "zlib", file.Budget), MostContents, "table of contents", file.Budget),
            "table of contents", file.Budget);
        var heap = headSize + packed;
        var isSigned = contents.First("signature") is not null || contents.First("x-signature") is not null;
        if (contents.First("X509Certificate")?.Value is { } certificate)
        {
            draft.Tell(Facts.Signer, NameIn(certificate), Certainty.Certain, "its signature, which was read and not verified");
        }
        else if (!isSigned)
        {
            draft.Tell(Facts.Signer, "nobody: it is not signed", Certainty.Certain, "no signature");
        }

        foreach (var (path, entry) in Files(contents.First("toc"), "", file.Budget))
        {
            var size = Number(entry.Element("data")?.Element("size"));
            if (entry.Element("type")?.Value != "directory")
            {
                draft.Contains(path, size);
            }

            if (path == "Distribution")
            {
                Distribution(SafeXml.Read(Content(file, heap, entry, path), path, file.Budget), draft);
            }
            else if (path.EndsWith("PackageInfo", StringComparison.Ordinal))
            {
                Part(SafeXml.Read(Content(file, heap, entry, path), path, file.Budget), path, draft);
            }
        }

        const string Source = "macOS' own tool";
        draft.Command("install", Certainty.Certain, Source, "sh", "-c", "exec installer -pkg \"$0\" -target \"$BANDEJO_ROOT\"", draft.File);
        draft.Command("log", Certainty.Certain, Source, "-dumplog", "-verboseR");
        draft.Ask(
            "How it is removed",
            "Installer packages know no removal. List its files with pkgutil --files IDENTITY, take them away in a remove step, and end it with pkgutil "
                + "--forget IDENTITY.",
            "remove");
        if (draft.Value(Facts.Identity) is { } identity)
        {
            draft.Proofs.Add(new SuggestedProof("command", $"pkgutil --pkg-info {identity}", Certainty.Certain, "the system keeps a receipt of each identity"));
        }
    }

    private static void Distribution(XElement distribution, Draft draft)
    {
        const string Source = "Distribution";
        var title = distribution.First("title")?.Value;

        // A title in capitals with underscores is the key of a text in some language, and no title.
        var isKey = title is not null && title.Contains('_') && !title.Any(char.IsLower);
        draft.Tell(Facts.Name, isKey ? null : title, Certainty.Certain, Source);
        draft.Tell(
            Facts.Architecture, distribution.First("options").Attr("hostArchitectures").Replace("x86_64", "x64", StringComparison.Ordinal), Certainty.Certain,
            Source);
        draft.Tell(Facts.MinimumSystem, distribution.First("os-version").Attr("min"), Certainty.Certain, Source);
        var product = distribution.First("product");
        draft.Tell(Facts.Identity, product.Attr("id"), Certainty.Certain, Source);
        draft.Tell(Facts.Version, product.Attr("version"), Certainty.Certain, Source);
        foreach (var part in distribution.All("pkg-ref").Where(each => each.Attr("version").Length > 0).Take(50))
        {
            draft.Tell(Facts.Identity, part.Attr("id"), Certainty.Likely, Source);
            draft.Tell(Facts.Version, part.Attr("version") is "0" ? "" : part.Attr("version"), Certainty.Likely, Source);
        }

        foreach (var choice in distribution.All("choice").Where(each => each.Attr("title").Length > 0).Take(100))
        {
            draft.Features.Add(new InstallerFeature(choice.Attr("id"), choice.Attr("title"), choice.Attr("start_selected") != "false"));
        }
    }

    private static void Part(XElement part, string path, Draft draft)
    {
        draft.Tell(Facts.Identity, part.Attr("identifier"), Certainty.Likely, path);
        draft.Tell(Facts.Version, part.Attr("version"), Certainty.Likely, path);
        if (Number(part.First("payload")?.Attributes().FirstOrDefault(each => each.Name.LocalName == "installKBytes")?.Value) is > 0 and var kilobytes)
        {
            draft.Tell(Facts.InstalledSize, string.Create(CultureInfo.InvariantCulture, $"{kilobytes} KiB"), Certainty.Certain, path);
        }

        if (part.Attr("postinstall-action") is { Length: > 0 } action and not "none")
        {
            draft.Tell(Facts.Restart, action == "restart" ? "asks for a restart at the end" : $"asks for a {action} at the end", Certainty.Certain, path);
        }
    }

    private static IEnumerable<(string Path, XElement Entry)> Files(XElement? folder, string under, ReadingBudget budget)
    {
        foreach (var entry in folder?.Elements("file") ?? [])
        {
            var name = entry.Element("name")?.Value ?? "";
            if (under.Length + name.Length > LongestPath)
            {
                throw new BrokenFileException($"a path inside it has more than {LongestPath} characters");
            }

            var path = under + name;
            budget.Entry(2 * path.Length);
            yield return (path, entry);
            foreach (var inner in Files(entry, path + "/", budget))
            {
                yield return inner;
            }
        }
    }

    private static byte[] Content(Window file, long heap, XElement entry, string path)
    {
        var data = entry.Element("data") ?? throw new BrokenFileException($"'{path}' inside has no content");
        var part = file.Part(heap + Number(data.Element("offset")), Number(data.Element("length")));
        var style = data.Element("encoding").Attr("style");
        using var stream = Unpacking.Open(
            part.Open(), style.Contains("gzip", StringComparison.Ordinal) ? "zlib" : style.Contains("bzip2", StringComparison.Ordinal) ? "bzip2" : null,
            file.Budget);
        return Unpacking.All(stream, 16 << 20, path, file.Budget);
    }

    private static string? NameIn(string certificate)
    {
        try
        {
            using var read = System.Security.Cryptography.X509Certificates.X509CertificateLoader.LoadCertificate(Convert.FromBase64String(certificate.Trim()));
            return read.GetNameInfo(System.Security.Cryptography.X509Certificates.X509NameType.SimpleName, forIssuer: false);
        }
        catch (Exception error) when (error is FormatException or System.Security.Cryptography.CryptographicException)
        {
            return null;
        }
    }

    private static long Number(XElement? element) => Number(element?.Value);

    private static long Number(string? text) => long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : 0;
}
