#!/bin/sh
# Serves the demo organisation. Ctrl-C ends all that was started.
set -eu
cd "$(dirname "$0")/.."
home=var/demo

if [ "${FRESH:-}" = 1 ]; then
    scripts/cluster.sh stop $home/cluster 0
    scripts/cluster.sh remove $home/cluster 0
    rm -rf $home
fi
mkdir -p $home
if bin/rosterd ready -address "http://127.0.0.1:$PORT" 2>/dev/null; then
    echo "Something serves on 127.0.0.1:$PORT already. Stop it, or choose another: make demo PORT=7520 BOARD_PORT=7530" >&2
    exit 1
fi

own=
if [ -z "${DATABASE_URL:-}" ]; then
    scripts/setup.sh postgresql
    DATABASE_URL=$(scripts/cluster.sh start $home/cluster "$((PORT + 9))")
    own=1
fi
export DATABASE_URL

pids=
finish() {
    trap '' INT TERM
    [ -z "$pids" ] || kill -TERM $pids 2>/dev/null || true
    for p in $pids; do wait "$p" 2>/dev/null || true; done
    [ -z "$own" ] || scripts/cluster.sh stop $home/cluster 0
    echo "All stopped; the data stay in $home."
}
trap 'exit 0' INT TERM
trap finish EXIT

bin/rosterd load-demo -token-file $home/berth-board-token -log-level warn
bin/mailbox -smtp "127.0.0.1:$((BOARD_PORT + 2))" -listen "127.0.0.1:$((BOARD_PORT + 1))" 2>/dev/null &
pids=$!
cat >$home/identity-providers.json <<EOT
[{"key": "harbour-id", "label": "Harbour ID", "issuer": "http://127.0.0.1:$((BOARD_PORT + 4))", "client_id": "able-roster", "private": true}]
EOT
bin/harbourid -listen "127.0.0.1:$((BOARD_PORT + 4))" -service "http://127.0.0.1:$PORT" 2>/dev/null &
pids="$pids $!"
bin/rosterd serve -listen "127.0.0.1:$PORT" -identity-providers $home/identity-providers.json -log-level warn -second-factor offered -mail-server "smtp://127.0.0.1:$((BOARD_PORT + 2))?tls=none" -mail-from roster@larkhaven.example &
service=$!
pids="$pids $service"
tries=0
until bin/rosterd ready -address "http://127.0.0.1:$PORT" 2>/dev/null; do
    kill -0 $service 2>/dev/null || exit 1
    tries=$((tries + 1))
    [ $tries -lt 300 ] || { echo "The service does not answer." >&2; exit 1; }
    sleep 0.1
done
if [ -f $home/berth-board-token ]; then
    bin/berthboard -listen "127.0.0.1:$BOARD_PORT" -service "http://127.0.0.1:$PORT" -token-file $home/berth-board-token &
    pids="$pids $!"
fi
PERSONNEL_PASSWORD=larkhaven-tide-table bin/personnel -listen "127.0.0.1:$((BOARD_PORT + 3))" -service "http://127.0.0.1:$PORT" -token-file $home/personnel-token -administrator marta.quill 2>/dev/null &
pids="$pids $!"
cat <<EOT

Able Roster serves the Larkhaven Port Authority (made up) at

    http://127.0.0.1:$PORT           the console
    http://127.0.0.1:$BOARD_PORT           the berth board, an application that asks it
    http://127.0.0.1:$((BOARD_PORT + 1))           a mailbox: the mails that were sent
    http://127.0.0.1:$((BOARD_PORT + 3))           a personnel system that keeps people by SCIM
    http://127.0.0.1:$((BOARD_PORT + 4))           an identity provider that people sign in by

Sign in with the password larkhaven-tide-table as

    marta.quill      access administrator: may do everything
    tomas.brandt     team manager: the marine unit is all there is
    b.osei           auditor: reads everything, changes nothing
    ines.halloran    harbour pilot: sees only herself

By command line, in another window:

    bin/roster sign-in -service http://127.0.0.1:$PORT -user marta.quill

Ctrl-C ends everything. README.md has a walk of five minutes.
EOT
ended=0
wait "$service" || ended=$?
echo "The service ended (exit code $ended)." >&2
exit 1
