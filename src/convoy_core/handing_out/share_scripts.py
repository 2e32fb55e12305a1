"""The scripts of a share: they fetch what is missing, check it, and place it. The same for every pack, so that no name
that anybody chose is ever read as a command.
"""

SH = r"""#!/bin/sh
# Fetches what this folder lacks, checks every hash, and lays it down. Run it again at any time: what is there stays.
# Needs curl or wget, unzip, and sha256sum or shasum.
set -eu
unset CDPATH
LC_ALL=C.UTF-8
export LC_ALL
here=$(cd -- "$(dirname -- "$0")" && pwd -P)
top=$(dirname -- "$here")
work="$here/work"
tab=$(printf '\t')
trap 'rm -rf -- "$work"' EXIT
mkdir -p -- "$work" "$here/inbox" "$here/archives"

sum() {
    if command -v sha256sum >/dev/null 2>&1; then sha256sum < "$1"; else shasum -a 256 < "$1"; fi | cut -c1-64
}

get() {
    if command -v curl >/dev/null 2>&1; then
        curl --fail --silent --show-error --location --proto '=http,https' --output "$2" -- "$1"
    else
        wget --quiet --output-document="$2" -- "$1"
    fi
}

# What a person brought is known by its hash, whatever it is called.
for one in "$here"/inbox/*.zip; do
    [ -f "$one" ] || continue
    hash=$(sum "$one")
    grep -q "^$hash$tab" "$here/archives.tsv" && cp -- "$one" "$here/archives/$hash.zip"
done

missing=0
while IFS="$tab" read -r hash size address; do
    place="$here/archives/$hash.zip"
    if [ -f "$place" ] && [ "$(sum "$place")" = "$hash" ]; then continue; fi
    rm -f -- "$place"
    if [ "$address" = - ]; then missing=$((missing + 1)); continue; fi
    if get "$address" "$work/archive" && [ "$(sum "$work/archive")" = "$hash" ]; then
        mv -- "$work/archive" "$place"
    else
        echo "Not what was asked for, or not to be had: $address" >&2
        missing=$((missing + 1))
    fi
done < "$here/archives.tsv"

# Each archive is unpacked into a place of its own; only what the table names leaves it, and only with its hash.
last=
wrong=0
while IFS="$tab" read -r hash sum member path; do
    if [ "$hash" != "$last" ]; then
        rm -rf -- "$work/unpacked"
        mkdir -p -- "$work/unpacked"
        last=$hash
        if [ -f "$here/archives/$hash.zip" ]; then
            unzip -q -o "$here/archives/$hash.zip" -d "$work/unpacked" >/dev/null 2>&1 || true
        fi
    fi
    from="$work/unpacked/$member"
    [ -f "$here/archives/$hash.zip" ] || continue
    if [ -L "$from" ] || [ ! -f "$from" ] || [ "$(sum "$from")" != "$sum" ]; then
        echo "Not as the release has it: $path" >&2
        wrong=$((wrong + 1))
        continue
    fi
    mkdir -p -- "$(dirname -- "$top/$path")"
    cp -f -- "$from" "$top/$path"
done < "$here/files.tsv"

if [ "$missing" -gt 0 ]; then echo "$missing archives are missing still: see by-hand.txt" >&2; fi
[ "$missing" -eq 0 ] && [ "$wrong" -eq 0 ] && echo "All of it is here."
"""

POWERSHELL = r"""# Fetches what this folder lacks, checks every hash, and lays it down.
# Run it again at any time: what is there stays.
$ErrorActionPreference = 'Stop'
$ProgressPreference = 'SilentlyContinue'
Add-Type -AssemblyName System.IO.Compression.FileSystem
$here = $PSScriptRoot
$top = Split-Path -LiteralPath $here
$archives = Join-Path $here 'archives'
$inbox = Join-Path $here 'inbox'
New-Item -ItemType Directory -Force -Path $archives, $inbox | Out-Null

function Get-Sum([string]$file) { (Get-FileHash -LiteralPath $file -Algorithm SHA256).Hash.ToLowerInvariant() }
function Read-Table([string]$name, [int]$columns) {
    $file = Join-Path $here $name
    if (-not (Test-Path -LiteralPath $file)) { return }
    foreach ($line in [IO.File]::ReadAllLines($file, [Text.Encoding]::UTF8)) { , $line.Split([char]9, $columns) }
}

# What a person brought is known by its hash, whatever it is called.
$wanted = @{}
foreach ($row in Read-Table 'archives.tsv' 3) { $wanted[$row[0]] = $row[2] }
foreach ($one in Get-ChildItem -LiteralPath $inbox -Filter *.zip) {
    $hash = Get-Sum $one.FullName
    if ($wanted.ContainsKey($hash)) {
        Copy-Item -LiteralPath $one.FullName -Destination (Join-Path $archives "$hash.zip") -Force
    }
}

$missing = 0
foreach ($hash in $wanted.Keys) {
    $place = Join-Path $archives "$hash.zip"
    if ((Test-Path -LiteralPath $place) -and (Get-Sum $place) -eq $hash) { continue }
    if ($wanted[$hash] -eq '-') { $missing++; continue }
    $part = "$place.part"
    try {
        Invoke-WebRequest -UseBasicParsing -Uri $wanted[$hash] -OutFile $part
        if ((Get-Sum $part) -ne $hash) { throw 'it is not what was asked for' }
        Move-Item -LiteralPath $part -Destination $place -Force
    } catch {
        Write-Warning "$($wanted[$hash]): $_"
        $missing++
    }
}

# Only what the table names leaves an archive, and only with its hash.
$wrong = 0
$open = $null
$last = ''
try {
    foreach ($row in Read-Table 'files.tsv' 4) {
        $place = Join-Path $archives "$($row[0]).zip"
        if (-not (Test-Path -LiteralPath $place)) { continue }
        if ($row[0] -ne $last) {
            if ($open) { $open.Dispose() }
            $open = [IO.Compression.ZipFile]::OpenRead($place)
            $last = $row[0]
        }
        $entry = $open.GetEntry($row[2])
        $to = [IO.Path]::GetFullPath((Join-Path $top $row[3]))
        $inside = $to.StartsWith([IO.Path]::GetFullPath($top) + [IO.Path]::DirectorySeparatorChar)
        $part = "$to.part"
        if ($entry -and $inside) {
            [IO.Directory]::CreateDirectory([IO.Path]::GetDirectoryName($to)) | Out-Null
            [IO.Compression.ZipFileExtensions]::ExtractToFile($entry, $part, $true)
        }
        if (-not $entry -or -not $inside -or (Get-Sum $part) -ne $row[1]) {
            if (Test-Path -LiteralPath $part) { Remove-Item -LiteralPath $part }
            Write-Warning "Not as the release has it: $($row[3])"
            $wrong++
            continue
        }
        Move-Item -LiteralPath $part -Destination $to -Force
    }
} finally { if ($open) { $open.Dispose() } }

if ($missing) { Write-Warning "$missing archives are missing still: see by-hand.txt" }
if (-not $missing -and -not $wrong) { 'All of it is here.' }
"""
