#!/bin/sh
# Installs Debian packages: setup/debian.sh PACKAGE… Asks the archive for its list only if the list at hand will not do.
set -eu
export DEBIAN_FRONTEND=noninteractive
echo "Installing $* …"
if ! apt-get install --yes --no-install-recommends "$@" >/dev/null 2>&1; then
    apt-get update >/dev/null
    apt-get install --yes --no-install-recommends "$@" >/dev/null
fi
