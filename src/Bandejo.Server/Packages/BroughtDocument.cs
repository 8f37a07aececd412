using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Packaging;

namespace Bandejo.Server.Packages;

/// <summary>Holds the document of a package that somebody brings to all that a manifest is held to, and believes nothing of it.</summary>
internal static class BroughtDocument
{
    private const int MostCertificate = 64 * 1024;

    /// <summary>The document; a failure of kind <see cref="ErrorKind.Invalid"/> says what no manifest could have made.</summary>
    public static Outcome<PackageDocument> Read(byte[] bytes)
    {
        var read = DocumentForm.Read(bytes);
        if (!read.Ok)
        {
            return read;
        }

        var files = Documents.FilesOf(read.Value).DistinctBy(file => (file.Path, file.Sha256))
            .Select(file => new PayloadFile(file.Path, file.Size, file.Sha256)).ToList();
        List<Finding> errors = [.. ManifestCheck.Check(DocumentForm.ManifestOf(read.Value).Value, files).Where(finding => !finding.IsWarning)];
        return errors.Count == 0
            ? read
            : new Failure(ErrorKind.Invalid, $"The document of the package says what no manifest may say: {errors[0].Message}", errors);
    }

    /// <summary>Certificates that devices could not read, or that would not do; null where all are good.</summary>
    /// <param name="extract">Writes a payload file of a digest and size.</param>
    public static Failure? CertificateProblem(PackageDocument document, Func<string, long, Stream, Outcome<long>> extract)
    {
        foreach (var (variant, companion) in document.Variants.SelectMany(
            variant => (variant.Companions ?? []).Where(each => each.Kind == "certificate").Select(each => (variant, each))))
        {
            var file = variant.Files.First(each => each.Path == companion.Subject);
            if (file.Size > MostCertificate)
            {
                return new Failure(
                    ErrorKind.Invalid, $"'{file.Path}' is to be trusted as a certificate, but is larger than {Units.FormatSize(MostCertificate)}.");
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
                    return new Failure(
                        ErrorKind.Invalid,
                        $"'{file.Path}' is a certificate in its binary form; devices take it as text (PEM): openssl x509 -inform der -in {file.Path} -out "
                            + $"NAME.pem");
                }
            }
            catch (CryptographicException)
            {
                return new Failure(ErrorKind.Invalid, $"'{file.Path}' is to be trusted as a certificate, but is no X.509 certificate.");
            }
        }

        return null;
    }
}
