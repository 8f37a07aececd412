#!/bin/sh
# Puts other settings in the place of those that are there.
set -e
cp foldline.conf "$BANDEJO_ROOT/opt/$BANDEJO_APP/foldline.conf"
echo "the settings of $BANDEJO_APP are changed"
