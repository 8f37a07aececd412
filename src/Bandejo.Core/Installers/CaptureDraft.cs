using System.Globalization;
using System.Text;
using Bandejo.Core.Packages;
using Bandejo.Core.Rules;

namespace Bandejo.Core.Installers;

/// <summary>Something that a captured installer put there.</summary>
/// <param name="Path">Below the root, with <c>/</c> between parts; of a user or group its name.</param>
/// <param name="Kind">file, link, folder, user, group or gone.</param>
/// <param name="Mode">The rights in octal; empty for what has none.</param>
/// <param name="Target">Where a link leads; of a user its folder and shell, with a colon between.</param>
/// <param name="Sha256">Of a file.</param>
/// <param name="Owner">Owner and group as <c>name:name</c>, of a user its group; null for the system account's.</param>
public sealed record CapturedEntry(string Path, string Kind, string Mode, string? Target, string? Sha256, string? Owner = null);

/// <summary>Makes a package of what was captured: its steps put exactly that in place, and take exactly that away.</summary>
public static class CaptureDraft
{
    /// <summary>
    /// The list that both steps go by: kind, rights, owner, path, and digest of a file or target of a link in a line, separated by tabs; folders before what is
    /// in them.
    /// </summary>
    public const string ListName = "captured.txt";

    /// <summary>The folder with the files, each at its path.</summary>
    public const string PayloadName = "payload";

    /// <summary>Owner and group of what belongs to the system account.</summary>
    public const string SystemAccount = "root:root";

    private const string Common = """
        set -e
        tab=$(printf '\t')
        root="${BANDEJO_ROOT%/}"
        # The users and groups that this package made on this device stand there; those of others stay.
        made="$root/var/lib/bandejo-captured/$BANDEJO_APP"

        # number LIST NAME: the number of a user or group of the device.
        number() { sed -n "s/^$2:[^:]*:\([0-9][0-9]*\):.*/\1/p" "$root/etc/$1" 2>/dev/null; }
        """;

    /// <summary>Puts every line of the list in place. A file is complete, with its rights and owner, before it has its name.</summary>
    public static string Install => $$$"""
        #!/bin/sh
        # Puts in place what was captured: each line of captured.txt is kind, rights, owner, path, and digest or target, separated by tabs.
        {{{Common}}}
        # give OWNER PLACE: '-' is the system account, to which everything belongs that it makes.
        give() {
            [ "$1" != - ] || return 0
            user=$(number passwd "${1%:*}")
            group=$(number group "${1#*:}")
            chown -h "${user:-${1%:*}}:${group:-${1#*:}}" "$2"
        }

        remember() {
            mkdir -p "${made%/*}"
            echo "$1 $2" >>"$made"
        }

        while IFS="$tab" read -r kind mode owner path rest; do
            place="$root/$path"
            case $kind in
            group)
                [ -n "$(number group "$path")" ] || { groupadd --system ${root:+--prefix "$root"} "$path"; remember group "$path"; }
                ;;
            user)
                [ -n "$(number passwd "$path")" ] || { useradd --system --no-create-home ${root:+--prefix "$root"} --gid "$owner" --home-dir "${rest%%:*}" --shell "${rest#*:}" "$path"; remember user "$path"; }
                ;;
            folder)
                mkdir -p "$place"
                give "$owner" "$place"
                chmod "$mode" "$place"
                ;;
            file)
                mkdir -p "$(dirname "$place")"
                cp "payload/$path" "$place.bandejo-new"
                give "$owner" "$place.bandejo-new"
                chmod "$mode" "$place.bandejo-new"
                mv -f "$place.bandejo-new" "$place"
                ;;
            link)
                mkdir -p "$(dirname "$place")"
                ln -sfn "$rest" "$place"
                give "$owner" "$place"
                ;;
            gone) rm -f "$place" ;;
            esac
        done <captured.txt
        echo "$(wc -l <captured.txt) entries of $BANDEJO_APP $BANDEJO_VERSION are in place"

        """;

