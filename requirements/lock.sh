#!/bin/sh
# Writes the locked versions with hashes. Needs pip-tools; names no download host.
set -eu
cd "$(dirname "$0")"
for name in app dev build node; do
    pip-compile -q --generate-hashes --allow-unsafe --no-annotate --no-header --no-emit-options --strip-extras \
        -o "$name.txt" "$name.in"
done
