#!/bin/bash
# Makes the sample installers anew: small files of a few kinds, whose software is made up. foldline-7.2.0.msi comes from tests/Windows/make.sh.
set -euo pipefail
cd "$(dirname "$0")/installers"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
pack() { tar --create --gzip --sort=name --owner=0 --group=0 --mtime=2026-01-14 --file "$1" --directory "$2" .; }
part() { printf '%-16s%-12s%-6s%-6s%-8s%-10s`\n' "$1" 0 0 0 100644 "$(stat -c %s "$2")"; cat "$2"; [ $(($(stat -c %s "$2") % 2)) -eq 0 ] || echo; }

# Two Debian packages: Inkwell Print 4.3.0, and 4.4.0, which needs something that the one before did not.
debian() {
    local version=$1 more=$2 at="$work/deb-$1"
    mkdir -p "$at/control" "$at/data/opt/inkwell-print" "$at/data/usr/bin"
    printf '#!/bin/sh\n# Inkwell Print %s: a stand-in program of the sample catalogue.\necho "Inkwell Print %s"\n' "$version" "$version" > "$at/data/opt/inkwell-print/inkwell-print"
    echo "$version" > "$at/data/opt/inkwell-print/VERSION"
    chmod 755 "$at/data/opt/inkwell-print/inkwell-print"
    ln -s ../../opt/inkwell-print/inkwell-print "$at/data/usr/bin/inkwell-print"
    cat > "$at/control/control" <<C
Package: inkwell-print
Version: $version
Architecture: amd64
Maintainer: Bellwether Works <post@bellwether.example>
Installed-Size: 12
Section: misc
Priority: optional
${more}Description: Printing for branches and reading rooms
 Sends pages to the printer of the room one is in.
C
    (cd "$at/data" && find . -type f -printf '%P\0' | sort -z | xargs -0 md5sum) > "$at/control/md5sums"
    echo 2.0 > "$at/debian-binary"
    pack "$at/control.tar.gz" "$at/control"
    pack "$at/data.tar.gz" "$at/data"
    { printf '!<arch>\n'; for file in debian-binary control.tar.gz data.tar.gz; do part "$file" "$at/$file"; done; } > "inkwell-print_${version}_amd64.deb"
}
debian 4.3.0 ""
debian 4.4.0 $'Depends: libc6 (>= 2.31)\n'

# A shell script with an archive behind it: Plateglass Studio 11.4.0.
mkdir -p "$work/run/plateglass-studio"
printf '#!/bin/sh\necho "Plateglass Studio 11.4.0"\n' > "$work/run/plateglass-studio/plateglass-studio"
pack "$work/run.tar.gz" "$work/run"
{ printf '#!/bin/sh\n# Plateglass Studio: run with --yes FOLDER to install without being asked.\nlabel="Plateglass Studio"\nlines=9\n[ "${1-}" = --yes ] || { printf "Install to which folder? "; read -r folder; }\nfolder=${2-$folder}\nmkdir -p "$folder"\ntail -n "+$((lines + 1))" "$0" | tar --extract --gzip --directory "$folder"; exit\n__ARCHIVE__\n'; cat "$work/run.tar.gz"; } > plateglass-studio-11.4.0.run

# An archive: Circdesk 3.9.2, with the runtime that it needs beside it.
mkdir -p "$work/zip/circdesk" "$work/zip/needed"
echo 3.9.2 > "$work/zip/circdesk/VERSION"
cp inkwell-print_4.3.0_amd64.deb "$work/zip/needed/marlin-runtime_2.4.1_amd64.deb"
pack circdesk-3.9.2.tar.gz "$work/zip"
