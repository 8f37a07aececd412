# Shared by the example and the demo: starts a service and agents on this machine, and speaks to them as different people.
# Expects: SITE (a folder for everything), LISTEN (the service's address).

here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
out="${BANDEJO_PROGRAMS:-$here/out}"
export NO_COLOR=${NO_COLOR-}

# as PERSON COMMAND…: the command line as that person. Each has a folder of their own for the kept sign-in.
as() {
    local person=$1
    shift
    XDG_CONFIG_HOME="$SITE/people/$person" BANDEJO_SERVICE="$LISTEN" "$out/bandejo" "$@"
}

# person NAME ROLE…: makes an account and signs it in. The passwords of the demo are no secret.
password_of() { echo "$1-of-orrin-county"; }
person() {
    local name=$1
    shift
    password_of "$name" | as root-admin account new "$name" --name "${name^}" --role "$@" >/dev/null
    password_of "$name" | as "$name" sign-in "$name" >/dev/null
}

start_service() {
    mkdir -p "$SITE"
    "$out/bandejo-service" --data "$SITE/service" --listen "$LISTEN" --first-password "$(password_of root-admin)" --check-in-seconds 2 \
        >"$SITE/service.out" 2>>"$SITE/service.log" &
    service=$!
    for _ in $(seq 300); do
        grep -q "listens at" "$SITE/service.out" 2>/dev/null && return 0
        kill -0 "$service" 2>/dev/null || { echo "The service did not start:" >&2; tail -3 "$SITE/service.log" >&2; return 1; }
        sleep 0.1
    done
    echo "The service did not start in time; see $SITE/service.log" >&2
    return 1
}

# machine NAME GROUP KIND MODEL: a folder that is a machine, joined into a group.
machine() {
    local root="$SITE/machines/$1" code
    mkdir -p "$root/etc/bandejo" "$root/run"
    printf 'kind: %s\nmodel: %s\nsite: %s\n' "$3" "$4" "${1%%-*}" >"$root/etc/bandejo/facts"
    code=$(as root-admin device join-code new --group "$2" | head -1)
    "$out/bandejo-agent" join --root "$root" --service "$LISTEN" --code "$code" --name "$1" >/dev/null
}

start_agent() {
    "$out/bandejo-agent" run --root "$SITE/machines/$1" >>"$SITE/machines/$1/agent.log" 2>&1 &
    agents+=($!)
}

agents=()
stop_all() {
    for process in "${agents[@]}" "${service:-}"; do
        [ -n "$process" ] && kill "$process" 2>/dev/null
    done
    wait 2>/dev/null
    return 0
}
