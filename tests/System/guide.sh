#!/usr/bin/env bash
# Runs the commands of pages as they stand, from the top of each to its end, on demo data of their own, at a terminal where every question is answered
# with yes, in bash whatever shell this is started from. Usage: guide.sh FOLDER PORT PAGE…; prints each command that failed with what it said, and ends
# with 1 if any did.
#
# A block without a language holds commands; what a page shows of their output, and what is for another machine, stands in a block of text.
set -uo pipefail
here=$(cd "$(dirname "${BASH_SOURCE[0]}")/../.." && pwd)
work=$1 port=$2
shift 2
BANDEJO_DEMO="$work/demo" BANDEJO_DEMO_LISTEN="http://127.0.0.1:$port" "$here/demo/demo.sh" >"$work/demo.log" 2>&1 &
demo=$!
trap 'kill "$demo" 2>/dev/null; wait "$demo" 2>/dev/null' EXIT
# On a busy machine its story takes minutes; what it has not told yet is not there.
for _ in $(seq 9000); do
    grep -q "^Bandejo is at" "$work/demo.log" && break
    kill -0 "$demo" 2>/dev/null || { cat "$work/demo.log"; exit 1; }
    sleep 0.1
done
grep -q "^Bandejo is at" "$work/demo.log" || { echo "The demo did not come to its end:"; tail -5 "$work/demo.log"; exit 1; }

failed=0 done=0
yes=$(printf 'y\n%.0s' {1..20})
for page in "$@"; do
    place="$work/$(basename "$page" .md)"
    mkdir -p "$place/config"
    # The page may use what lies in the project, and make files of its own.
    ln -s "$here/demo" "$here/out" "$place/"
    mkdir -p "$place/.data" && ln -s "$work/demo" "$place/.data/demo"
    export SHELL=$(command -v bash) XDG_CONFIG_HOME="$place/config" BANDEJO_SERVICE="http://127.0.0.1:$port" PATH="$here/out:$PATH" NO_COLOR=1
    unset BANDEJO_TOKEN
    echo tomas-of-orrin-county | bandejo sign-in tomas >/dev/null 2>&1
    awk '/^```/ { inside = !inside; commands = inside && $0 == "```"; next } commands' "$page" | sed -e ':a' -e '/\\$/{N;s/\\\n *//;ta' -e '}' >"$place.commands"
    while IFS= read -r line <&3; do
        case "$line" in "" | \#*) continue ;; make\ *) continue ;; export\ *) pushd "$place" >/dev/null && eval "$line"; popd >/dev/null; continue ;; esac
        # What goes on until it is ended is ended as a person would.
        limit=300
        case "$line" in *" watch "*) limit=6 ;; esac
        said=$(cd "$place" && timeout -k 5 "$limit" script -qefc "$line" /dev/null 2>&1 <<<"$yes")
        code=$?
        done=$((done + 1))
        case "$line:$code" in *" watch "*:124) code=0 ;; esac
        if [ "$code" -ne 0 ]; then
            failed=1
            echo "$(basename "$page"): $line"
            # Without the answers that the terminal shows as they are typed.
            echo "  ended with $code: $(echo "$said" | tr -d '\r' | grep -v '^y$' | tail -12)"
        fi
    done 3<"$place.commands"
done
echo "$done commands of $# pages"
exit $failed
