#!/bin/sh
# Installs Debian packages: setup/debian.sh PACKAGE… Asks the archive for its list only if the list at hand will not do.
set -eu
export DEBIAN_FRONTEND=noninteractive
cd "$(dirname "$0")/.."
# Another part of the set-up may be at it: one after the other.
mkdir -p .make
exec 9>.make/debian.lock
flock 9
echo "Installing $* …"
if ! apt-get install --yes --no-install-recommends "$@" >/dev/null 2>&1; then
    apt-get update >/dev/null
    apt-get install --yes --no-install-recommends "$@" >/dev/null
fi
