using System.Security.Cryptography;
using System.Text;

namespace Bandejo.Core.Deployments;

/// <summary>A hash that is the same on every machine and in every release, for picks and jitter.</summary>
public static class StableHash
{
    /// <summary>The first 64 bits of the SHA-256 of the UTF-8 text, big-endian.</summary>
    public static ulong Of(string text)
    {
        Span<byte> digest = stackalloc byte[32];
        SHA256.HashData(Encoding.UTF8.GetBytes(text), digest);
        return System.Buffers.Binary.BinaryPrimitives.ReadUInt64BigEndian(digest);
    }

    /// <summary>The hash as a number from 0 up to but not including 1.</summary>
    public static double Share(string text) => (Of(text) >> 11) * (1.0 / (1UL << 53));
}
