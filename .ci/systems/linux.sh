#!/bin/sh
# The agent's and the core's tests on this machine, without the site. Needs Python 3.11 or newer.
set -eu
cd "$(dirname "$0")/../.."
python3 -m venv var/systems
var/systems/bin/python -m pip install -q --require-hashes -r requirements/dev.txt
var/systems/bin/python -m pip install -q --no-deps --no-build-isolation -e .
CONVOY_SECRET=unused var/systems/bin/python -m pytest tests/core tests/agent "$@"
