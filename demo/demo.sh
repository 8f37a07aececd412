#!/usr/bin/env bash
# The service with something to see: accounts, packages, six machines with their agents; one rollout done, one halted by its rule, one waiting for approval.
# Starts again on the data it left; `make demo-reset` forgets it.
set -euo pipefail
SITE="${BANDEJO_DEMO:-$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)/.data/demo}"
LISTEN="${BANDEJO_DEMO_LISTEN:-http://127.0.0.1:7410}"
source "$(dirname "${BASH_SOURCE[0]}")/site.sh"
trap 'echo; echo "Ending; the data stays in .data/demo."; stop_all; exit 0' INT TERM
trap stop_all EXIT

machines=(HQ-TEST-001 HQ-TEST-002 ALD-DESK-001 ALD-DESK-002 BRM-DESK-001 BUS-02-LAP-3)

fill() {
    echo "First start: making accounts, packages, machines and a little history"
    password_of root-admin | as root-admin sign-in root-admin >/dev/null
    person ines packager
    person tomas operator
    person ruth approver
    person oskar approver
    person desk viewer
    as tomas group new test-desks --name "Test desks" --testing >/dev/null
    as tomas group new branches --name "Branches" >/dev/null
    as tomas group new outreach --name "Bookbus and outreach" >/dev/null
    machine HQ-TEST-001 test-desks desk "Bindery 9"
    machine HQ-TEST-002 test-desks desk "Folio 4"
    machine ALD-DESK-001 branches desk "Folio 4"
    machine ALD-DESK-002 branches desk "Bindery 9"
    machine BRM-DESK-001 branches desk "Folio 4"
    machine BUS-02-LAP-3 outreach laptop "Vellum 13"
    as tomas group new desks --name "All desks" --rule 'kind is "desk"' >/dev/null
    as tomas group new everyone --name "Every machine" --rule 'yes' >/dev/null
    for package in "$here"/demo/packages/*/; do as ines package build "$package" >/dev/null; done
    as root-admin package release "foldline 7.1.0" --reason "no trial bench yet" >/dev/null
    as root-admin package release "foldline 7.2.0" --reason "no trial bench yet" >/dev/null
    as root-admin package release "marlin-runtime 2.4.1" --reason "no trial bench yet" >/dev/null
}

stories() {
    as tomas deployment start "foldline 7.1.0" --to everyone --name "Foldline 7.1.0 for everyone" --yes >/dev/null
    as desk deployment watch "Foldline 7.1.0 for everyone" >/dev/null
    # One machine has no room left when the runtime comes; the rollout halts by its rule. The room is there again afterwards, so a retry helps.
    touch "$SITE/machines/ALD-DESK-002/run/disk-full"
    as tomas deployment start "marlin-runtime 2.4.1" --to everyone --name "Marlin Runtime for everyone" --halt "1 failed" --tries 1 --yes \
        --wave "Test desks: group test-desks; 100 % met" --wave "Everyone: everyone else" >/dev/null
    as desk deployment watch "Marlin Runtime for everyone" >/dev/null || true
    rm "$SITE/machines/ALD-DESK-002/run/disk-full"
    as tomas deployment start "foldline 7.2.0" --to desks --name "Foldline 7.2.0 for every desk" --deadline 3d --yes \
        --wave "Test desks: group test-desks; 100 % met, then approval" --wave "Branches: everyone else" >/dev/null
    as desk deployment watch "Foldline 7.2.0 for every desk" --until approval >/dev/null
    touch "$SITE/.filled"
}

if [ -e "$SITE/service" ] && [ ! -e "$SITE/.filled" ]; then
    echo "An earlier first start was cut short; beginning anew."
    rm -rf "$SITE"
fi
if [ ! -e "$SITE/service" ]; then
    start_service
    fill
else
    start_service
fi
for name in "${machines[@]}"; do start_agent "$name"; done
[ -e "$SITE/.filled" ] || stories

cat <<EOF

Bandejo is at $LISTEN with ${#machines[@]} machines. Ctrl-C ends it; 'make demo' goes on where it was.

Sign in from another terminal (the passwords of the demo are NAME-of-orrin-county):
  export PATH=$out:\$PATH
  echo tomas-of-orrin-county | bandejo sign-in tomas
  bandejo deployment list

tomas runs rollouts, ines builds packages, ruth and oskar approve, desk only looks, root-admin may do everything.
EOF
wait "$service"
