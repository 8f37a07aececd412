# Shared by the example and the demo: starts a service, agents and a fleet on this machine, and speaks to them as different people.
# Expects: SITE (a folder for everything), LISTEN (the service's address). CLOCK, where set, is a demo clock's file that all go by.

here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
out="${BANDEJO_PROGRAMS:-$here/out}"
export NO_COLOR=${NO_COLOR-}
CLOCK="${CLOCK-}"

# as PERSON COMMAND…: the command line as that person. Each has a folder of their own for the kept sign-in.
as() {
    local person=$1
    shift
    XDG_CONFIG_HOME="$SITE/people/$person" BANDEJO_SERVICE="$LISTEN" "$out/bandejo" "$@"
}

# quietly COMMAND…: what it prints is shown only if it fails.
quietly() {
    local said
    said=$("$@" 2>&1) || { echo "$said" >&2; return 1; }
}

# person NAME ROLE…: makes an account and signs it in. The passwords of the demo are no secret.
password_of() { echo "$1-of-orrin-county"; }
person() {
    local name=$1
    shift
    password_of "$name" | quietly as root-admin account new "$name" --name "${name^}" --role "$@"
    password_of "$name" | quietly as "$name" sign-in "$name"
}

start_service() {
    mkdir -p "$SITE"
    "$out/bandejo-service" --data "$SITE/service" --listen "$LISTEN" --first-password "$(password_of root-admin)" --check-in-seconds "${CHECK_IN_SECONDS:-2}" \
        --joins-per-minute 100000 --trials on ${CLOCK:+--demo-clock "$CLOCK"} >"$SITE/service.out" 2>>"$SITE/service.log" &
    service=$!
    for _ in $(seq 300); do
        grep -q "listens at" "$SITE/service.out" 2>/dev/null && return 0
        kill -0 "$service" 2>/dev/null || { echo "The service did not start:" >&2; tail -1 "$SITE/service.log" >&2; return 1; }
        sleep 0.1
    done
    echo "The service did not start in time; see $SITE/service.log" >&2
    return 1
}

# machine NAME GROUP KIND MODEL: a folder that is a machine, joined into a group.
machine() {
    local root="$SITE/machines/$1" code
    mkdir -p "$root/etc/bandejo" "$root/run"
    printf 'kind: %s\nmodel: %s\nsite: %s\npublic: no\n' "$3" "$4" "${1%%-*}" >"$root/etc/bandejo/facts"
    code=$(as root-admin device join-code new --group "$2" 2>/dev/null | head -1)
    "$out/bandejo-agent" join --root "$root" --service "$LISTEN" --code "$code" --name "$1" ${CLOCK:+--demo-clock "$CLOCK"} >/dev/null
}

# What these machines install stays in their folders where bwrap can see to it; else it is trusted to.
guard=--unguarded
bwrap --ro-bind / / true 2>/dev/null && guard=

start_agent() {
    "$out/bandejo-agent" run --root "$SITE/machines/$1" $guard ${CLOCK:+--demo-clock "$CLOCK"} >>"$SITE/machines/$1/agent.log" 2>&1 &
    agents+=($!)
}

# start_fleet SCRIPT: plays the devices of a script; their join codes are in $SITE/codes.
start_fleet() {
    rm -f "$SITE/fleet.log"
    "$out/bandejo-fleet" play "$1" --service "$LISTEN" --data "$SITE/fleet" --codes "$SITE/codes" ${CLOCK:+--demo-clock "$CLOCK" --lead} >>"$SITE/fleet.log" 2>&1 &
    fleet=$!
    agents+=("$fleet")
    for _ in $(seq 300); do
        grep -q "devices play for" "$SITE/fleet.log" 2>/dev/null && return 0
        kill -0 "$fleet" 2>/dev/null || { echo "The fleet did not start:" >&2; tail -n 3 "$SITE/fleet.log" >&2; return 1; }
        sleep 0.1
    done
}

agents=()
stop_all() {
    for process in "${agents[@]}" "${service:-}"; do
        [ -n "$process" ] && kill "$process" 2>/dev/null
    done
    wait 2>/dev/null
    return 0
}
