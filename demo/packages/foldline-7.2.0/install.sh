#!/bin/sh
# Puts the application below the machine's root. Runs as the system account, without a terminal.
set -e
target="$BANDEJO_ROOT/opt/$BANDEJO_APP"
echo "installing $BANDEJO_APP $BANDEJO_VERSION to $target"
if [ -e "$BANDEJO_ROOT/run/disk-full" ]; then
    echo "cp: error writing 'opt/$BANDEJO_APP': No space left on device" >&2
    exit 112
fi
mkdir -p "$target"
cp -r payload/. "$target/"
chmod 755 "$target/$BANDEJO_APP"
cp foldline.conf "$target/foldline.conf"
echo "$BANDEJO_VERSION" > "$target/VERSION"
echo "done"
