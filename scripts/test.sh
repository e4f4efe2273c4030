#!/bin/sh
# Linters and all tests, in a cluster of their own. With "check" the fast part of them;
# with "screenshots" only the pictures of docs/screenshots are taken anew, with "reference"
# only the pages of docs/reference; with "faults" those tests alone that break things, by the
# hundred, with "fuzz" minutes of odd inputs are tried.
set -eu
cd "$(dirname "$0")/.."

lint_packages() {
    echo "gofmt, go vet, staticcheck:" "$@"
    unformatted=$(gofmt -l $(git ls-files '*.go'))
    [ -z "$unformatted" ] || { echo "not formatted: $unformatted" >&2; exit 1; }
    go vet "$@"
    go tool staticcheck "$@"
}

lint_console() {
    echo "tsc, eslint, prettier; the OpenAPI document"
    (cd console && npm run --silent check && npm run --silent lint && npm run --silent formatted && npm run --silent document)
}

# The tests' own cluster, for as long as they run.
with_cluster() {
    trap 'scripts/cluster.sh stop var/test/cluster 0' EXIT
    trap 'exit 1' INT TERM
    ROSTER_TEST_DATABASE_URL=$(scripts/cluster.sh start var/test/cluster "${TEST_PORT:-7439}")
    ROSTER_TEST_PROGRAMS=$PWD/bin
    export ROSTER_TEST_DATABASE_URL ROSTER_TEST_PROGRAMS
}

what=${1:-}

# Files that are newer than what was last found to be well; all of them at first.
well=var/check.well
since() { if [ -f "$well" ]; then find "$@" -newer "$well" 2>/dev/null; else ls -d "$@"; fi; }

# The types of the console, and the linters of what has changed of it.
check_console() {
    sources=$(since $(git ls-files --cached --others --exclude-standard console/src) console/src/api/schema.d.ts | sed 's|^console/||')
    [ -n "$sources$(since console/*.json console/*.js console/*.ts)" ] || return 0
    echo "tsc; eslint, prettier:" $sources
    cd console
    npm run --silent check -- --incremental --tsBuildInfoFile ../var/console.types || return
    ours=$(echo "$sources" | grep -v schema.d.ts || true)
    [ -n "$ours" ] || return 0
    node_modules/.bin/eslint --max-warnings 0 --no-warn-ignored $ours && node_modules/.bin/prettier --check --log-level warn $ours
}

# The loop of a day looks at what has changed since it last found all well: the linters and the quick
# tests of those packages, the types of everything, the house, and the console if something of it or of
# the API has changed. The tests of what is built on them are left to the whole.
if [ "$what" = check ]; then
    mkdir -p var
    touch var/check.looking
    scripts/setup.sh console postgresql
    # What the console is built against is made from the API, and newer only if that differs.
    if [ ! -f console/src/api/schema.d.ts ] || [ -n "$(since internal/api/*.go internal/api/*/*.go wire/*.go | head -n 1)" ]; then scripts/build.sh types; fi
    # The house reads every source, and the console is checked, beside the rest.
    go test -short -count=1 -vet=off ./house >var/check.house 2>&1 &
    house=$!
    check_console >var/check.console 2>&1 &
    console=$!
    packages=./...
    if [ -f "$well" ] && [ -z "$(since go.mod go.sum)" ]; then
        packages=$(since $(git ls-files --cached --others --exclude-standard '*.go') | xargs -r -n 1 dirname | sort -u | sed 's|^|./|')
    fi
    if [ -n "$packages" ]; then
        lint_packages $packages
        with_cluster
        tested=$(go list $packages | grep -E '/(client|cmd|internal|signedhead)(/|$)' || true)
        [ -z "$tested" ] || go test -short -vet=off $tested
    fi
    status=0
    wait "$console" || status=$?
    wait "$house" || status=$?
    cat var/check.console var/check.house
    [ "$status" = 0 ] || exit "$status"
    mv var/check.looking "$well"
    exit
fi

scripts/setup.sh console postgresql chromium compiler
scripts/build.sh
mkdir -p var
if [ -z "$what" ]; then
    lint_packages ./...
    lint_console
fi
with_cluster

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
esac
# The race detector sees what happens within one program; the whole runs the real ones.
go test -race -count=1 -timeout 40m ./client ./cmd/... ./demo ./internal/... ./signedhead
go test -count=1 -timeout 60m ./bench ./e2e ./house ./standin/... ./testkit ./wire
fuzz 1
