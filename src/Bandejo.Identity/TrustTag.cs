using System.Security.Cryptography;
using System.Text;

namespace Bandejo.Identity;

/// <summary>What stands for a list of authorities, so that two sides can tell whether they have the same.</summary>
public static class TrustTag
{
    /// <summary>64 bits of the SHA-256 of the names, in hexadecimal.</summary>
    public static string Of(IEnumerable<string> names) => Convert.ToHexStringLower(SHA256.HashData(Encoding.ASCII.GetBytes(string.Join(' ', names))))[..16];
}
