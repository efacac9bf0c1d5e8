#!/usr/bin/env bash
# The longer run, after make test has installed what is needed: random tests drawn anew and
# more often, then the suites of pages and the browser at dates where calendars go wrong.
# ROUNDS and CHECKS say how much; it ends with what failed.
set -uo pipefail
cd "$(dirname "$0")/.."
root=$(pwd -P)
place=$(bash scripts/place.sh)
export CGO_ENABLED=0 ESKADEL_PLACE=$place ESKADEL_ROOT=$root
export GOFLAGS="${GOFLAGS:-} -pgo=off -buildvcs=false"
failed=()
say() { printf '\n== %s\n' "$*"; }
trap 'go run ./localpg/stop -remove test e2e >/dev/null 2>&1' EXIT
for round in $(seq "${ROUNDS:-2}"); do
  say "random tests, drawn anew, round $round"
  ESKADEL_RANDOM=1 ESKADEL_CHECKS=${CHECKS:-500} go test -count=1 -timeout 3h ./core/... ./source ./workspace ./live &&
    ESKADEL_RANDOM=1 ESKADEL_CHECKS=${CHECKS:-500} go test -count=1 -timeout 3h -run TestWordsOfEveryDataset ./web || failed+=("random tests, round $round; testdata/rapid has what failed")
done
say "spreadsheets, read by LibreOffice"
bash scripts/install.sh libreoffice-calc && go test -count=1 -tags office ./deliver/sheet || failed+=("spreadsheets, read by LibreOffice")
tests=$root/e2e
[ "$place" = "$root/.eskadel" ] || tests=$place/e2e-tests
go build -o "$place/bin/eskadel" ./cmd/eskadel
# The end of February at night, a leap day, New Year's Eve, and the first second of a minute.
for moment in 2027-02-28T23:59:30Z 2028-02-29T10:20:30Z 2026-12-31T23:59:59Z 2026-11-18T14:23:00Z; do
  say "the pages at $moment"
  ESKADEL_MOMENT=$moment go test -count=1 -timeout 1h ./web/... || failed+=("the pages at $moment")
  say "the browser at $moment"
  (cd "$tests" && ESKADEL_MOMENT=$moment npx playwright test) || failed+=("the browser at $moment")
done
[ ${#failed[@]} -eq 0 ] && { say "all passed"; exit 0; }
printf 'FAILED: %s\n' "${failed[@]}"
exit 1
