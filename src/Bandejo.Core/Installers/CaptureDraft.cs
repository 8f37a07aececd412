using System.Globalization;
using System.Text;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Installers;

/// <summary>Something that a captured installer put there.</summary>
/// <param name="Path">Below the root, with <c>/</c> between parts.</param>
/// <param name="Kind">file, link, folder or gone.</param>
/// <param name="Mode">The rights in octal; empty for links and what is gone.</param>
/// <param name="Target">Where a link leads.</param>
/// <param name="Sha256">Of a file.</param>
public sealed record CapturedEntry(string Path, string Kind, string Mode, string? Target, string? Sha256);

/// <summary>Makes a package of what was captured: its steps put exactly that in place, and take exactly that away.</summary>
public static class CaptureDraft
{
    /// <summary>The list that both steps go by: kind, rights, path and target of a link in a line, separated by tabs; folders before what is in them.</summary>
    public const string ListName = "captured.txt";

    /// <summary>The folder with the files, each at its path.</summary>
    public const string PayloadName = "payload";

    /// <summary>Puts every line of the list in place. A file is complete before it has its name.</summary>
    public static string Install => """
        #!/bin/sh
        # Puts in place what was captured: each line of captured.txt is kind, rights, path and target of a link, separated by tabs.
        set -e
        tab=$(printf '\t')
        while IFS="$tab" read -r kind mode path target; do
            place="$BANDEJO_ROOT/$path"
            case $kind in
            folder)
                mkdir -p "$place"
                chmod "$mode" "$place"
                ;;
            file)
                mkdir -p "$(dirname "$place")"
                cp "payload/$path" "$place.bandejo-new"
                chmod "$mode" "$place.bandejo-new"
                mv -f "$place.bandejo-new" "$place"
                ;;
            link)
                mkdir -p "$(dirname "$place")"
                ln -sfn "$target" "$place"
                ;;
            gone) rm -f "$place" ;;
            esac
        done <captured.txt
        echo "$(wc -l <captured.txt) entries of $BANDEJO_APP $BANDEJO_VERSION are in place"

        """;

    /// <summary>Takes every line of the list away, the last first; a folder only where nothing else is in it.</summary>
    public static string Remove => """
        #!/bin/sh
        # Takes away what was captured, and nothing else: folders only where they are empty then.
        set -e
        tab=$(printf '\t')
        sed -n '1!G;h;$p' captured.txt | while IFS="$tab" read -r kind mode path target; do
            place="$BANDEJO_ROOT/$path"
            case $kind in
            folder) rmdir "$place" 2>/dev/null || true ;;
            file) rm -f "$place" ;;
            link) [ ! -L "$place" ] || rm -f "$place" ;;
            esac
        done
        echo "$BANDEJO_APP $BANDEJO_VERSION is taken away"

        """;

    /// <summary>The list. A path with a tab or a line end cannot stand in it.</summary>
    /// <exception cref="FormatException">A path has such a character.</exception>
    public static string List(IEnumerable<CapturedEntry> entries)
    {
        var list = new StringBuilder();
        foreach (var entry in entries.OrderBy(entry => entry.Path, StringComparer.Ordinal))
        {
            if ((entry.Path + entry.Target).Any(char.IsControl))
            {
                throw new FormatException($"'{entry.Path}' has a character that no list can hold.");
            }

            // A field that is empty would be swallowed where the shell reads it.
            list.Append(CultureInfo.InvariantCulture, $"{entry.Kind}\t{(entry.Mode.Length == 0 ? "-" : entry.Mode)}\t{entry.Path}\t{entry.Target}\n");
        }

        return list.ToString();
    }

    /// <summary>The text of <c>package.yaml</c>.</summary>
    /// <param name="name">The app's name.</param>
    /// <param name="version">Its version; empty where it is not known, and then to be filled in.</param>
    /// <param name="command">What was captured, for the reader.</param>
    /// <param name="size">Bytes of all files.</param>
    public static string Manifest(string name, string version, string command, IReadOnlyList<CapturedEntry> entries, long size)
    {
        var yaml = new StringBuilder();
        yaml.Append(CultureInfo.InvariantCulture, $"# Captured from: {string.Concat(command.Select(sign => char.IsControl(sign) ? ' ' : sign))}\n");
        yaml.Append("# Who installs on a clean machine by hand may leave things that fit that machine only. Look through captured.txt, and try it.\n");
        yaml.Append(CultureInfo.InvariantCulture, $"app: {FactCatalog.Slug(name)}\nname: {ManifestDraft.Quoted(name)}\nversion: {(version.Length == 0 ? " # not known; fill it in" : ManifestDraft.Quoted(version))}\npublisher: ''\nsummary: ''\n\nvariants:\n");
        var megabytes = Math.Max(100, ((2 * size / 1_000_000) + 100) / 100 * 100);
        yaml.Append(CultureInfo.InvariantCulture, $"  - name: captured\n    fits: architecture is \"x64\"  # guess: the machine it was captured on\n    requires: disk.free >= {megabytes} MB\n");
        yaml.Append(CultureInfo.InvariantCulture, $"    files: [install.sh, remove.sh, {ListName}, {PayloadName}/**]\n    install:\n      run: [sh, install.sh]\n    remove:\n      run: [sh, remove.sh]\n    present:");
        var proofs = Proofs(entries);
        yaml.Append(proofs.Count == 0 ? " []  # not known: nothing that was captured proves it\n" : "\n");
        foreach (var proof in proofs)
        {
            yaml.Append(CultureInfo.InvariantCulture, $"      - {{ file: {ManifestDraft.Quoted(proof.Path)}, is: {proof.Sha256} }}\n");
        }

        return yaml.ToString();
    }

    /// <summary>Files that carry the software: programs first, then what else is in its own folders; settings may be changed by anybody, so they prove nothing.</summary>
    /// <summary>Whether a captured path stays below the folder it is kept in.</summary>
    public static bool IsSafe(string path) => Packages.SafePath.Problem(path) is null;

    private static List<CapturedEntry> Proofs(IReadOnlyList<CapturedEntry> entries)
    {
        var files = entries.Where(entry => entry.Kind == "file" && !entry.Path.StartsWith("etc/", StringComparison.Ordinal) && !entry.Path.StartsWith("var/", StringComparison.Ordinal)).ToList();
        var programs = files.Where(entry => entry.Mode.Length >= 3 && (entry.Mode[^1] - '0') % 2 == 1).ToList();
        return [.. (programs.Count > 0 ? programs : files).OrderBy(entry => entry.Path, StringComparer.Ordinal).Take(2)];
    }
}
