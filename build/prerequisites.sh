#!/usr/bin/env bash
# Installs what the build needs and this machine lacks; with "tests", what the tests need too: a browser for the console, a sandbox for trials, a database server; with "windows", Wine. Needs apt and the right to use it; without, it says what is missing.
set -euo pipefail
command -v npm >/dev/null || { echo "Node 20 or newer with npm is missing; install it first." >&2; exit 1; }
command -v dotnet >/dev/null || { echo "The .NET SDK 10 is missing; install it first." >&2; exit 1; }
# One at a time: who installs keeps others from it.
command -v flock >/dev/null && exec 9<"${BASH_SOURCE[0]}" && flock 9
needed=()
# Ahead-of-time compilation links.
if [ -z "${WITHOUT_LINKER:-}" ]; then
    command -v clang >/dev/null 2>&1 || command -v gcc >/dev/null 2>&1 || needed+=(clang)
    [ -e /usr/include/zlib.h ] || needed+=(zlib1g-dev)
fi
[ "${1:-}" != tests ] || command -v chromium >/dev/null || needed+=(chromium)
[ "${1:-}" != tests ] || command -v bwrap >/dev/null || needed+=(bubblewrap)
[ "${1:-}" != windows ] || command -v wine >/dev/null || needed+=(wine wine64)
[ "${1:-}" != tests ] || compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || needed+=(postgresql)
command -v setsid >/dev/null || needed+=(util-linux)
[ ${#needed[@]} -eq 0 ] && exit 0
if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    echo "Installing ${needed[*]}"
    apt-get update -qq && apt-get install -y -qq "${needed[@]}" >/dev/null
else
    echo "Missing: ${needed[*]}. Install them, or the command line and the agent are built without ahead-of-time compilation, and tests in a browser, in a sandbox or with a server fail." >&2
fi
