#!/usr/bin/env bash
# Installs what packages.txt lists, if anything of it is missing.
set -euo pipefail
cd "$(dirname "$0")/.."
mapfile -t wanted < <(sed 's/#.*//; s/[[:space:]]*$//; /^$/d' "${1:-packages.txt}")
missing=()
for package in "${wanted[@]}"; do
    dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null | grep -qx installed || missing+=("$package")
done
if [ ${#missing[@]} -eq 0 ]; then exit 0; fi
echo "Installing: ${missing[*]}"
root=()
if [ "$(id -u)" -ne 0 ]; then root=(sudo); fi
export DEBIAN_FRONTEND=noninteractive
"${root[@]}" apt-get update -qq
"${root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
