#!/usr/bin/env bash
# Fetches the third-party files that are shipped, as published to the npm registry: those
# that the browser gets into web/page/vendor, and the letters of pictures into
# web/drawing/vendor; lists them with versions and licences in a README.md there.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
into() { # folder
  out=$PWD/$1
  rm -rf "$out"; mkdir -p "$out"
  {
    echo "# Third-party files"
    echo
    echo "As published, fetched by \`make vendor\`; change versions in scripts/vendor.sh."
    echo
    echo "| package | version | licence | files |"
    echo "|---|---|---|---|"
  } > "$out/README.md"
}
take() { # package version licence file…
  local name=$1 version=$2 licence=$3; shift 3
  local dir=${name##*/}
  echo "fetching $name $version"
  (cd "$work" && rm -rf package && npm pack --silent "$name@$version" >/dev/null && tar xzf ./*.tgz && rm ./*.tgz)
  mkdir -p "$out/$dir"
  for f in "$@"; do
    cp "$work/package/$f" "$out/$dir/"
    # Maps of sources are not shipped, so nothing points to them.
    sed -i -e '/^\/\/# sourceMappingURL=/d' "$out/$dir/$(basename "$f")" 2>/dev/null || true
  done
  local text
  text=$(find "$work/package" -maxdepth 1 -iname 'licen[cs]e*' | sort -r | head -n 1)
  [ -n "$text" ] && cp "$text" "$out/$dir/LICENSE"
  local listed=""
  for f in "$@"; do listed="$listed $(basename "$f")"; done
  echo "| $name | $version | $licence |$listed |" >> "$out/README.md"
}
into web/page/vendor
take gridstack 14.1.0 MIT dist/gridstack-all.js dist/gridstack.min.css
take htmx.org 2.0.11 0BSD dist/htmx.min.js
take bootstrap 5.3.9 MIT dist/css/bootstrap.min.css
take @fontsource-variable/figtree 5.3.0 OFL-1.1 files/figtree-latin-wght-normal.woff2 files/figtree-latin-ext-wght-normal.woff2
into web/drawing/vendor
take @expo-google-fonts/figtree 0.4.1 OFL-1.1 400Regular/Figtree_400Regular.ttf 600SemiBold/Figtree_600SemiBold.ttf
echo "done; see web/page/vendor/README.md and web/drawing/vendor/README.md"
