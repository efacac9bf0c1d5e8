#!/usr/bin/env bash
# Installs what the tests need and runs all tests: Go with the database, scripts, browser.
# Ends with “N passed, N failed”.
set -uo pipefail
cd "$(dirname "$0")/.."
root=$(pwd -P)
bash scripts/need.sh go node || exit 1
place=$(bash scripts/place.sh)
passed=0 failed=0
export CGO_ENABLED=0
export GOFLAGS="${GOFLAGS:-} -pgo=off -buildvcs=false" # the profile that guides builds for use would only make these take longer
say() { printf '\n== %s\n' "$*"; }
check() { # a name, then a command: one passed or failed
  local name=$1; shift
  say "$name"
  if "$@"; then passed=$((passed + 1)); else failed=$((failed + 1)); echo "FAILED: $name"; fi
}
formatted() {
  local out
  out=$(find . -name '*.go' -not -path './.eskadel/*' -not -path '*/node_modules/*' -exec gofmt -l {} +)
  [ -z "$out" ] || { echo "not formatted: $out"; return 1; }
}
client() { # made from the API's description, and held to what uses it
  mkdir -p "$tests/generated"
  "$tests/node_modules/.bin/openapi-typescript" web/api/openapi.yaml -o "$tests/generated/api.d.ts" && "$tests/node_modules/.bin/tsc" -p "$tests/tsconfig.json"
}
clean() { go run ./localpg/stop -remove test e2e >/dev/null 2>&1; }
# Ctrl+C ends what was started, the database servers too.
trap 'trap - INT TERM; say "stopping"; kill 0 2>/dev/null; sleep 1; clean; exit 130' INT TERM
finish() {
  clean
  printf '\n%d passed, %d failed\n' "$passed" "$failed"
  [ "$failed" -eq 0 ]
}

say "installing what is missing"
bash scripts/install.sh postgresql chromium python3-jwt ruby-jwt php-cli openjdk-17-jdk-headless mono-mcs mono-runtime poppler-utils || exit 1
mkdir -p "$place/bin"
tests=$root/e2e
if [ "$place" != "$root/.eskadel" ]; then # somebody else's folder is not written in
  tests=$place/e2e-tests
  mkdir -p "$tests"
  (cd e2e && cp -- *.ts *.json "$tests/")
fi
if [ ! "$tests/node_modules/.package-lock.json" -nt "$tests/package-lock.json" ]; then
  echo "installing Node packages (30 MB)"
  (cd "$tests" && PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund --loglevel=error) || exit 1
fi

check "formatting" formatted
say "compiling (the first time takes some minutes)"
go build ./... || exit 1
check "go vet" go vet ./...
check "staticcheck (the first time takes some minutes)" go tool staticcheck ./...
check "types of the scripts" "$tests/node_modules/.bin/tsc" -p web/tsconfig.json
export REDOCLY_TELEMETRY=off REDOCLY_SUPPRESS_UPDATE_NOTICE=true
check "the API's description, strictly" "$tests/node_modules/.bin/redocly" lint --extends recommended-strict web/api/openapi.yaml
check "a client generated from it" client

say "Go tests, with the database (about five minutes, in silence)"
go test -json ./... > "$place/go-test.json"; code=$?
counts=$(go run ./scripts/count "$place/go-test.json")
echo "$counts" | head -n -1
read -r p f <<< "$(echo "$counts" | tail -n 1)"
passed=$((passed + p)); failed=$((failed + f))
[ $code -ne 0 ] && [ "$f" -eq 0 ] && { echo "go test failed outside a test"; failed=$((failed + 1)); }

say "browser tests"
go build -o "$place/bin/eskadel" ./cmd/eskadel
export ESKADEL_PLACE=$place ESKADEL_ROOT=$root
read -r ESKADEL_PORT ESKADEL_DESK_PORT ESKADEL_POST_PORT <<< "$(node -e '
  const net = require("net"), free = () => new Promise((done) => { const s = net.createServer().listen(0, "127.0.0.1", () => { const { port } = s.address(); s.close(() => done(port)); }); });
  free().then((a) => free().then((b) => free().then((c) => console.log(a, b, c))));')"
export ESKADEL_PORT ESKADEL_DESK_PORT ESKADEL_POST_PORT
(cd "$tests" && npx playwright test); code=$?
read -r p f <<< "$(node -e '
  const r = JSON.parse(require("fs").readFileSync(process.argv[1], "utf8")).stats;
  console.log(r.expected, r.unexpected + r.flaky);' "$place/e2e-report.json" 2>/dev/null || echo "0 1")"
passed=$((passed + p)); failed=$((failed + f))
[ $code -ne 0 ] && [ "$f" -eq 0 ] && failed=$((failed + 1))
finish
