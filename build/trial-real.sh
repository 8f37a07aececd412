#!/usr/bin/env bash
# Drafts twenty real Debian packages as they come from the archive and tries each in the sandbox as it was drafted: a daemon, one that asks, one with
# configuration, one that takes minutes, and ordinary ones. What they need and this machine lacks comes from the archive too, drafted and tried with them.
# Prints a line a package, and what failed or was warned of. Needs apt-get, a network for the fetching, and what a trial needs.
#
#   build/trial-real.sh [FOLDER [PACKAGE…]]      files that are in FOLDER already are not fetched again
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
out="${BANDEJO_PROGRAMS:-$here/out}"
folder=$(realpath -m "${1:-$(mktemp -d)}")
shift || true
packages=("$@")
[ ${#packages[@]} -gt 0 ] || packages=(hello tree sl figlet cowsay nano dc ncdu pv dos2unix moreutils mc cron memcached redis-server postfix locales-all vim-tiny hunspell-en-us texlive-latex-base)
mkdir -p "$folder"/{files,drafts}

SITE="$folder/site" LISTEN=http://127.0.0.1:7491
rm -rf "$SITE"
# shellcheck source=demo/site.sh
. "$here/demo/site.sh"
start_service
trap 'kill "$service" 2>/dev/null || true' EXIT
password_of root-admin | quietly as root-admin sign-in root-admin

# missing NAME: the packages that it needs and this machine lacks, itself last.
missing() { apt-get install --simulate --no-install-recommends "$1" 2>/dev/null | sed -n 's/^Inst \([^ ]*\) .*/\1/p'; }

printf '%-20s %-8s %7s  %s\n' Package Result Seconds 'What did not hold, or was warned of'
for name in "${packages[@]}"; do
    here_already=$(dpkg-query -W -f '${Status}' "$name" 2>/dev/null || true)
    if [[ $here_already == *" installed" ]]; then
        printf '%-20s %-8s %7s  %s\n' "$name" '-' 0 'this machine has it; name a root without it with --upon'
        continue
    fi
    mkdir -p "$folder/files/$name"
    [ -n "$(ls "$folder/files/$name")" ] || (cd "$folder/files/$name" && apt-get download -q $(missing "$name") >/dev/null 2>&1) || true
    rm -rf "$folder/drafts/$name"
    "$out/bandejo" package inspect "$folder/files/$name" --draft "$folder/drafts/$name" >/dev/null 2>"$folder/drafts/$name.errors" || true
    slug=$(tr 'A-Z+.' 'a-z--' <<<"$name")
    own=$(ls -d "$folder/drafts/$name/$slug"-[0-9]* 2>/dev/null | head -1 || true)
    if [ -z "$own" ]; then
        printf '%-20s %-8s %7s  %s\n' "$name" 'no draft' 0 "$(head -1 "$folder/drafts/$name.errors")"
        continue
    fi
    began=$SECONDS code=0
    as root-admin package trial "$own" --with "$folder/drafts/$name" --limit 900 --output json >"$folder/drafts/$name.json" 2>>"$folder/drafts/$name.errors" || code=$?
    result=$([ $code = 0 ] && echo passed || echo "code $code")
    node -e '
        const [file, name, result, seconds] = process.argv.slice(1);
        let steps = [];
        try { steps = JSON.parse(require("fs").readFileSync(file, "utf8")).steps; } catch { /* It came to no trial; the errors say why. */ }
        const told = steps.filter((step) => step.state === "failed" || (step.state === "warned" && step.name !== "requires"));
        const lines = told.flatMap((step) => [`${step.name}: ${step.says}`, ...step.log.slice(-6).map((line) => `    ${line}`)]);
        console.log(`${name.padEnd(20)} ${result.padEnd(8)} ${seconds.padStart(7)}  ${lines.shift() ?? (steps.length ? "" : "no trial")}`);
        for (const line of lines) console.log(" ".repeat(38) + line);
    ' "$folder/drafts/$name.json" "$name" "$result" "$((SECONDS - began))"
done
