using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Server.Packages;

/// <summary>Reads the document of a package that somebody brings, and believes nothing of it.</summary>
internal static class DocumentReader
{
    private const int MostCertificate = 64 * 1024;

    /// <summary>The document; a failure of kind <see cref="ErrorKind.Invalid"/> says what no manifest could have made.</summary>
    public static Outcome<PackageDocument> Read(byte[] bytes)
    {
        try
        {
            var document = JsonSerializer.Deserialize(bytes, ContractJson.Default.PackageDocument);
            if (document is not { Format: 1, Variants.Count: > 0, App.Length: > 0 } || !AppVersion.TryParse(document.Version, out _))
            {
                return new Failure(ErrorKind.Invalid, "The document of the package file is not one of format 1, or lacks app, version or variants.");
            }

            foreach (var file in Documents.FilesOf(document))
            {
                if (SafePath.Problem(file.Path) is { } problem)
                {
                    return new Failure(ErrorKind.Invalid, $"'{file.Path}' {problem}");
                }

                if (!SafePath.IsSha256(file.Sha256) || file.Size < 0)
                {
                    return new Failure(ErrorKind.Invalid, $"'{file.Path}' has no valid digest or size.");
                }
            }

            if ((SettingsProblem(document) ?? document.Variants.Select(PartsProblem).FirstOrDefault(problem => problem is not null)) is { } wrong)
            {
                return new Failure(ErrorKind.Invalid, wrong);
            }

            foreach (var variant in document.Variants)
            {
                if (Rule.Parse(variant.Fits) is { Ok: false } fits)
                {
                    return fits.Failure!;
                }

                if (Rule.Parse(variant.Requires) is { Ok: false } requires)
                {
                    return requires.Failure!;
                }

                if (variant.Present.Count == 0 || variant.Install.Run.Count == 0)
                {
                    return new Failure(ErrorKind.Invalid, $"Variant '{variant.Name}' lacks the step 'install' or a presence check.");
                }
            }

            return document;
        }
        catch (Exception error) when (error is JsonException or NullReferenceException)
        {
            return new Failure(ErrorKind.Invalid, $"The document of the package file cannot be read: {error.Message}");
        }
    }

    /// <summary>What a document says of settings that no manifest could have said; null for nothing.</summary>
    private static string? SettingsProblem(PackageDocument document)
    {
        foreach (var path in document.Variants.SelectMany(Documents.StepsOf).SelectMany(step => step.Answers?.Keys ?? []))
        {
            if (SafePath.Problem(path) is { } problem)
            {
                return $"'{path}' {problem}";
            }
        }

        var settings = document.Settings ?? [];
        if (settings.FirstOrDefault(setting => !Settings.IsName(setting.Name) || !Setting.Types.ContainsKey(setting.Type) || (setting.Type == "secret" && setting.Default is not null)) is { } odd)
        {
            return $"The setting '{odd.Name}' has no valid name, type or default.";
        }

        return settings.DistinctBy(setting => setting.Name).Count() < settings.Count ? "Two settings have the same name." : null;
    }

    /// <summary>Certificates that devices could not read, or that would not do; null where all are good.</summary>
    /// <param name="extract">Writes a payload file of a digest and size.</param>
    public static Failure? CertificateProblem(PackageDocument document, Func<string, long, Stream, Outcome<long>> extract)
    {
        foreach (var (variant, companion) in document.Variants.SelectMany(variant => (variant.Companions ?? []).Where(each => each.Kind == "certificate").Select(each => (variant, each))))
        {
            var file = variant.Files.First(each => each.Path == companion.Subject);
            if (file.Size > MostCertificate)
            {
                return new Failure(ErrorKind.Invalid, $"'{file.Path}' is to be trusted as a certificate, but is larger than {Units.FormatSize(MostCertificate)}.");
            }

            using var content = new MemoryStream();
            var extracted = extract(file.Sha256, file.Size, content);
            if (!extracted.Ok)
            {
                return extracted.Failure;
            }

            try
            {
                using var certificate = X509CertificateLoader.LoadCertificate(content.ToArray());
                if (content.ToArray() is not [0x2D, 0x2D, ..])
                {
                    return new Failure(ErrorKind.Invalid, $"'{file.Path}' is a certificate in its binary form; devices take it as text (PEM): openssl x509 -inform der -in {file.Path} -out NAME.pem");
                }
            }
            catch (CryptographicException)
            {
                return new Failure(ErrorKind.Invalid, $"'{file.Path}' is to be trusted as a certificate, but is no X.509 certificate.");
            }
        }

        return null;
    }

    /// <summary>What a variant says of companions, handling and removals that no manifest could have said; null for nothing.</summary>
    private static string? PartsProblem(DocumentVariant variant)
    {
        foreach (var companion in variant.Companions ?? [])
        {
            if (companion.Kind is not ("certificate" or "file" or "opens") || (companion.Kind != "opens" && !variant.Files.Any(file => file.Path == companion.Subject)))
            {
                return $"The companion '{companion.Subject}' is of no known kind, or not among the files of variant '{variant.Name}'.";
            }

            if (companion.Kind == "opens" ? companion.With is not { Count: > 0 } || !companion.Subject.All(sign => char.IsAsciiLetterOrDigit(sign) || sign is '.' or '-' or '+') : companion.Kind == "file" && (companion.To is null || SafePath.Problem(companion.To) is not null))
            {
                return $"The companion '{companion.Subject}' of variant '{variant.Name}' has no place on the device.";
            }
        }

        foreach (var path in (variant.Handling?.Reset ?? []).Append(variant.Handling?.Log).OfType<string>())
        {
            if (SafePath.Problem(path) is { } problem)
            {
                return $"'{path}' {problem}";
            }
        }

        return (variant.Removals ?? []).FirstOrDefault(removal => !Rule.Parse(removal.When).Ok || removal.At is not ("install" or "remove" or "both") || removal.Step.Run.Count == 0) is { } odd
            ? $"The removal of '{odd.What}' in variant '{variant.Name}' has no valid rule, moment or command." : null;
    }
}
