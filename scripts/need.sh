#!/usr/bin/env bash
# Says in words which of the programs named are missing or too old: go, node.
set -euo pipefail
cd "$(dirname "$0")/.."
missing=0
newer() { [ "$(printf '%s\n%s\n' "$1" "$2" | sort -V | head -n 1)" = "$1" ]; } # the first is not above the second
say() { echo "$*" >&2; missing=1; }
wanted=$(sed -n 's/^go //p' go.mod)
for name in "$@"; do
  case $name in
    go)
      if ! command -v go >/dev/null; then say "Go $wanted or newer is needed, and there is no “go” on the path: see https://go.dev/doc/install"
      else
        have=$(GOTOOLCHAIN=local go env GOVERSION 2>/dev/null | sed 's/^go//; s/ .*//')
        newer "$wanted" "${have:-0}" || say "Go $wanted or newer is needed, and this is ${have:-older}: see https://go.dev/doc/install"
      fi ;;
    node)
      if ! command -v node >/dev/null; then say "Node.js 20 or newer is needed for the browser tests, and there is no “node” on the path: see https://nodejs.org"
      else
        have=$(node --version | sed 's/^v//')
        newer 20 "$have" || say "Node.js 20 or newer is needed for the browser tests, and this is $have: see https://nodejs.org"
      fi
      command -v npm >/dev/null || say "npm is needed for the browser tests, and there is no “npm” on the path; it comes with Node.js" ;;
  esac
done
exit $missing
