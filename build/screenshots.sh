#!/usr/bin/env bash
# Pictures of the console's pages and of the main commands in a terminal window, made from the demo's data, into docs/screenshots.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
needed=()
command -v Xvfb >/dev/null || needed+=(xvfb)
command -v xterm >/dev/null || needed+=(xterm)
command -v import >/dev/null || needed+=(imagemagick)
fc-list 2>/dev/null | grep -q "DejaVu Sans Mono" || needed+=(fonts-dejavu-core)
command -v chromium >/dev/null || needed+=(chromium)
if [ ${#needed[@]} -gt 0 ]; then apt-get update -qq && apt-get install -y -qq "${needed[@]}" >/dev/null; fi

work=$(mktemp -d)
export BANDEJO_DEMO="$work/demo" BANDEJO_DEMO_LISTEN=http://127.0.0.1:7412 DISPLAY=:97
unset NO_COLOR
Xvfb "$DISPLAY" -screen 0 1280x1000x24 >/dev/null 2>&1 &
screen=$!
demo/demo.sh >"$work/out" 2>&1 &
demo=$!
trap 'kill -TERM $demo 2>/dev/null; kill $screen 2>/dev/null; wait 2>/dev/null; rm -rf "$work"' EXIT
for _ in $(seq 1800); do
    grep -q "Ctrl-C" "$work/out" && break
    kill -0 $demo 2>/dev/null || { cat "$work/out" >&2; exit 1; }
    sleep 0.1
done

# shot FILE PERSON COMMAND [SHOWN]: the command as typed, with what it prints.
shot() {
    local file=$1 person=$2 command=$3 shown=${4:-$3}
    rm -f "$work/done"
    cat >"$work/run" <<EOF
export PATH=$PWD/out:\$PATH XDG_CONFIG_HOME=$BANDEJO_DEMO/people/$person BANDEJO_SERVICE=$BANDEJO_DEMO_LISTEN
cd $PWD
printf '\033[1m$ %s\033[0m\n' '${shown//\'/\'\\\'\'}'
$command
printf '\033[?25l'
touch $work/done
sleep 20
EOF
    xterm -fa "DejaVu Sans Mono" -fs 10 -geometry "${columns:-155}x58+0+0" -b 12 -bg '#fffdf8' -fg '#2b2822' +sb -e bash "$work/run" &
    local window=$!
    for _ in $(seq 200); do [ -e "$work/done" ] && break; sleep 0.1; done
    sleep 0.5
    import -window root -crop "$((${columns:-155} * 8 + 22))x998+1+1" +repage "$work/shot.png"
    convert "$work/shot.png" -bordercolor '#fffdf8' -border 1 -trim +repage -bordercolor '#fffdf8' -border 18 -gravity northwest -background '#fffdf8' -extent "$((${columns:-155} * 8 + 40))x" "docs/screenshots/$file.png"
    kill $window
    wait $window 2>/dev/null || true
    echo "docs/screenshots/$file.png"
}

mkdir -p docs/screenshots
shot terminal-demo desk "cat $work/out" "make demo"
columns=80 shot terminal-today desk 'bandejo today'
columns=80 shot terminal-deployment desk 'bandejo deployment show "Nightjar 2.0.0 for the kiosks"'
shot terminal-inspect ines 'bandejo package inspect demo/installers/foldline-7.2.0.msi'
node build/screenshots.mjs "$BANDEJO_DEMO_LISTEN" docs/screenshots