    /// <summary>Takes every line of the list away, the last first; a folder only where nothing else is in it, but for those of logs and caches.</summary>
    public static string Remove => $$$"""
        #!/bin/sh
        # Takes away what was captured, and nothing else: folders only where they are empty then, its own folders of logs and caches with what is in them.
        {{{Common}}}
        sed -n '1!G;h;$p' captured.txt | while IFS="$tab" read -r kind mode owner path rest; do
            place="$root/$path"
            case $kind in
            folder)
                case $path in
                var/log/* | var/cache/*) rm -rf "$place" ;;
                *) rmdir "$place" 2>/dev/null || true ;;
                esac
                ;;
            file) rm -f "$place" ;;
            link) [ ! -L "$place" ] || rm -f "$place" ;;
            esac
        done

        # Users before their groups; with a user its own group may go too.
        if [ -f "$made" ]; then
            sed -n '1!G;h;$p' "$made" | while read -r kind name; do
                case $kind in
                user) [ -z "$(number passwd "$name")" ] || userdel ${root:+--prefix "$root"} "$name" ;;
                group) [ -z "$(number group "$name")" ] || groupdel ${root:+--prefix "$root"} "$name" ;;
                esac
            done
            rm -f "$made"
            rmdir "${made%/*}" 2>/dev/null || true
        fi
        echo "$BANDEJO_APP $BANDEJO_VERSION is taken away"

        """;

    /// <summary>The list. A path with a tab or a line end cannot stand in it.</summary>
    /// <exception cref="FormatException">A path has such a character.</exception>
    public static string List(IEnumerable<CapturedEntry> entries)
    {
        var list = new StringBuilder();
        foreach (var entry in entries.OrderBy(entry => entry.Kind switch { "group" => 0, "user" => 1, _ => 2 }).ThenBy(
            entry => entry.Path, StringComparer.Ordinal))
        {
            if ((entry.Path + entry.Target + entry.Owner).Any(char.IsControl))
            {
                throw new FormatException(
                    $"'{string.Concat(entry.Path.Select(sign => char.IsControl(sign) ? '?' : sign))}' has a character that no list can hold.");
            }

            // Both stand in commands of the steps; a capture may have been changed on its way.
            if (entry.Owner is { } owner
                && !owner.Split(':', 2).All(name => Accounts.IsName(name) || (name.Length is > 0 and < 11 && name.All(char.IsAsciiDigit))))
            {
                throw new FormatException($"'{entry.Path}' belongs to '{owner}', which can be no names of a user and a group.");
            }

            if (entry.Mode.Length > 4 || !entry.Mode.All(digit => digit is >= '0' and <= '7'))
            {
                throw new FormatException($"'{entry.Path}' has the rights '{entry.Mode}', which are no octal number.");
            }

            if (entry.Kind is "user" or "group" && !Accounts.IsName(entry.Path))
            {
                throw new FormatException($"'{entry.Path}' can be no name of a {entry.Kind} on other devices.");
            }

            // A field that is empty would be swallowed where the shell reads it.
            list.Append(
                CultureInfo.InvariantCulture, $"{entry.Kind}\t{Field(entry.Mode)}\t{Field(entry.Owner)}\t{entry.Path}\t{entry.Sha256 ?? entry.Target}\n");
        }

        return list.ToString();
    }

    /// <summary>The entries of a list; a line that is none is left out.</summary>
    public static IReadOnlyList<CapturedEntry> Read(string list) =>
        [.. list.Split('\n').Select(line => line.Split('\t')).Where(fields => fields.Length == 5 && fields[3].Length > 0)
            .Select(fields => new CapturedEntry(
                fields[3], fields[0], fields[1] == "-" ? "" : fields[1], fields[0] == "file" || fields[4].Length == 0 ? null : fields[4],
                fields[0] == "file" ? fields[4] : null, fields[2] == "-" ? null : fields[2]))];

    /// <summary>How what stands on a machine differs from what was captured, in words; null where it does not.</summary>
    /// <param name="sha256">The digest of a file of the machine, by its path below the root.</param>
    public static string? Differs(CapturedEntry entry, DiskEntry? now, Func<string, string?> sha256, Accounts accounts) => entry.Kind switch
    {
        "user" or "group" => accounts.Has(entry.Kind, entry.Path) ? null : $"{entry.Kind} {entry.Path} is missing",
        "gone" => now is null ? null : $"{entry.Path} is there again",
        _ when now is null => $"{entry.Path} is missing",
        _ when now.Kind != entry.Kind => $"{entry.Path} is a {now.Kind}, not a {entry.Kind}",
        _ when entry.Mode.Length > 0 && now.Mode != entry.Mode => $"{entry.Path} has the rights {now.Mode}, not {entry.Mode}",
        _ when now.Owner != (entry.Owner ?? SystemAccount) => $"{entry.Path} belongs to {now.Owner}, not {entry.Owner ?? SystemAccount}",
        "link" when now.Target != entry.Target => $"{entry.Path} leads to {now.Target}, not {entry.Target}",
        "file" when sha256(entry.Path) != entry.Sha256 => $"{entry.Path} has another content",
        _ => null,
    };

