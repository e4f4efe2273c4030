#!/bin/sh
# Measures on this machine, in a cluster of its own.
set -eu
cd "$(dirname "$0")/.."
scripts/setup.sh postgresql
trap 'scripts/cluster.sh stop var/bench/cluster 0' EXIT
trap 'exit 1' INT TERM
DATABASE_URL=$(scripts/cluster.sh start var/bench/cluster "${BENCH_PORT:-7449}")
export DATABASE_URL
go run ./bench "$@"
