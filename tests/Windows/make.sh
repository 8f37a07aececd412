#!/bin/bash
# Makes tests/Core/Cases/installers/foldline.msi anew. Needs Wine from the system's packages (wine, wine64); the tests themselves do not.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
export WINEPREFIX=$folder/wine WINEARCH=win64 WINEDEBUG=-all DISPLAY=
dotnet publish "$here" -c Release -r win-x64 --self-contained --nologo -v quiet -p:PublishTrimmed=true -o "$folder/maker"
WINEDLLOVERRIDES="mscoree,mshtml=" wineboot -i >/dev/null 2>&1
wine winecfg -v win10 >/dev/null 2>&1
cd "$here/../Core/Cases/installers"
wine "$folder/maker/make-database.exe" foldline.msi
