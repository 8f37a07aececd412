#!/bin/sh
set -e
echo "removing $BANDEJO_APP $BANDEJO_VERSION"
rm -rf "$BANDEJO_ROOT/opt/$BANDEJO_APP"
