#!/bin/sh
# Linters and all tests, in a cluster of their own. With "check" the fast part of them;
# with "screenshots" only the pictures of docs/screenshots are taken anew, with "reference"
# only the pages of docs/reference; with "faults" those tests alone that break things, by the
# hundred, with "fuzz" minutes of odd inputs are tried.
set -eu
cd "$(dirname "$0")/.."
what=${1:-}
if [ "$what" = check ]; then
    scripts/setup.sh console postgresql
else
    scripts/setup.sh console postgresql chromium compiler
fi
scripts/build.sh
mkdir -p var

if [ -z "$what" ] || [ "$what" = check ]; then
    # For the loop of a day the packages are looked at that changed since all were last found well, and
    # the console when something of it did.
    packages=./...
    if [ "$what" = check ] && [ -f var/packages.well ] && [ -z "$(find go.mod go.sum -newer var/packages.well)" ]; then
        packages=$(find $(git ls-files --cached --others --exclude-standard '*.go') -newer var/packages.well 2>/dev/null | xargs -r -n 1 dirname | sort -u | sed 's|^|./|')
    fi
    if [ -n "$packages" ]; then
        echo "gofmt, go vet, staticcheck:" $packages
        unformatted=$(gofmt -l $(git ls-files '*.go'))
        [ -z "$unformatted" ] || { echo "not formatted: $unformatted" >&2; exit 1; }
        touch var/packages.looking
        go vet $packages
        go tool staticcheck $packages
        mv var/packages.looking var/packages.well
    fi
    well=var/console.well
    if [ "$what" != check ] || [ ! -f "$well" ] || [ -n "$(find console/src console/*.json console/*.js console/*.ts -newer "$well" | head -n 1)" ]; then
        echo "tsc, eslint, prettier; the OpenAPI document"
        (cd console && npm run --silent check && npm run --silent lint && npm run --silent formatted && npm run --silent document)
        touch "$well"
    fi
fi

trap 'scripts/cluster.sh stop var/test/cluster 0' EXIT
trap 'exit 1' INT TERM
ROSTER_TEST_DATABASE_URL=$(scripts/cluster.sh start var/test/cluster "${TEST_PORT:-7439}")
ROSTER_TEST_PROGRAMS=$PWD/bin
export ROSTER_TEST_DATABASE_URL ROSTER_TEST_PROGRAMS

# So many inputs, and not so many seconds: a time that ends while an input is tried is told as a failure.
fuzz() {
    echo "fuzzing $1 times some thousands of inputs"
    for target in internal/patterns:FuzzPattern:100000 internal/operation:FuzzDecodeOperation:20000 internal/filter:FuzzParse:8000 internal/rosterfile:FuzzRead:8000 internal/importfile:FuzzFiles:8000; do
        room=${target%%:*} inputs=${target##*:} name=${target#*:}
        go test -run '^$' -fuzz "^${name%:*}\$" -fuzztime "$((inputs * $1))x" -fuzzminimizetime 10x "./$room"
    done
}

case $what in
fuzz)
    fuzz "${FUZZ:-60}"
    exit
    ;;
screenshots)
    mkdir -p docs/screenshots
    ROSTER_SCREENSHOTS=$PWD/docs/screenshots go test -count=1 -run '^TestScreenshots$' -v ./e2e
    exit
    ;;
faults)
    status=0
    ROSTER_FAULTS=${FAULTS:-100} go test -count=1 -timeout 12h -run '^TestNothingIsLostOrDoubled|^TestRestoresUnder' -v ./e2e >var/faults.log 2>&1 || status=$?
    grep -E '^(---|ok|FAIL)|_test.go:' var/faults.log
    exit $status
    ;;
reference)
    ROSTER_REFERENCE=1 go test -count=1 -run '^(TestTheReferenceIsThatOfThePrograms|TestEveryCallHasAnExample)$' ./e2e
    exit
    ;;
check)
    # What is short in seconds; a test that has not changed is not run again.
    go test -short -vet=off ./client ./cmd/... ./internal/... ./signedhead
    go test -vet=off -run 'TestArrowsPointDownOnly|TestTheCoreHasNoClock|TestRetiredWordsAreGone|TestNamesAreThoseOfTheGlossary|TestLinksOfTheDocs' ./e2e
    exit
    ;;
esac
# The race detector sees what happens within one program; the whole runs the real ones.
go test -race -count=1 -timeout 40m ./client ./cmd/... ./demo ./internal/... ./signedhead
go test -count=1 -timeout 60m ./bench ./e2e ./standin/... ./testkit ./wire
fuzz 1