    private static string Field(string? text) => string.IsNullOrEmpty(text) ? "-" : text;

    /// <summary>The text of <c>package.yaml</c>.</summary>
    /// <param name="name">The app's name.</param>
    /// <param name="version">Its version; empty where it is not known, and then to be filled in.</param>
    /// <param name="command">What was captured, for the reader.</param>
    /// <param name="size">Bytes of all files.</param>
    /// <param name="facts">What the machine said of itself on which it was captured; null where nobody knows.</param>
    public static string Manifest(
        string name, string version, string command, IReadOnlyList<CapturedEntry> entries, long size, IReadOnlyDictionary<string, string>? facts)
    {
        var yaml = new StringBuilder();
        yaml.Append(CultureInfo.InvariantCulture, $"# Captured from: {string.Concat(command.Select(sign => char.IsControl(sign) ? ' ' : sign))}\n");
        yaml.Append("# Who installs on a clean machine by hand may leave things that fit that machine only. Look through captured.txt, and try it.\n");
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"app: {FactCatalog.Slug(name)}\nname: {ManifestDraft.Quoted(name)}\nversion: "
                + $"{(version.Length == 0 ? " # not known; fill it in" : ManifestDraft.Quoted(version))}\npublisher: ''\nsummary: ''\n\nvariants:\n");
        var megabytes = Math.Max(100, ((2 * size / 1_000_000) + 100) / 100 * 100);
        yaml.Append(CultureInfo.InvariantCulture, $"  - name: captured\n    fits: {Fits(facts)}\n    requires: disk.free >= {megabytes} MB\n");
        yaml.Append(
            CultureInfo.InvariantCulture,
            $"    files: [install.sh, remove.sh, {ListName}, {PayloadName}/**]\n    install:\n      run: [sh, install.sh]\n    remove:\n      run: [sh, "
                + $"remove.sh]\n    present:");
        var proofs = Proofs(entries);
        yaml.Append(proofs.Count == 0 ? " []  # not known: nothing that was captured proves it\n" : "\n");
        foreach (var proof in proofs)
        {
            yaml.Append(CultureInfo.InvariantCulture, $"      - {{ file: {ManifestDraft.Quoted(proof.Path)}, is: {proof.Sha256} }}\n");
        }

        return yaml.ToString();
    }

    /// <summary>Whether a captured path stays below the folder it is kept in.</summary>
    public static bool IsSafe(string path) => SafePath.Problem(path) is null;

    /// <summary>Devices like the one it was captured on. Programs that were built there may need what its release has.</summary>
    private static string Fits(IReadOnlyDictionary<string, string>? facts)
    {
        var rules = new List<string>();
        foreach (var fact in new[] { "os.family", "architecture" })
        {
            if (facts?.GetValueOrDefault(fact) is { Length: > 0 } value)
            {
                rules.Add($"{fact} is \"{value.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"");
            }
        }

        if (rules.Count == 0 || facts is null)
        {
            return "architecture is \"x64\"  # guess: what most are; the capture does not say where it was made";
        }

        var release = string.Concat(facts.GetValueOrDefault("os.version", "").Where(sign => char.IsAsciiLetterOrDigit(sign) || sign is '.' or '-'));
        var system = facts.GetValueOrDefault("os.name") is { } name
            ? $"  # captured on {string.Concat(name.Where(sign => !char.IsControl(sign)))} {release}; if it needs that release, add: and os.version is "
                + $"\"{release}\""
            : "";
        return string.Join(" and ", rules) + system;
    }

    /// <summary>
    /// Files that carry the software: programs first, then what else is in its own folders; settings may be changed by anybody, so they prove nothing.
    /// </summary>
    private static List<CapturedEntry> Proofs(IReadOnlyList<CapturedEntry> entries)
    {
        var files = entries.Where(entry => entry.Kind == "file" && !entry.Path.StartsWith("etc/", StringComparison.Ordinal) && !entry.Path.StartsWith(
            "var/", StringComparison.Ordinal))
            .ToList();
        var programs = files.Where(entry => entry.Mode.Length >= 3 && (entry.Mode[^1] - '0') % 2 == 1).ToList();
        return [.. (programs.Count > 0 ? programs : files).OrderBy(entry => entry.Path, StringComparer.Ordinal).Take(2)];
    }
}
