#!/bin/sh
# Writes the locked versions with hashes; what is locked stays unless it has to move. Needs uv; names no download host.
set -eu
cd "$(dirname "$0")"
for name in app dev build compile node; do
    uv pip compile -q --generate-hashes --no-annotate --no-header --no-emit-index-url --no-emit-find-links \
        --python-version 3.11 -o "$name.txt" "$name.in" "$@"
done
