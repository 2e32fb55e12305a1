# The agent's and the core's tests on this machine, without the site. Needs Python 3.11 or newer as "py".
$ErrorActionPreference = "Stop"
Set-Location (Join-Path $PSScriptRoot "..\..")
py -3 -m venv var\systems
$python = "var\systems\Scripts\python.exe"
# Locked versions are those of Unix: what only servers need (gunicorn, uvloop) has no package for Windows.
& $python -m pip install -q -e . pytest pytest-django hypothesis starlette uvicorn
$env:CONVOY_SECRET = "unused"
& $python -m pytest tests\core tests\agent @args
exit $LASTEXITCODE
