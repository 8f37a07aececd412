using Bandejo.Core.Versions;

namespace Bandejo.Core.Installers;

/// <summary>Reads ZIP archives and what is built on them: MSIX and APPX packages and their bundles.</summary>
internal static class ZipReader
{
    public static void Read(Window file, Draft draft)
    {
        var directory = new ZipDirectory(file);
        draft.Kind = (InstallerKind.Zip, "ZIP archive");
        if (directory.Find("AppxManifest.xml") is { } manifest)
        {
            AppPackage(draft, directory, SafeXml.Read(directory.Read(manifest), manifest.Path, file.Budget));
        }
        else if (directory.Find("AppxMetadata/AppxBundleManifest.xml") is { } bundle)
        {
            Bundle(draft, SafeXml.Read(directory.Read(bundle), bundle.Path, file.Budget));
        }
        else
        {
            Unpacked(draft);
        }

        var isEncrypted = false;
        foreach (var each in directory.Files().Where(each => !each.Path.EndsWith('/')))
        {
            draft.Contains(each.Path, each.Size, () => directory.Open(each));
            isEncrypted |= each.IsEncrypted;
            if (each.Packed > 0 && each.Size / each.Packed > 2000 && each.Size > 1 << 30
                && !draft.Findings.Exists(finding => finding.Message.Contains("bomb", StringComparison.Ordinal)))
            {
                draft.Findings.Add(new Finding(
                    $"'{each.Path}' inside unpacks to {each.Size / (1 << 30)} GiB out of {each.Packed / 1024} KiB, which is a bomb and no software; do not "
                        + $"unpack it.",
                    draft.File));
            }
        }

        if (isEncrypted)
        {
            draft.Warn("Files inside are encrypted: a device cannot unpack them without the password.");
        }
    }

    /// <summary>What an archive without instructions leaves open.</summary>
    public static void Unpacked(Draft draft)
    {
        var (name, version) = InstallerNames.Guess(draft.File);
        draft.Tell(Facts.Name, name, Certainty.Guess, "name of the file");
        draft.Tell(Facts.Version, version, Certainty.Guess, "name of the file");
        draft.Ask(
            "How it is installed",
            "An archive says nothing of it. Where it is a program that simply runs, unpack it into its place with an 'install' step; where it holds an "
                + "installer, inspect that.",
            "install");
    }

    private static void AppPackage(Draft draft, ZipDirectory directory, System.Xml.Linq.XElement manifest)
    {
        draft.Kind = (InstallerKind.AppPackage, "MSIX or APPX package");
        var identity = manifest.First("Identity");
        Identity(draft, identity, "AppxManifest.xml");
        draft.Tell(
            Facts.Architecture, identity.Attr("ProcessorArchitecture") is { Length: > 0 } architecture && architecture != "neutral" ? architecture : "any",
            Certainty.Certain, "AppxManifest.xml");
        var display = manifest.First("Properties")?.First("DisplayName")?.Value;
        if (display?.StartsWith("ms-resource", StringComparison.Ordinal) != true)
        {
            draft.Tell(Facts.Name, display, Certainty.Certain, "AppxManifest.xml: DisplayName");
        }

        draft.Tell(
            Facts.Publisher,
            manifest.First("PublisherDisplayName")?.Value is { } maker && !maker.StartsWith("ms-resource", StringComparison.Ordinal) ? maker : null,
            Certainty.Certain, "AppxManifest.xml: PublisherDisplayName");
        draft.Tell(
            Facts.Language, string.Join(", ", manifest.All("Resource").Select(each => each.Attr("Language")).Where(each => each.Length > 0).Take(10)),
            Certainty.Certain, "AppxManifest.xml: Resources");
        if (manifest.First("TargetDeviceFamily") is { } family)
        {
            draft.Tell(Facts.MinimumSystem, family.Attr("MinVersion"), Certainty.Certain, $"AppxManifest.xml: {family.Attr("Name")}");
        }

        foreach (var needed in manifest.All("PackageDependency").Take(50))
        {
            draft.Nested.Add(new NestedInstaller(
                $"{needed.Attr("Name")}{(needed.Attr("MinVersion") is { Length: > 0 } least ? $" (>= {least})" : "")}", 0, "an MSIX package that it asks for"));
        }

        if (draft.Nested.Count > 0)
        {
            draft.Ask(
                draft.Nested.Count == 1
                    ? "Whether the package it asks for is on every device"
                    : $"Whether the {draft.Nested.Count} packages it asks for are on every device",
                "Package them too and name them under 'needs', or put them beside it and add -DependencyPackagePath FILE to the 'install' step: then they "
                    + "come with it, for all users.");
        }

        if (directory.Find("AppxSignature.p7x") is null)
        {
            draft.Warn("It is not signed; Windows refuses a package without a signature.");
        }

        if (Logo(manifest) is { } logo && directory.Find(logo) is { Size: < 64 * 1024 } picture && directory.Read(picture) is var png
            && png.AsSpan().StartsWith((ReadOnlySpan<byte>)[0x89, (byte)'P', (byte)'N', (byte)'G']))
        {
            draft.Icon = new InstallerIcon(png, png.Length > 24 ? (png[18] << 8) | png[19] : 0);
        }
    }

