#!/usr/bin/env bash
# Installs what is named and missing of Debian's packages: postgresql, chromium, the languages in which
# viewer passes are signed. Asks for root only if something is missing.
set -euo pipefail
missing=()
for package in "$@"; do
  case $package in
    postgresql) compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || missing+=(postgresql) ;;
    chromium) command -v chromium >/dev/null || missing+=(chromium) ;;
    *) [ "$(dpkg-query -W -f '${Status}' "$package" 2>/dev/null)" = 'install ok installed' ] || missing+=("$package") ;;
  esac
done
[ ${#missing[@]} -eq 0 ] && exit 0
sizes=""
for package in "${missing[@]}"; do case $package in postgresql) sizes+=" (PostgreSQL: some 60 MB to fetch)" ;; chromium) sizes+=" (Chromium: some 120 MB to fetch, 400 MB on disk)" ;; esac; done
echo "installing ${missing[*]} from Debian's packages$sizes"
as_root=()
if [ "$(id -u)" -ne 0 ]; then
  command -v sudo >/dev/null || { echo "root is needed for this: run “apt-get install ${missing[*]}” as root, then repeat" >&2; exit 1; }
  as_root=(sudo)
fi
# Debian's package would start a server of its own; ours is all that is wanted.
if [[ " ${missing[*]} " == *" postgresql "* ]]; then
  "${as_root[@]}" mkdir -p /etc/postgresql-common
  [ -e /etc/postgresql-common/createcluster.conf ] || echo 'create_main_cluster = false' | "${as_root[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
fi
"${as_root[@]}" apt-get update -qq
"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
echo "installed ${missing[*]}"
