#!/bin/bash
# Makes the sample installers anew: small files of a few kinds, whose software is made up. foldline-7.2.0.msi comes from tests/Windows/make.sh.
set -euo pipefail
cd "$(dirname "$0")/installers"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
pack() { tar --create --gzip --sort=name --owner=0 --group=0 --mtime=2026-01-14 --file "$1" --directory "$2" .; }
part() { printf '%-16s%-12s%-6s%-6s%-8s%-10s`\n' "$1" 0 0 0 100644 "$(stat -c %s "$2")"; cat "$2"; [ $(($(stat -c %s "$2") % 2)) -eq 0 ] || echo; }

# Debian packages: NAME TITLE VERSION MAKER SUMMARY, a longer line of it, and more lines of control.
debian() {
    local name=$1 title=$2 version=$3 maker=$4 at="$work/$1-$3"
    mkdir -p "$at/control" "$at/data/opt/$name" "$at/data/usr/bin"
    printf '#!/bin/sh\n# %s %s: a stand-in program of the sample catalogue.\necho "%s %s"\n' "$title" "$version" "$title" "$version" > "$at/data/opt/$name/$name"
    echo "$version" > "$at/data/opt/$name/VERSION"
    chmod 755 "$at/data/opt/$name/$name"
    ln -s "../../opt/$name/$name" "$at/data/usr/bin/$name"
    cat > "$at/control/control" <<C
Package: $name
Version: $version
Architecture: amd64
Maintainer: $maker
Installed-Size: 12
Section: misc
Priority: optional
${7-}Description: $5
 $6
C
    (cd "$at/data" && find . -type f -printf '%P\0' | sort -z | xargs -0 md5sum) > "$at/control/md5sums"
    echo 2.0 > "$at/debian-binary"
    pack "$at/control.tar.gz" "$at/control"
    pack "$at/data.tar.gz" "$at/data"
    { printf '!<arch>\n'; for file in debian-binary control.tar.gz data.tar.gz; do part "$file" "$at/$file"; done; } > "${name}_${version}_amd64.deb"
}
bellwether='Bellwether Works <post@bellwether.example>'
debian inkwell-print "Inkwell Print" 4.3.0 "$bellwether" "Printing for branches and reading rooms" "Sends pages to the printer of the room one is in."
debian inkwell-print "Inkwell Print" 4.4.0 "$bellwether" "Printing for branches and reading rooms" "Sends pages to the printer of the room one is in." $'Depends: libc6 (>= 2.31)\n'

# A shell script with an archive behind it: Plateglass Studio 11.4.0.
mkdir -p "$work/run/plateglass-studio"
printf '#!/bin/sh\necho "Plateglass Studio 11.4.0"\n' > "$work/run/plateglass-studio/plateglass-studio"
pack "$work/run.tar.gz" "$work/run"
{ printf '#!/bin/sh\n# Plateglass Studio: run with --yes FOLDER to install without being asked.\nlabel="Plateglass Studio"\nlines=9\n[ "${1-}" = --yes ] || { printf "Install to which folder? "; read -r folder; }\nfolder=${2-$folder}\nmkdir -p "$folder"\ntail -n "+$((lines + 1))" "$0" | tar --extract --gzip --directory "$folder"; exit\n__ARCHIVE__\n'; cat "$work/run.tar.gz"; } > plateglass-studio-11.4.0.run

# An archive: Circdesk 3.9.2, with the runtime that it needs beside it.
mkdir -p "$work/zip/circdesk" "$work/zip/needed"
echo 3.9.2 > "$work/zip/circdesk/VERSION"
debian marlin-runtime "Marlin Runtime" 2.4.1 'Tarn & Heath Software <post@tarn-heath.example>' "What Circdesk runs on" "Brings the parts that several programs share."
mv marlin-runtime_2.4.1_amd64.deb "$work/zip/needed/"
pack circdesk-3.9.2.tar.gz "$work/zip"
