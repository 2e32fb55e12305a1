#!/bin/sh
# As linux.sh. The locked versions hold hashes of macOS' packages, too.
set -eu
exec "$(dirname "$0")/linux.sh" "$@"
