using System.Formats.Asn1;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Bandejo.Core.Installers;

/// <summary>Reads out of signed data (RFC 2315, RFC 5652) whom it names as the signer. Nothing is verified.</summary>
internal static class SignerName
{
    private const int MaxCertificates = 32;

    private const string CommonNameType = "2.5.4.3";

    /// <summary>
    /// The common name of a distinguished name in its written form (RFC 4514, and what stands in quotes as RFC 1779 has it); null where it has none, or is
    /// none.
    /// </summary>
    public static string? CommonName(string distinguishedName)
    {
        try
        {
            return new X500DistinguishedName(distinguishedName).EnumerateRelativeDistinguishedNames()
                .FirstOrDefault(part => !part.HasMultipleElements && part.GetSingleElementType().Value == CommonNameType)?.GetSingleElementValue();
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    /// <summary>The signer's common name, or the whole name where it has none; null where nothing can be read.</summary>
    public static string? Of(byte[] signedData)
    {
        try
        {
            var content = new AsnReader(signedData, AsnEncodingRules.BER).ReadSequence();
            content.ReadObjectIdentifier();
            var signed = content.ReadSequence(new Asn1Tag(TagClass.ContextSpecific, 0)).ReadSequence();
            signed.ReadInteger();
            signed.ReadEncodedValue();
            signed.ReadEncodedValue();
            var certificates = new List<byte[]>();
            while (signed.HasData && signed.PeekTag().TagClass == TagClass.ContextSpecific)
            {
                var isCertificates = signed.PeekTag().TagValue == 0;
                var set = signed.ReadSetOf(signed.PeekTag());
                while (isCertificates && set.HasData && certificates.Count < MaxCertificates)
                {
                    certificates.Add(set.ReadEncodedValue().ToArray());
                }
            }

            var signer = signed.ReadSetOf().ReadSequence();
            signer.ReadInteger();
            var issuerAndSerial = signer.ReadSequence();
            var issuer = issuerAndSerial.ReadEncodedValue();
            var serial = issuerAndSerial.ReadIntegerBytes();
            foreach (var each in certificates)
            {
                using var certificate = X509CertificateLoader.LoadCertificate(each);
                if (certificate.IssuerName.RawData.AsSpan().SequenceEqual(issuer.Span) && certificate.SerialNumberBytes.Span.SequenceEqual(serial.Span))
                {
                    var name = certificate.GetNameInfo(X509NameType.SimpleName, forIssuer: false);
                    return name.Length > 0 ? name : certificate.Subject;
                }
            }

            return null;
        }
        catch (Exception error) when (error is AsnContentException or CryptographicException or InvalidOperationException)
        {
            return null;
        }
    }
}
