using System.Diagnostics;
using System.Globalization;
using System.Security;
using Bandejo.Core.Packages;
using Bandejo.Device;
using Microsoft.Win32;

namespace Bandejo.Agent;

/// <summary>Files and the registry of a machine with Windows.</summary>
internal sealed class WindowsFiles(string root) : MachineFiles, IMachineFiles, IMachineSettings
{
    /// <summary>The longest value that is compared, in characters.</summary>
    private const int LongestValue = 64 * 1024;

    private static readonly RegistryView[] Views = [RegistryView.Registry64, RegistryView.Registry32];

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
    string? IMachineSettings.Read(string path, string key) =>
        ((IMachineSettings)this).Registry(path.Replace('/', '\\'), key.Length == 0 ? RegistryPath.OwnValue : key);

    /// <summary>The version of a program's file, as its fixed part has it, or else its text (VS_VERSIONINFO).</summary>
    string? IMachineFiles.VersionOf(string path)
    {
        if (PlaceOf(path) is var place && !File.Exists(place))
        {
            return null;
        }

        var found = FileVersionInfo.GetVersionInfo(place);
        return (found.FileMajorPart, found.FileMinorPart, found.FileBuildPart, found.FilePrivatePart) switch
        {
            (0, 0, 0, 0) => found.FileVersion ?? "",
            var (major, minor, build, own) => string.Create(CultureInfo.InvariantCulture, $"{major}.{minor}.{build}.{own}"),
        };
    }

    string? IMachineSettings.Registry(string key, string? name)
    {
        var parts = key.Split('\\', 2);
        if (parts.Length != 2 || !Hives.TryGetValue(parts[0], out var hive))
        {
            return null;
        }

        try
        {
            foreach (var view in Views)
            {
                using var machine = RegistryKey.OpenBaseKey(hive, view);
                using var found = machine.OpenSubKey(parts[1]);
                if (found is not null && name is null)
                {
                    return "";
                }

                if (found?.GetValue(name == RegistryPath.OwnValue ? "" : name, null, RegistryValueOptions.DoNotExpandEnvironmentNames) is { } value)
                {
                    return InWords(value) is { Length: <= LongestValue } text
                        ? text
                        : throw new IOException($"{name} in {key} is longer than {LongestValue} characters.");
                }
            }

            return null;
        }
        catch (SecurityException error)
        {
            throw new UnauthorizedAccessException(error.Message, error);
        }
    }

    bool? IMachineSettings.Runs(string service) => new ServiceManager(service).IsRunning;

    string? IMachineSettings.Product(string code) => InstalledProducts.VersionOf(code);

    /// <summary>A value as text: numbers in decimal, lists with line ends between, bytes in hexadecimal.</summary>
    internal static string InWords(object value) => value switch
    {
        string text => text,
        int number => unchecked((uint)number).ToString(CultureInfo.InvariantCulture),
        long number => unchecked((ulong)number).ToString(CultureInfo.InvariantCulture),
        string[] list => string.Join('\n', list),
        byte[] bytes => Convert.ToHexStringLower(bytes),
        _ => "",
    };

    protected override Stream? OpenRead(string path) =>
        PlaceOf(path) is var place && File.Exists(place) ? new FileStream(place, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete) : null;
}
