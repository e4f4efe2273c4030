#!/bin/sh
# Installs what is missing: scripts/setup.sh [console] [postgresql] [chromium] [compiler]
set -eu
cd "$(dirname "$0")/.."

packages=
for what in "$@"; do
    case $what in
    postgresql)
        if ! ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 && ! command -v initdb >/dev/null; then
            # Debian's package would make a cluster of its own; that is not wanted,
            # unless the machine has PostgreSQL in some form already.
            if [ "$(id -u)" = 0 ] && [ ! -e /etc/postgresql-common ]; then
                mkdir -p /etc/postgresql-common/createcluster.d
                echo 'create_main_cluster = false' >/etc/postgresql-common/createcluster.d/no-main.conf
            fi
            packages="$packages postgresql"
        fi
        ;;
    chromium)
        [ -x /usr/lib/chromium/chromium ] || packages="$packages chromium fonts-dejavu-core"
        ;;
    compiler) # the race detector needs one for C
        command -v gcc >/dev/null && [ -e /usr/include/stdlib.h ] || packages="$packages gcc libc6-dev"
        ;;
    console)
        # npm ci only when what is wanted has changed since the last time.
        if ! cmp -s console/package-lock.json console/node_modules/.installed 2>/dev/null; then
            echo "Installing what the console is built with …"
            (cd console && npm ci --strict-peer-deps --no-audit --no-fund --loglevel=error)
            cp console/package-lock.json console/node_modules/.installed
        fi
        ;;
    esac
done

if [ -n "$packages" ]; then
    if [ "$(id -u)" != 0 ]; then
        echo "Missing:$packages. Install them (apt-get install$packages) or run this as root." >&2
        exit 1
    fi
    echo "Installing$packages …"
    export DEBIAN_FRONTEND=noninteractive
    for try in 1 2 3; do
        if apt-get -qq -o DPkg::Lock::Timeout=300 update &&
            apt-get -qq -o DPkg::Lock::Timeout=300 install -y --no-install-recommends $packages >/dev/null; then
            break
        fi
        [ "$try" != 3 ] || { echo "apt-get could not install$packages" >&2; exit 1; }
        sleep 5
    done
fi
