using Bandejo.Device;
using Microsoft.Win32;

namespace Bandejo.Agent;

/// <summary>Files and the registry of a machine with Windows.</summary>
internal sealed class WindowsFiles(string root) : MachineFiles, IMachineSettings
{
    private static readonly Dictionary<string, RegistryHive> Hives = new(StringComparer.OrdinalIgnoreCase)
    {
        ["HKLM"] = RegistryHive.LocalMachine, ["HKEY_LOCAL_MACHINE"] = RegistryHive.LocalMachine, ["HKCR"] = RegistryHive.ClassesRoot,
        ["HKEY_CLASSES_ROOT"] = RegistryHive.ClassesRoot, ["HKU"] = RegistryHive.Users, ["HKEY_USERS"] = RegistryHive.Users,
    };

    /// <summary>Where a path is that a package names: with its drive or share, with variables such as <c>%ProgramFiles%</c>, or below the root.</summary>
    public string PlaceOf(string path)
    {
        var written = Environment.ExpandEnvironmentVariables(path).Replace('/', '\\');
        return Path.GetFullPath(Path.Combine(root, path.StartsWith('/') ? written.TrimStart('\\') : written));
    }

    public override bool Exists(string path) => PlaceOf(path) is var place && (File.Exists(place) || Directory.Exists(place));

    public override void Delete(string path)
    {
        var place = PlaceOf(path);
        if (new DirectoryInfo(place) is { Exists: true } folder)
        {
            // What a junction leads to is somebody else's.
            folder.Delete(recursive: folder.LinkTarget is null);
        }
        else
        {
            File.Delete(place);
        }
    }

    /// <summary>The value of a key of the registry, in either view, first that of 64 bits; null where there is none.</summary>
    /// <param name="path">The key, such as <c>HKLM/SOFTWARE/Orrin/Foldline</c>.</param>
    /// <param name="key">The value's name; empty for the key's own.</param>
    string? IMachineSettings.Read(string path, string key)
    {
        var parts = path.Replace('\\', '/').Split('/', 2);
        if (parts.Length != 2 || !Hives.TryGetValue(parts[0], out var hive))
        {
            return null;
        }

        foreach (var view in (RegistryView[])[RegistryView.Registry64, RegistryView.Registry32])
        {
            using var machine = RegistryKey.OpenBaseKey(hive, view);
            using var found = machine.OpenSubKey(parts[1].Replace('/', '\\'));
            if (found?.GetValue(key) is { } value)
            {
                return InWords(value);
            }
        }

        return null;
    }

    string? IMachineSettings.Product(string code) => InstalledProducts.VersionOf(code);

    /// <summary>A value as text: numbers in decimal, lists with line ends between, bytes in hexadecimal.</summary>
    internal static string InWords(object value) => value switch
    {
        string text => text,
        int number => unchecked((uint)number).ToString(System.Globalization.CultureInfo.InvariantCulture),
        long number => unchecked((ulong)number).ToString(System.Globalization.CultureInfo.InvariantCulture),
        string[] list => string.Join('\n', list),
        byte[] bytes => Convert.ToHexStringLower(bytes),
        _ => "",
    };

    protected override Stream? OpenRead(string path) =>
        PlaceOf(path) is var place && File.Exists(place) ? new FileStream(place, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete) : null;
}
