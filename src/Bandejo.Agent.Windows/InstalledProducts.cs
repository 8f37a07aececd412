using System.Runtime.InteropServices;

namespace Bandejo.Agent;

/// <summary>What the Windows Installer knows to be installed (msi.dll: MsiQueryProductState, MsiGetProductInfo).</summary>
internal static partial class InstalledProducts
{
    /// <summary>INSTALLSTATE_DEFAULT: installed for this machine or account, and not only advertised.</summary>
    private const int Installed = 5;

    private const uint MoreData = 234;

    /// <summary>The longest version that is read, in characters.</summary>
    private const int Longest = 100;

    /// <summary>The version of a product; null where none of that code is installed.</summary>
    /// <param name="code">The product code, in braces.</param>
    /// <exception cref="IOException">The Windows Installer does not say.</exception>
    public static string? VersionOf(string code)
    {
        if (!Guid.TryParseExact(code, "B", out var id) || MsiQueryProductState(id.ToString("B").ToUpperInvariant()) != Installed)
        {
            return null;
        }

        var text = new char[Longest];
        var length = (uint)text.Length;
        var ended = MsiGetProductInfo(id.ToString("B").ToUpperInvariant(), "VersionString", text, ref length);
        return ended switch
        {
            0 => new string(text, 0, (int)Math.Min(length, Longest)),
            MoreData => throw new IOException($"The version of product {code} is longer than {Longest} characters."),
            _ => throw new IOException($"The Windows Installer does not say which version of product {code} is installed (code {ended})."),
        };
    }

    [LibraryImport("msi.dll", EntryPoint = "MsiQueryProductStateW", StringMarshalling = StringMarshalling.Utf16)]
    private static partial int MsiQueryProductState(string product);

    [LibraryImport("msi.dll", EntryPoint = "MsiGetProductInfoW", StringMarshalling = StringMarshalling.Utf16)]
    private static partial uint MsiGetProductInfo(string product, string property, [Out] char[] value, ref uint length);
}
