# What happened at Orrin County Libraries in the weeks before the demo begins. Everything is done by people through the command line and by devices over the
# protocol, on a clock that is led from one moment to the next; nothing is written into the database.
# Expects what site.sh sets; BASE is the Monday on which it begins.

# on DAY TIME: leads the clock to a time on a day of the story, 1 being the first Monday.
on() { kill -0 "$fleet" 2>/dev/null || { echo "The fleet has ended:" >&2; tail -n 5 "$SITE/fleet.log" >&2; return 1; }; quietly as root-admin clock advance --to "$(date -u -d "$BASE + $(($1 - 1)) days" +%F)T$2:00Z"; today="$(date -u -d "$BASE + $(($1 - 1)) days" '+%a %e %b') $2"; }
tell() { printf '  %s  %s\n' "$today" "$*"; }
start() { quietly as tomas deployment start "$@" --yes; }
build() {
    quietly as ines package build "$here/demo/packages/$1-$2"
    quietly as root-admin package release "$1 $2" --reason "tried by hand on HQ-TEST-003"
}

people_and_groups() {
    password_of root-admin | quietly as root-admin sign-in root-admin
    person ines packager
    person tomas operator
    person ruth approver
    person oskar approver
    person desk viewer
    quietly as tomas group new test-desks --name "Packaging and test desks" --testing
    quietly as tomas group new staff-desks --name "Staff desks"
    quietly as tomas group new reading-rooms --name "Reading-room desks"
    quietly as tomas group new kiosks --name "Catalogue kiosks"
    quietly as tomas group new self-checkout --name "Self-checkout points"
    quietly as tomas group new studios --name "Digitisation studios"
    quietly as tomas group new outreach --name "Bookbus and outreach laptops"
    quietly as tomas group new branch-servers --name "Branch servers"
    quietly as tomas group new workshop --name "Workshop: two machines in folders"
    quietly as tomas group new desks --name "Every desk" --rule 'kind is "desk"'
    quietly as tomas group new public-devices --name "Used by the public" --rule 'public'
    quietly as tomas group new small-disks --name "Little room left" --rule 'disk.free < 3 GB'
    quietly as tomas group new first-kiosks --name "Kiosks of five sites" --rule 'kind is "kiosk" and site in ("HQ", "DUN", "GRV", "KIR", "MER")'
    quietly as tomas group new pilot-branches --name "The two pilot branches" --rule 'site in ("BRM", "CAS")'
    quietly as tomas wave-plan new careful --name "Pilots, two branches, everyone" \
        --wave "Pilots: group test-desks; 100 % met for 1d" \
        --wave "Two branches: group pilot-branches; 90 % met for 1d, at most 2 harm reports, silent left out after 3d" --wave "Everyone else: everyone else"
    quietly as tomas wave-plan new approved --name "Pilots, then somebody approves" \
        --wave "Pilots: group test-desks; 100 % met for 1d, then approval" --wave "Everyone else: everyone else"
    : >"$SITE/codes"
    for group in test-desks staff-desks reading-rooms kiosks studios outreach branch-servers; do
        echo "$group=$(as tomas device join-code new --group "$group" --uses 300 --hours 72 2>/dev/null | head -1)" >>"$SITE/codes"
    done
    echo "unsorted=$(as tomas device join-code new --uses 20 --hours 72 2>/dev/null | head -1)" >>"$SITE/codes"
}

