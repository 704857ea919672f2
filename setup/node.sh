#!/bin/sh
# Installs what the web part is built with, as web/package-lock.json names it.
set -eu
cd "$(dirname "$0")/../web"
if ! command -v npm >/dev/null || ! node -e 'process.exit(Number(process.versions.node.split(".")[0] < 20))'; then
    echo "Node.js 20 or newer with npm is needed to build the web part, and was not found." >&2
    exit 1
fi
echo "Installing what the web part is built with …"
npm ci --loglevel=error
