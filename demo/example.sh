#!/usr/bin/env bash
# The main job once, unattended: from a folder of files to proven installs on devices, through two waves with a gate, with one failure retried and a roll
# back. Real service, real agents, real command line, on this machine. Ends with 0 only if every step was proven.
set -euo pipefail
SITE=$(mktemp -d)
LISTEN=http://127.0.0.1:7411
source "$(dirname "${BASH_SOURCE[0]}")/site.sh"

finish() {
    local code=$?
    stop_all
    [ $code -eq 0 ] || echo "The example stopped at: ${step:-the beginning} (what it left is in $SITE)" >&2
    [ $code -eq 0 ] && rm -rf "$SITE"
    exit $code
}
trap finish EXIT

number=0
step() { number=$((number + 1)); step="$1"; printf '\n%d. %s\n' "$number" "$1"; }
show() { sed 's/^/   /'; }
# proven MACHINE TEXT: the machine itself must hold this version, whatever the service believes.
proven() {
    local found
    found=$(cat "$SITE/machines/$1/opt/foldline/VERSION" 2>/dev/null || echo nothing)
    [ "$found" = "$2" ] || { echo "   $1 holds $found, not $2" >&2; return 1; }
    echo "   $1 holds Foldline $found"
}

echo "Orrin County Libraries rolls out Foldline 7.2.0"

step "A service starts, people sign in, and four machines join"
start_service
password_of root-admin | as root-admin sign-in root-admin >/dev/null
person ines packager
person tomas operator
person ruth approver
person desk viewer
as tomas group new test-desks --name "Test desks" --testing | show
as tomas group new branch-desks --name "Branch desks" | show
for name in HQ-TEST-001 HQ-TEST-002; do machine "$name" test-desks desk "Bindery 9"; start_agent "$name"; done
for name in ALD-DESK-001 BRM-DESK-001; do machine "$name" branch-desks desk "Folio 4"; start_agent "$name"; done
as tomas group new desks --name "All desks" --rule 'kind is "desk"' | show

step "Ines checks and builds two versions from their folders; an administrator releases them"
for version in 7.1.0 7.2.0; do
    as ines package check "$here/demo/packages/foldline-$version" | show
    as ines package build "$here/demo/packages/foldline-$version" | head -1 | show
    as root-admin package release "foldline $version" --reason "no trial bench yet" | show
done

step "Version 7.1.0 goes to every desk at once"
as tomas deployment start "foldline 7.1.0" --to desks --name "Foldline 7.1.0 for every desk" --yes | show
as desk deployment watch "Foldline 7.1.0 for every desk" | show
for name in HQ-TEST-001 HQ-TEST-002 ALD-DESK-001 BRM-DESK-001; do proven "$name" 7.1.0; done

step "Version 7.2.0 goes in two waves, with a gate between them. The disk of one test desk is full"
touch "$SITE/machines/HQ-TEST-002/run/disk-full"
as tomas deployment start "foldline 7.2.0" --to desks --name "Foldline 7.2.0 for every desk" --tries 1 --yes \
    --wave "Test desks: group test-desks; 100 % met, then approval" --wave "Branches: everyone else" | show
as desk deployment watch "Foldline 7.2.0 for every desk" --until failed | show
proven HQ-TEST-002 7.1.0
proven ALD-DESK-001 7.1.0

step "Tomas asks why, clears the disk and tries that one again"
as tomas device why HQ-TEST-002 --deployment "Foldline 7.2.0 for every desk" | show
rm "$SITE/machines/HQ-TEST-002/run/disk-full"
as tomas deployment retry "Foldline 7.2.0 for every desk" | show
as desk deployment watch "Foldline 7.2.0 for every desk" --until approval | show
proven HQ-TEST-002 7.2.0
proven BRM-DESK-001 7.1.0

step "Tomas may not approve his own rollout; Ruth may, and the second wave follows"
if as tomas deployment approve "Foldline 7.2.0 for every desk" 2>&1 | show; then echo "   It should have been refused." >&2; exit 1; fi
as ruth deployment approve "Foldline 7.2.0 for every desk" --reason "looks good on the test desks" | show
as desk deployment watch "Foldline 7.2.0 for every desk" | show
for name in HQ-TEST-001 HQ-TEST-002 ALD-DESK-001 BRM-DESK-001; do proven "$name" 7.2.0; done
as desk compliance check | show

step "It prints blank pages after all: the whole rollout goes back"
as tomas deployment roll-back "Foldline 7.2.0 for every desk" --reason "prints blank pages" --yes | show
as desk deployment watch "Foldline 7.2.0 for every desk" --until ended | show
for name in HQ-TEST-001 HQ-TEST-002 ALD-DESK-001 BRM-DESK-001; do proven "$name" 7.1.0; done

step "What was decided, by whom, and on which figures"
as desk journal --deployment "Foldline 7.2.0 for every desk" | show

printf '\nEvery step was proven on the machines.\n'
