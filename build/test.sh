#!/usr/bin/env bash
# Runs every test program, which "make test" has built, and adds their figures up.
set -uo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
# Since when a build has been running that led here.
SECONDS=$(($(date +%s) - ${BANDEJO_BEGAN:-$(date +%s)}))
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
echo "build $SECONDS s" >"$work/times"

# The tests start many programs that live for a moment: what is compiled as it runs is compiled well only where it runs long.
export DOTNET_TieredPGO=0 DOTNET_TC_CallCountThreshold=0x400 DOTNET_gcConcurrent=0

# What makes worlds by the thousand within one process cleans up after itself for a fifth of its time, unless it may let more gather.
roomy() {
    DOTNET_GCgen0size=0x4000000 suite "$1"
}

# One suite: what it prints, and a line with its figures in the folder of this run. A suite that ran nothing, or ended with an error of its own, counts as one that failed.
suite() {
    local name=$1 began=$SECONDS log="$work/$1.out" code total errors failures bad
    echo "== $name"
    # With how long it kept processors busy, which is what it costs beside others.
    # Whoever starts this in the background may have taken Ctrl-C away from it, which tests send.
    { time -p env --default-signal=INT,QUIT "tests/$name/bin/Release/net10.0/Bandejo.$name.Tests" >"$log" 2>&1; } 2>"$work/$name.busy"
    code=$?
    cat "$log"
    read -r total errors failures < <(sed -nE 's/.*Total: ([0-9]+), Errors: ([0-9]+), Failed: ([0-9]+).*/\1 \2 \3/p' "$log" | tail -1)
    echo "$name $((SECONDS - began)) s ($(awk '/^(user|sys)/ { s += $2 } END { printf "%d", s }' "$work/$name.busy") s busy)" >>"$work/times"
    if [ -z "${total:-}" ] || [ "$total" -eq 0 ]; then
        echo "$name ran no test."
        echo "0 1" >>"$work/figures"
        return
    fi
    bad=$((errors + failures))
    [ "$code" -ne 0 ] && [ "$bad" -eq 0 ] && bad=1
    echo "$((total - bad)) $bad" >>"$work/figures"
}

console() {
    local log="$work/console.out" code good bad
    echo "== Console"
    npm --prefix console test --silent 2>&1 | tee "$log"
    code=${PIPESTATUS[0]}
    good=$(sed -E 's/\x1b\[[0-9;]*m//g' "$log" | sed -nE 's/^ *Tests .*[^0-9]([0-9]+) passed.*/\1/p; s/^ *Tests +([0-9]+) passed.*/\1/p' | tail -1)
    bad=$(sed -E 's/\x1b\[[0-9;]*m//g' "$log" | sed -nE 's/^ *Tests +([0-9]+) failed.*/\1/p' | tail -1)
    if ! { [ "$code" -eq 0 ] && [ "${good:-0}" -gt 0 ]; } && [ "${bad:-0}" -eq 0 ]; then
        echo "Console ran no test, or ended with an error."
        bad=1
    fi
    echo "${good:-0} ${bad:-0}" >>"$work/figures"
}

# Side by side: each waits now and then, for pages, for faults to pass, for installers. What the others say comes behind the largest.
suite Browser >"$work/browser.log" 2>&1 &
suite Wine >"$work/wine.log" 2>&1 &
roomy Simulation >"$work/simulation.log" 2>&1 &
{
    suite Chaos
    roomy Core
    roomy Store
    for each in Device Fleet Clock Repository; do
        suite $each
    done
    console
} >"$work/others.log" 2>&1 &
suite System
wait
cat "$work"/*.log

# Once more what failed, with its reason: the last lines are what somebody reads, and often all that is kept.
failures() {
    sed -E 's/\x1b\[[0-9;]*m//g' "$work"/*.out | awk '/^ +[^ ].*\[FAIL\]$/ { print; left = 12; next } left > 0 && /^    / { print; left--; next } { left = 0 } /^ +× |^ FAIL / { print }'
}

echo "Took $((SECONDS / 60)) min $((SECONDS % 60)) s: $(paste -sd, "$work/times" | sed 's/,/, /g')"
read -r passed failed < <(awk '{ p += $1; f += $2 } END { print p, f }' "$work/figures")
if [ "$failed" -gt 0 ]; then
    echo "What failed:"
    failures
fi
echo "$passed passed, $failed failed"
[ "$failed" -eq 0 ]
