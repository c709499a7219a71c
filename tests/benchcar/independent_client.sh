#!/bin/sh
# Starts brusk-benchcar on a socket of its own and lets the independent client talk to it.
# SPDX-License-Identifier: GPL-3.0-or-later
set -eu
folder=$(mktemp -d)
"$1/brusk-benchcar" --link "unix:$folder/bus" --car heron-fitted &
car=$!
trap 'kill $car 2>/dev/null || true; wait $car 2>/dev/null || true; rm -rf "$folder"' EXIT
for _ in $(seq 100); do
    [ -S "$folder/bus" ] && break
    sleep 0.1
done
python3 "$(dirname "$0")/independent_client.py" "$folder/bus"
