#!/bin/sh
# The steps of the Containerfile: as root on Debian, from a folder with the files of dist/.
set -eu
cd "$(dirname "$0")"
home=/opt/yellow-paddock
case "${1:-}" in
packages)
    apt-get update
    apt-get install --yes --no-install-recommends python3 python3-venv ca-certificates git openssh-client
    rm -rf /var/lib/apt/lists/*
    ;;
install)
    python3 -m venv "$home"
    "$home/bin/pip" install --no-cache-dir --require-hashes -r server.txt
    "$home/bin/pip" install --no-cache-dir --no-deps ./*.whl
    ;;
account)
    useradd --system --user-group --no-create-home --home-dir /data --shell /usr/sbin/nologin yellow-paddock
    install -d -m 700 -o yellow-paddock -g yellow-paddock /data
    ;;
*)
    echo "Usage: container.sh packages|install|account" >&2
    exit 2
    ;;
esac
