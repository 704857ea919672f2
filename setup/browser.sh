#!/bin/sh
# Chromium and ChromeDriver for the browser tests, from Debian's packages where they are missing.
set -eu
cd "$(dirname "$0")/.."
if command -v chromium >/dev/null && command -v chromedriver >/dev/null; then
    exit 0
fi
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    exec sh setup/debian.sh chromium chromium-driver
fi
echo "The browser tests need Chromium and ChromeDriver. As root: apt-get install chromium chromium-driver" >&2
exit 1
