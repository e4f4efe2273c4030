#!/bin/sh
# Linters and all tests, in a cluster of their own. With "screenshots" only the
# pictures of docs/screenshots are taken anew.
set -eu
cd "$(dirname "$0")/.."
scripts/setup.sh console postgresql chromium
scripts/build.sh

if [ "${1:-}" != screenshots ]; then
    echo "gofmt, go vet, staticcheck"
    unformatted=$(gofmt -l $(git ls-files '*.go'))
    [ -z "$unformatted" ] || { echo "not formatted: $unformatted" >&2; exit 1; }
    go vet ./...
    go tool staticcheck ./...
    echo "tsc, eslint"
    (cd console && npm run --silent check && npm run --silent lint)
fi

trap 'scripts/cluster.sh stop var/test/cluster 0' EXIT
trap 'exit 1' INT TERM
ROSTER_TEST_DATABASE_URL=$(scripts/cluster.sh start var/test/cluster "${TEST_PORT:-7439}")
export ROSTER_TEST_DATABASE_URL

if [ "${1:-}" = screenshots ]; then
    mkdir -p docs/screenshots
    ROSTER_SCREENSHOTS=$PWD/docs/screenshots go test -count=1 -run '^TestScreenshots$' -v ./slice
    exit
fi
go test -count=1 -timeout 40m ./...
echo "fuzzing for a few seconds each"
for target in internal/access:FuzzPattern internal/access:FuzzDecodeOperation internal/filter:FuzzParse internal/rosterfile:FuzzRead internal/intake:FuzzFiles; do
    go test -run '^$' -fuzz "^${target#*:}\$" -fuzztime 5s -fuzzminimizetime 10x "./${target%:*}"
done