    private static string? Logo(System.Xml.Linq.XElement manifest) => manifest.First("Logo")?.Value.Replace('\\', '/');

    private static void Bundle(Draft draft, System.Xml.Linq.XElement manifest)
    {
        draft.Kind = (InstallerKind.AppBundle, "bundle of MSIX or APPX packages");
        Identity(draft, manifest.First("Identity"), "AppxBundleManifest.xml");
        draft.Tell(
            Facts.Language,
            string.Join(
                ", ",
                manifest.All("Resource").Select(each => each.Attr("Language")).Where(each => each.Length > 0).Distinct(StringComparer.OrdinalIgnoreCase)
                    .Take(40)),
            Certainty.Certain, "AppxBundleManifest.xml: Resources");
        var least = manifest.All("TargetDeviceFamily").Select(each => each.Attr("MinVersion")).Where(each => AppVersion.TryParse(each, out _))
            .MinBy(AppVersion.Parse);
        draft.Tell(Facts.MinimumSystem, least, Certainty.Certain, "AppxBundleManifest.xml: the least of its packages");
        var applications = manifest.All("Package").Where(each => each.Attr("Type") is "application" or "").ToList();
        draft.Tell(
            Facts.Architecture,
            string.Join(", ", applications.Select(each => each.Attr("Architecture")).Where(each => each.Length > 0).Distinct().Order(StringComparer.Ordinal)),
            Certainty.Certain, "AppxBundleManifest.xml");
    }

    private static void Identity(Draft draft, System.Xml.Linq.XElement? identity, string source)
    {
        draft.Tell(Facts.System, "windows", Certainty.Certain, "its kind");
        draft.Tell(Facts.Identity, identity.Attr("Name"), Certainty.Certain, source);
        draft.Tell(Facts.Name, identity.Attr("Name"), Certainty.Guess, source);
        draft.Tell(Facts.Version, identity.Attr("Version"), Certainty.Certain, source);
        var signer = SignerName.CommonName(identity.Attr("Publisher"));
        draft.Tell(Facts.Signer, signer, Certainty.Certain, $"{source}: Publisher");
        draft.Tell(Facts.Publisher, signer, Certainty.Guess, $"{source}: Publisher");
        draft.Tell(Facts.Restart, "only where its app is running", Certainty.Likely, "its kind");
        const string Source = "Windows' own way with packages of this kind, for all who use the device";
        draft.Command(
            "install", Certainty.Certain, Source, "powershell", "-NoProfile", "-NonInteractive", "-Command",
            $"Add-AppxProvisionedPackage -Online -PackagePath {Quoted(draft.File)} -SkipLicense");
        if (draft.Value(Facts.Identity) is { } name)
        {
            draft.Command(
                "remove", Certainty.Certain, Source, "powershell", "-NoProfile", "-NonInteractive", "-Command",
                $"Get-AppxProvisionedPackage -Online | Where-Object DisplayName -EQ {Quoted(name)} | Remove-AppxProvisionedPackage -Online; "
                    + $"Get-AppxPackage -AllUsers -Name {Quoted(name)} | Remove-AppxPackage -AllUsers");
            draft.Proofs.Add(new SuggestedProof("program", name, Certainty.Likely, "the system lists packages by their identity"));
        }
    }

    /// <summary>
    /// A text as PowerShell takes it word for word: every sign that it reads as a single quote is doubled (about_Quoting_Rules), also the curly ones.
    /// </summary>
    private static string Quoted(string text) =>
        $"'{string.Concat(text.Select(sign => sign is '\'' or '\u2018' or '\u2019' or '\u201A' or '\u201B' ? $"{sign}{sign}" : sign.ToString()))}'";
}
