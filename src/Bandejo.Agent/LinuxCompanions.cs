using System.ComponentModel;
using System.Diagnostics;
using System.Security;
using System.Security.Cryptography;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>
/// Puts companions in place below a machine's root: certificates into the folder that <c>update-ca-certificates</c>(8) reads, files where they belong, and file
/// associations as the freedesktop.org specifications have them (shared MIME-info database, desktop entries, MIME applications). On the machine's own root the
/// system's tools are told of it, where they are there.
/// </summary>
internal sealed class LinuxCompanions(string root, FolderCache cache) : IMachineCompanions
{
    private const string Trusted = "usr/local/share/ca-certificates";

    public bool Holds(string app, DocumentCompanion companion, string? sha256)
    {
        if (companion.Kind == "opens")
        {
            return Opening(app, companion).All(pair => File.Exists(At(pair.Key)) && File.ReadAllText(At(pair.Key)) == pair.Value);
        }

        var place = At(PlaceOf(app, companion));
        if (!File.Exists(place))
        {
            return false;
        }

        using var stream = File.OpenRead(place);
        return Convert.ToHexStringLower(SHA256.HashData(stream)) == sha256;
    }

    public void Put(string app, DocumentCompanion companion, string? sha256)
    {
        if (Holds(app, companion, sha256))
        {
            return;
        }

        foreach (var (path, text) in companion.Kind == "opens" ? Opening(app, companion) : [])
        {
            Directory.CreateDirectory(Path.GetDirectoryName(At(path))!);
            File.WriteAllText(At(path) + ".new", text);
            File.Move(At(path) + ".new", At(path), overwrite: true);
        }

        if (companion.Kind != "opens")
        {
            var place = At(PlaceOf(app, companion));
            Directory.CreateDirectory(Path.GetDirectoryName(place)!);
            File.Copy(cache.PathOf(sha256 ?? throw new SealException($"The package names no content for {Surroundings.InWords(companion)}")), place + ".new", overwrite: true);
            File.SetUnixFileMode(place + ".new", UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead);
            File.Move(place + ".new", place, overwrite: true);
        }

        Tell(companion, isGone: false);
    }

    public void Take(string app, DocumentCompanion companion)
    {
        var gone = false;
        foreach (var place in (companion.Kind == "opens" ? Opening(app, companion).Keys : (IEnumerable<string>)[PlaceOf(app, companion)]).Select(At).Where(File.Exists))
        {
            File.Delete(place);
            gone = true;
        }

        if (gone)
        {
            Tell(companion, isGone: true);
        }
    }

    private static string PlaceOf(string app, DocumentCompanion companion) =>
        companion.Kind == "certificate" ? $"{Trusted}/bandejo-{app}-{Path.GetFileNameWithoutExtension(companion.Subject)}.crt" : companion.To ?? throw new SealException($"The package does not say where {companion.Subject} belongs");

    /// <summary>The files that make an ending known and name the program for it.</summary>
    private static Dictionary<string, string> Opening(string app, DocumentCompanion companion)
    {
        var name = $"bandejo-{app}-{companion.Subject}";
        var type = $"application/x-{app}-{companion.Subject}";
        var says = string.IsNullOrEmpty(companion.Says) ? $"{companion.Subject} file" : companion.Says;
        // In a desktop entry's Exec a word with anything but plain characters stands in quotes (Desktop Entry Specification, "The Exec key").
        var command = string.Join(' ', (companion.With ?? []).Select(word => word.All(sign => char.IsAsciiLetterOrDigit(sign) || "/._-+=:,@".Contains(sign)) ? word : $"\"{word.Replace("\\", "\\\\").Replace("\"", "\\\"").Replace("$", "\\$").Replace("`", "\\`")}\"")).Replace("%", "%%", StringComparison.Ordinal);
        return new(StringComparer.Ordinal)
        {
            [$"usr/share/mime/packages/{name}.xml"] = $"""
                <?xml version="1.0" encoding="UTF-8"?>
                <mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
                  <mime-type type="{type}">
                    <comment>{SecurityElement.Escape(says)}</comment>
                    <glob pattern="*.{companion.Subject}"/>
                  </mime-type>
                </mime-info>

                """,
            [$"usr/share/applications/{name}.desktop"] = $"""
                [Desktop Entry]
                Type=Application
                Name={says.ReplaceLineEndings(" ")}
                Exec={command} %f
                MimeType={type};
                NoDisplay=true

                """,
        };
    }

    /// <summary>Has the system's tools take over what was changed. Which are there is the machine's matter; without them the folders are all there is.</summary>
    private void Tell(DocumentCompanion companion, bool isGone)
    {
        if (root != "/")
        {
            return;
        }

        foreach (var command in companion.Kind switch
        {
            // Without "--fresh" it leaves the links to what is gone.
            "certificate" => (string[][])[["update-ca-certificates", .. isGone ? (string[])["--fresh"] : []]],
            "opens" => [["update-mime-database", "/usr/share/mime"], ["update-desktop-database", "/usr/share/applications"]],
            _ => [],
        })
        {
            try
            {
                using var process = Process.Start(new ProcessStartInfo(command[0], command.Skip(1)) { UseShellExecute = false, RedirectStandardOutput = true, RedirectStandardError = true })!;
                process.OutputDataReceived += (_, _) => { };
                process.ErrorDataReceived += (_, _) => { };
                process.BeginOutputReadLine();
                process.BeginErrorReadLine();
                if (!process.WaitForExit(TimeSpan.FromSeconds(60)))
                {
                    process.Kill(entireProcessTree: true);
                    throw new IOException($"'{string.Join(' ', command)}' did not end");
                }
            }
            catch (Win32Exception)
            {
                // This machine has no such tool.
            }
        }
    }

    private string At(string path)
    {
        var place = Path.GetFullPath(Path.Combine(root, path.TrimStart('/')));
        return root == "/" || place.StartsWith(root + "/", StringComparison.Ordinal) ? place : throw new SealException($"The package names the place '{path}', which climbs out of the machine's root");
    }
}
