#!/bin/sh
# Builds the console, whose types come from the service's own OpenAPI document,
# as the reads of the Go client do, and then the programs with the console in them.
# With "types" those types alone.
set -eu
cd "$(dirname "$0")/.."
mkdir -p bin console/dist
touch console/dist/.gitkeep

go build -o bin/rosterd ./cmd/rosterd
bin/rosterd operations >wire/operations.json.new
if cmp -s wire/operations.json.new wire/operations.json; then rm wire/operations.json.new; else mv wire/operations.json.new wire/operations.json; fi
bin/rosterd openapi >console/openapi.json.new
if ! cmp -s console/openapi.json.new console/openapi.json || [ ! -f console/src/api/schema.d.ts ]; then
    mv console/openapi.json.new console/openapi.json
    (cd console && npm run --silent types >/dev/null) || { rm -f console/openapi.json; exit 1; }
fi
rm -f console/openapi.json.new
go run client/generate.go console/openapi.json client/reads.go
[ "${1:-}" != types ] || exit 0

# The console, and the file of its words, again only when something of it is newer than what was built.
if [ ! -f console/dist/index.html ] ||
    [ -n "$(find console/src console/public console/index.html console/words console/words.ts console/lingui.config.js console/vite.config.ts console/package-lock.json -newer console/dist/index.html | head -n 1)" ]; then
    (cd console && npm run --silent words >/dev/null && npm run --silent build -- --logLevel warn)
    touch console/dist/.gitkeep console/dist/index.html
fi
go build -o bin/ ./cmd/rosterd ./cmd/roster ./standin/berthboard ./standin/mailbox ./standin/personnel ./standin/harbourid
