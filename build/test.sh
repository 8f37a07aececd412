#!/usr/bin/env bash
# Runs every test program and adds their figures up.
set -uo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
build/prerequisites.sh tests
dotnet build Bandejo.slnx -c Release --nologo -v quiet || { echo "The build failed."; echo "0 passed, 1 failed"; exit 1; }
passed=0
failed=0
times="build $SECONDS s,"
echo "== Console"
log=$(mktemp)
npm --prefix console test --silent 2>&1 | tee "$log"
code=${PIPESTATUS[0]}
good=$(sed -E 's/\x1b\[[0-9;]*m//g' "$log" | sed -nE 's/^ *Tests .*[^0-9]([0-9]+) passed.*/\1/p; s/^ *Tests +([0-9]+) passed.*/\1/p' | tail -1)
bad=$(sed -E 's/\x1b\[[0-9;]*m//g' "$log" | sed -nE 's/^ *Tests +([0-9]+) failed.*/\1/p' | tail -1)
rm -f "$log"
passed=$((passed + ${good:-0}))
failed=$((failed + ${bad:-0}))
[ "$code" -eq 0 ] && [ "${good:-0}" -gt 0 ] || [ "${bad:-0}" -gt 0 ] || { echo "Console ran no test, or ended with an error."; failed=$((failed + 1)); }
for suite in Repository Core Clock Device Fleet Store System Browser Chaos; do
    echo "== $suite"
    log=$(mktemp)
    began=$SECONDS
    "tests/$suite/bin/Release/net10.0/Bandejo.$suite.Tests" 2>&1 | tee "$log"
    code=${PIPESTATUS[0]}
    read -r total errors failures < <(sed -nE 's/.*Total: ([0-9]+), Errors: ([0-9]+), Failed: ([0-9]+).*/\1 \2 \3/p' "$log" | tail -1)
    rm -f "$log"
    times="$times $suite $((SECONDS - began)) s"
    if [ -z "${total:-}" ] || [ "$total" -eq 0 ]; then
        echo "$suite ran no test."
        failed=$((failed + 1))
        continue
    fi
    bad=$((errors + failures))
    [ "$code" -ne 0 ] && [ "$bad" -eq 0 ] && bad=1
    passed=$((passed + total - bad))
    failed=$((failed + bad))
    unset total errors failures
done
echo "Took $((SECONDS / 60)) min $((SECONDS % 60)) s: ${times}"
echo "$passed passed, $failed failed"
[ "$failed" -eq 0 ]
