using System.ComponentModel;
using System.Diagnostics;
using System.Security;
using System.Security.Cryptography;
using System.Text;
using Bandejo.Contract.Device;
using Bandejo.Core.Installers;
using Bandejo.Core.Packages;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>
/// Puts companions in place below a machine's root: certificates into the folder that <c>update-ca-certificates</c>(8) reads, files where they belong, and file
/// associations as the freedesktop.org specifications have them (shared MIME-info database, desktop entries, MIME applications). On the machine's own root the
/// system's tools are told of it, where they are there.
/// </summary>
internal sealed class LinuxCompanions(string root, FolderCache cache) : IMachineCompanions
{
    private const int MostSettings = 4 << 20;
    private const string Trusted = "usr/local/share/ca-certificates";
    private const UnixFileMode ForAll = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead;

    private readonly RootFolder _root = new(root);

    public bool Holds(string app, DocumentCompanion companion, string? sha256)
    {
        if (companion.Kind == "setting")
        {
            return Line(companion) is { } line && Lines(companion.Subject).Contains(line);
        }

        if (companion.Kind == "opens")
        {
            return Opening(app, companion).All(pair => DigestAt(pair.Key) == Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(pair.Value))));
        }

        return DigestAt(PlaceOf(app, companion)) is { } digest && digest == sha256;
    }

    public void Put(string app, DocumentCompanion companion, string? sha256)
    {
        if (Holds(app, companion, sha256))
        {
            return;
        }

        if (companion.Kind == "setting")
        {
            Set(app, companion);
            return;
        }

        foreach (var (path, text) in companion.Kind == "opens" ? Opening(app, companion) : [])
        {
            _root.Write(path, ForAll, stream => stream.Write(Encoding.UTF8.GetBytes(text)));
        }

        if (companion.Kind != "opens")
        {
            using var content = File.OpenRead(cache.PathOf(sha256 ?? throw new PackageException(
                $"The package names no content for {Surroundings.InWords(companion)}")));
            _root.Write(PlaceOf(app, companion), ForAll, content.CopyTo);
        }

        Tell(companion, isGone: false);
    }

    public void Take(string app, DocumentCompanion companion)
    {
        if (companion.Kind == "setting")
        {
            Unset(app, companion);
            return;
        }

        var gone = false;
        foreach (var place in companion.Kind == "opens" ? Opening(app, companion).Keys : (IEnumerable<string>)[PlaceOf(app, companion)])
        {
            gone |= _root.Delete(place);
        }

        if (gone)
        {
            Tell(companion, isGone: true);
        }
    }

    /// <summary>
    /// Sets a setting where it stands, or at the end. What stood there is kept above it as a comment, also that nothing did, so that it comes back even where
    /// this agent is new; what an earlier package of the app has set is not what was there before it.
    /// </summary>
    private void Set(string app, DocumentCompanion companion)
    {
        var lines = Lines(companion.Subject);
        var own = Line(companion) ?? throw new PackageException($"The package does not say what {companion.Key} in {companion.Subject} is set to");
        var at = lines.FindIndex(line => KeyOf(line) == companion.Key);
        if (!lines.Exists(line => IsKept(line, app, companion)))
        {
            var place = at < 0 ? lines.Count : at;
            lines.Insert(place, Kept(app) + (at < 0 ? companion.Key : lines[at]));
            at = at < 0 ? at : at + 1;
        }

        if (at < 0)
        {
            lines.Add(own);
        }
        else
        {
            lines[at] = own;
        }

        Write(companion.Subject, lines);
    }

    /// <summary>Takes a setting away, and brings back what stood there before. Where somebody has set it otherwise since, that stays.</summary>
    private void Unset(string app, DocumentCompanion companion)
    {
        var lines = Lines(companion.Subject);
        var kept = lines.FindIndex(line => IsKept(line, app, companion));
        var at = lines.FindIndex(line => line == Line(companion));
        if (at < 0)
        {
            return;
        }

        // A key alone stands for a setting that was not there.
        var former = kept < 0 ? companion.Key! : lines[kept][Kept(app).Length..];
        var left = lines.Select((line, index) => index == at ? former : line).Where((_, index) => index != kept && (index != at || former != companion.Key))
            .ToList();
        if (left.TrueForAll(string.IsNullOrWhiteSpace))
        {
            _root.Delete(companion.Subject);
            return;
        }

        Write(companion.Subject, left);
    }

    private static string Kept(string app) => $"# before {app}: ";

    private static bool IsKept(string line, string app, DocumentCompanion companion) =>
        line.StartsWith(Kept(app), StringComparison.Ordinal) && line[Kept(app).Length..] is var former
            && (former == companion.Key || KeyOf(former) == companion.Key);

    private static string? Line(DocumentCompanion companion) => companion is { Key: { } key, Value: { } value } ? $"{key} = {value}" : null;

    /// <summary>The setting that a line sets, as presence checks read it; null for a comment.</summary>
    private static string? KeyOf(string line) => line.IndexOf('=', StringComparison.Ordinal) is > 0 and var at && line[0] != '#' ? line[..at].Trim() : null;

    private List<string> Lines(string path)
    {
        using var stream = _root.OpenRead(path);
        if (stream is null)
        {
            return [];
        }

        if (stream.Length > MostSettings)
        {
            throw new IOException($"/{path} is larger than {MostSettings >> 20} MiB, which makes no sense for settings");
        }

        using var reader = new StreamReader(stream);
        return [.. reader.ReadToEnd().TrimEnd('\n').Split('\n').Select(line => line.TrimEnd('\r')).Where((line, index) => line.Length > 0 || index > 0)];
    }

    private void Write(string path, List<string> lines)
    {
        var found = _root.Look(path, new Accounts(null, null));
        if (found is { Owner: not CaptureDraft.SystemAccount } && Environment.IsPrivilegedProcess)
        {
            throw new IOException($"/{path} belongs to another user ({found.Owner}); its settings are left to that user");
        }

        _root.Write(path, found is null ? ForAll : (UnixFileMode)Convert.ToInt32(found.Mode, 8), stream => stream.Write(Encoding.UTF8.GetBytes(
            string.Join('\n', lines) + "\n")));
    }

    private static string PlaceOf(string app, DocumentCompanion companion) =>
        companion.Kind == "certificate"
            ? $"{Trusted}/bandejo-{app}-{Path.GetFileNameWithoutExtension(companion.Subject)}.crt"
            : companion.To ?? throw new PackageException($"The package does not say where {companion.Subject} belongs");

    /// <summary>The files that make an ending known and name the program for it.</summary>
    private static Dictionary<string, string> Opening(string app, DocumentCompanion companion)
    {
        var name = $"bandejo-{app}-{companion.Subject}";
        var type = $"application/x-{app}-{companion.Subject}";
        var says = string.IsNullOrEmpty(companion.Says) ? $"{companion.Subject} file" : companion.Says;
        // In a desktop entry's Exec a word with anything but plain characters stands in quotes (Desktop Entry Specification, "The Exec key").
        var command = string.Join(' ', (companion.With ?? []).Select(
            word =>
                word.All(sign => char.IsAsciiLetterOrDigit(sign) || "/._-+=:,@".Contains(sign))
                    ? word
                    : $"\"{word.Replace("\\", "\\\\").Replace("\"", "\\\"").Replace("$", "\\$").Replace("`", "\\`")}\""))
            .Replace("%", "%%", StringComparison.Ordinal);
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

    /// <summary>
    /// Has the system's tools take over what was changed. Which are there is the machine's matter; without them the folders are all there is.
    /// </summary>
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
                using var process = Process.Start(
                    new ProcessStartInfo(command[0], command.Skip(1)) { UseShellExecute = false, RedirectStandardOutput = true, RedirectStandardError = true })
                    !;
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

    private string? DigestAt(string path)
    {
        using var stream = _root.OpenRead(path);
        return stream is null ? null : Convert.ToHexStringLower(SHA256.HashData(stream));
    }
}
