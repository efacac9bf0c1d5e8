#!/usr/bin/env bash
# Installs what the tests need and runs all tests: Go with the database, scripts, browser.
# Ends with “N passed, N failed”.
set -uo pipefail
cd "$(dirname "$0")/.."
passed=0 failed=0
export GOFLAGS="${GOFLAGS:-} -pgo=off" # the profile that guides builds for use would only make these take longer
say() { printf '\n== %s\n' "$*"; }
check() { # a name, then a command: one passed or failed
  local name=$1; shift
  say "$name"
  if "$@"; then passed=$((passed + 1)); else failed=$((failed + 1)); echo "FAILED: $name"; fi
}
formatted() { local out; out=$(gofmt -l $(git ls-files '*.go')); [ -z "$out" ] || { echo "not formatted: $out"; return 1; }; }
finish() {
  go run ./localpg/stop .eskadel/test .eskadel/e2e >/dev/null 2>&1
  printf '\n%d passed, %d failed\n' "$passed" "$failed"
  [ "$failed" -eq 0 ]
}

say "installing what is missing"
bash scripts/install.sh postgresql chromium || exit 1
if [ ! e2e/node_modules/.package-lock.json -nt e2e/package-lock.json ]; then echo "installing Node packages"; (cd e2e && PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund --loglevel=error) || exit 1; fi
mkdir -p .eskadel

check "formatting" formatted
check "go vet" go vet ./...
check "staticcheck" go tool staticcheck ./...
check "types of the scripts" e2e/node_modules/.bin/tsc -p web/static/tsconfig.json

say "Go tests, with the database"
go test -json ./... > .eskadel/go-test.json; code=$?
counts=$(go run ./scripts/count .eskadel/go-test.json)
echo "$counts" | head -n -1
read -r p f <<< "$(echo "$counts" | tail -n 1)"
passed=$((passed + p)); failed=$((failed + f))
[ $code -ne 0 ] && [ "$f" -eq 0 ] && { echo "go test failed outside a test"; failed=$((failed + 1)); }

say "browser tests"
go build -o .eskadel/bin/eskadel ./cmd/eskadel
(cd e2e && npx playwright test); code=$?
read -r p f <<< "$(node -e '
  const r = JSON.parse(require("fs").readFileSync(".eskadel/e2e-report.json", "utf8")).stats;
  console.log(r.expected, r.unexpected + r.flaky);' 2>/dev/null || echo "0 1")"
passed=$((passed + p)); failed=$((failed + f))
[ $code -ne 0 ] && [ "$f" -eq 0 ] && failed=$((failed + 1))
finish
