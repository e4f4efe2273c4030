#!/bin/sh
# A private PostgreSQL cluster on loopback: scripts/cluster.sh start|stop|remove DIR PORT
#
# The cluster lies in DIR, belongs to an unprivileged user, listens on 127.0.0.1
# alone and wants a password (in DIR/password). A system's own clusters are left
# alone. "start" is idempotent and prints the address to use as DATABASE_URL.
set -eu

action=$1 dir=$2 port=$3

bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1)
[ -n "$bin" ] || bin=$(dirname "$(command -v pg_ctl)")

# Whoever runs PostgreSQL must not be root.
if [ "$(id -u)" = 0 ]; then
    as() { (cd / && runuser -u postgres -- "$@"); }
else
    as() { "$@"; }
fi

case $action in
start)
    mkdir -p "$dir"
    dir=$(cd "$dir" && pwd)
    if [ "$(id -u)" = 0 ]; then
        # Where the way to DIR is closed to the unprivileged user, the data lie
        # in a place that is not, and DIR points there.
        if ! as test -x "$dir"; then
            home=/var/lib/ableroster$(printf %s "$dir" | tr / -)
            mkdir -p "$home"
            rmdir "$dir" && ln -s "$home" "$dir"
        fi
        chown postgres "$dir/." && chmod 700 "$dir/."
    fi
    real=$(readlink -f "$dir")
    if [ ! -f "$real/data/PG_VERSION" ]; then
        head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$real/password"
        [ "$(id -u)" != 0 ] || chown postgres "$real/password"
        chmod 600 "$real/password"
        as "$bin/initdb" -D "$real/data" -U roster --encoding=UTF8 --locale=C.UTF-8 \
            --auth-local=scram-sha-256 --auth-host=scram-sha-256 --pwfile="$real/password" ${CLUSTER_INITDB:-} >"$real.initdb.log" 2>&1 ||
            { cat "$real.initdb.log" >&2; exit 1; }
        rm -f "$real.initdb.log"
        as sh -c "cat >>'$real/data/postgresql.conf'" <<CONF
listen_addresses = '127.0.0.1'
unix_socket_directories = '$real'
max_connections = 120
shared_buffers = 256MB
${CLUSTER_CONF:-}
CONF
    fi
    if ! as "$bin/pg_ctl" -D "$real/data" status >/dev/null 2>&1; then
        as "$bin/pg_ctl" -D "$real/data" -w -t 60 -l "$real/log" -o "-p $port" start >/dev/null ||
            { tail -n 20 "$real/log" >&2; exit 1; }
    fi
    port=$(sed -n 4p "$real/data/postmaster.pid") # the one it runs on
    printf 'postgres://roster:%s@127.0.0.1:%s/postgres?sslmode=disable\n' "$(cat "$real/password")" "$port"
    ;;
stop)
    [ -d "$dir" ] || exit 0
    real=$(readlink -f "$dir")
    [ ! -f "$real/data/postmaster.pid" ] || as "$bin/pg_ctl" -D "$real/data" -m fast -w stop >/dev/null 2>&1 || true
    ;;
remove)
    if [ -L "$dir" ]; then
        rm -rf "$(readlink -f "$dir")"
    fi
    rm -rf "$dir"
    ;;
*)
    echo "usage: $0 start|stop|remove DIR PORT" >&2
    exit 2
    ;;
esac
