#!/bin/sh
# Installs Debian packages: setup/debian.sh PACKAGE… Asks the archive for its list only if the list at hand will not do.
set -eu
export DEBIAN_FRONTEND=noninteractive
echo "Installing $* …"
# Another part of the set-up may be at it: then it is waited for.
patience="-o DPkg::Lock::Timeout=600"
# shellcheck disable=SC2086 # two words
if ! apt-get $patience install --yes --no-install-recommends "$@" >/dev/null 2>&1; then
    # shellcheck disable=SC2086
    apt-get $patience update >/dev/null
    # shellcheck disable=SC2086
    apt-get $patience install --yes --no-install-recommends "$@" >/dev/null
fi
