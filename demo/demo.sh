#!/usr/bin/env bash
# The service with something to see: Orrin County Libraries with 420 devices, two and a half weeks of history, and a demo clock on which an hour takes a
# minute. Starts again where it stopped; `make demo-reset` forgets it.
set -euo pipefail
SITE="${BANDEJO_DEMO:-$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)/.data/demo}"
LISTEN="${BANDEJO_DEMO_LISTEN:-http://127.0.0.1:7410}"
CLOCK="$SITE/clock.json"
CHECK_IN_SECONDS=14400
SPEED=60
source "$(dirname "${BASH_SOURCE[0]}")/site.sh"
source "$(dirname "${BASH_SOURCE[0]}")/history.sh"
workshop=(HQ-WORK-001 HQ-WORK-002)

# Between a stop and the next start no time passes in the demo.
finish() {
    trap - INT TERM EXIT
    [ -e "$SITE/.filled" ] && as root-admin clock set --speed 0 >/dev/null 2>&1
    stop_all
}
trap 'echo; echo "Ending; the data stays in $SITE."; finish; exit 0' INT TERM
trap finish EXIT

# clock AT: a clock that stands still at a moment.
clock() { printf '{"at":"%s","since":"%s","speed":0}' "$1" "$(date -u +%FT%TZ)" >"$CLOCK"; }

if [ -e "$SITE/service" ] && [ ! -e "$SITE/.filled" ]; then
    echo "An earlier first start was cut short; beginning anew."
    rm -rf "$SITE"
fi
if [ -e "$SITE/.filled" ]; then
    # After a kill the clock would jump by all the time that has passed since; it goes on from the last thing that happened.
    grep -q '"speed":0[,}]' "$CLOCK" || clock "$(tail -1 "$SITE/fleet/record.jsonl" | sed -E 's/^\{"at":"([^"]+)".*/\1/')"
    start_service
    start_fleet "$here/demo/fleet.yaml"
else
    # The story ends on a Wednesday morning, the last one there was, so that offices are open when the demo begins.
    BASE=$(date -u -d "$(date -u +%F) - $((($(date -u +%u) + 4) % 7 + 16)) days" +%F)
    mkdir -p "$SITE"
    clock "${BASE}T06:30:00Z"
    echo "First start: two and a half weeks of history are played through, from $BASE on. This takes about a minute."
    start_service
    play_history
    for name in "${workshop[@]}"; do machine "$name" workshop desk "Folio 5"; done
    touch "$SITE/.filled"
fi
for name in "${workshop[@]}"; do start_agent "$name"; done
quietly as root-admin clock set --speed "$SPEED"
if [ ! -e "$SITE/.opened" ]; then
    start "quillmark 9.5.0" --to workshop --name "Quillmark 9.5.0 for the workshop"
    touch "$SITE/.opened"
fi

cat <<EOF

Bandejo is at $LISTEN with $(($(grep -c '"what":"joined"' "$SITE/fleet/record.jsonl") + ${#workshop[@]})) devices. Ctrl-C ends it; 'make demo' goes on where it was.
There it is $(as desk clock show).

In a browser: $LISTEN, as tomas with the password tomas-of-orrin-county (all passwords of the demo are NAME-of-orrin-county).
Or in another terminal in this folder:
  export PATH=\$PWD/out:\$PATH
  echo tomas-of-orrin-county | bandejo sign-in tomas
  bandejo deployment list

tomas runs rollouts, ines builds packages, ruth and oskar approve, desk only looks, root-admin may do everything.
Within the next minutes a gate passes, a desk fails, and somebody must approve: bandejo deployment watch "Foldline 7.2.0 for every desk"
EOF
wait "$service"