play_history() {
    today="$(date -u -d "$BASE" '+%a %e %b') 06:30"
    tell "five people, fourteen groups, two wave plans; the devices join as they are switched on"
    people_and_groups
    start_fleet "$here/demo/fleet.yaml"

    on 1 11:00
    build plateglass-studio 11.3.0
    start "plateglass-studio 11.3.0" --to studios --name "Plateglass Studio 11.3.0 for the studios" --wave "Head office: 6 devices; 80 % met for 12h" --wave "The others: everyone else"
    tell "Plateglass Studio 11.3.0 begins at the studios, many of which must restart for it"

    on 2 09:30
    build foldline 7.1.0
    build circdesk 3.8.0
    build circdesk 3.9.0
    start "foldline 7.1.0" --to desks --name "Foldline 7.1.0 for every desk" --wave "Pilots: group test-desks; 100 % met for 2h, then approval" --wave "Everyone else: everyone else"
    start "circdesk 3.9.0" --to staff-desks test-desks --name "Circdesk 3.9.0 for the loans desks" --wave "Pilots: group test-desks; 100 % met for 4h" --wave "A tenth: 10 %; 90 % met for 2d" --wave "Everyone else: everyone else"
    tell "Foldline 7.1.0 for every desk and Circdesk 3.9.0 for the loans desks begin with the test desks"
    on 2 13:10
    quietly as ruth deployment approve "Foldline 7.1.0 for every desk" --reason "printed, searched, closed: fine on the test desks"
    on 3 15:00
    quietly as tomas deployment roll-back "Circdesk 3.9.0 for the loans desks" --reason "loses the loans list when the connection drops" --yes
    tell "Circdesk 3.9.0 loses the loans list: rolled back everywhere"

    on 4 10:00
    build old-foldline 5.2
    start "old-foldline 5.2" --gone --to staff-desks --name "Old Foldline taken away" --wave "Head office: 30 devices; 90 % met for 1d, silent left out after 1d" --wave "The branches: everyone else" --deadline 16d
    on 5 10:00
    build carrel-link 2.1.0
    start "carrel-link 2.1.0" --to outreach --name "Carrel Link 2.1.0 for the bookbuses" --deadline 7d --lease 2d --fetch "over metered links too" --wave "Everyone: everyone else"
    tell "Carrel Link 2.1.0 for laptops that are on the road; one loses power in the middle of it"

    on 8 10:00
    build quillmark 9.5.0
    start "quillmark 9.5.0" --choice --to staff-desks --name "Quillmark 9.5.0 on the shelf"
    tell "Quillmark 9.5.0 goes on the shelf of the staff desks, for those who like to have it"
    on 9 09:30
    build marlin-runtime 2.4.1
    start "marlin-runtime 2.4.1" --to staff-desks branch-servers self-checkout --name "Marlin Runtime 2.4.1 for loans" --wave "Servers: group branch-servers; 100 % met for 4h" --wave "Everyone else: everyone else"
    on 10 09:30
    start "marlin-runtime 2.4.1" --gone --to kiosks --name "Marlin Runtime off the kiosks"

    on 15 09:00
    build foldline 7.2.0
    start "foldline 7.2.0" --to desks --except workshop --name "Foldline 7.2.0 for every desk" --plan careful --deadline 9d --halt "10 % failed of at least 5, or 4 harm reports"
    tell "Foldline 7.2.0 begins with the test desks"
    on 15 11:00
    build inkwell-print 4.2.0
    start "inkwell-print 4.2.0" --to staff-desks reading-rooms test-desks --name "Inkwell Print 4.2.0" --plan approved
    on 15 14:00
    for kiosk in ALD-KIOSK-01 BRM-KIOSK-01 CAS-KIOSK-01 DUN-KIOSK-01; do quietly as tomas group member add self-checkout "$kiosk" --yes; done
    tell "Four kiosks become self-checkout points: one rollout wants Marlin Runtime there, another wants it gone"
    on 16 09:10
    build circdesk 3.9.1
    start "circdesk 3.9.1" --to staff-desks test-desks --name "Circdesk 3.9.1 for the loans desks" --plan approved
    on 16 10:00
    build nightjar 2.0.0
    start "nightjar 2.0.0" --to kiosks --name "Nightjar 2.0.0 for the kiosks" --tries 2 --wave "First kiosks: group first-kiosks; 90 % met for 1d" --wave "The other kiosks: everyone else"
    tell "Nightjar 2.0.0 begins at the kiosks of five sites, some of which have little room left"
    quietly as tomas calendar new server-nights --name "Server nights" --when "Mon-Fri 21:00-05:00; Sat,Sun"
    quietly as tomas group calendar add branch-servers server-nights --yes
    quietly as tomas calendar new stocktaking --name "Stocktaking" --freeze --when "$(date -u -d "$BASE + 21 days" +%F) to $(date -u -d "$BASE + 23 days" +%F)"
    quietly as tomas group calendar add reading-rooms stocktaking --yes
    tell "The branch servers may be changed at night alone, and next week nothing starts in the reading rooms"
    on 17 09:05
    as tomas deployment list | grep -q "^Nightjar 2.0.0 for the kiosks .* halted" || { echo "Nightjar 2.0.0 should have halted by its rule and has not" >&2; return 1; }
    tell "Nightjar 2.0.0 has halted by its rule"
    start "marlin-runtime 2.4.1" --to studios --name "Marlin Runtime 2.4.1 for the studios" --restart "at the latest after 2d"
    start "carrel-link 2.1.0" --to branch-servers --name "Carrel Link 2.1.0 for the branch servers" --start-when "with nobody signed in"
    tell "Carrel Link 2.1.0 for the branch servers waits for their window tonight"
    tell "Marlin Runtime 2.4.1 begins at the studios, whose people have two days to restart for it"
}
