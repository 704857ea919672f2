#!/bin/sh
# Makes the virtual environment .venv with what requirements/lock.txt names, and our own packages in it.
set -eu
cd "$(dirname "$0")/.."

python=
for name in "${PYTHON:-}" python3.11 python3.12 python3.13 python3; do
    if [ -n "$name" ] && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        python=$name
        break
    fi
done
if [ -z "$python" ]; then
    echo "Python 3.11 or newer is needed and was not found. On Debian: apt-get install python3 python3-venv" >&2
    exit 1
fi

if ! [ -x .venv/bin/python ]; then
    if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
        # Debian keeps this part of Python in a package of its own.
        package=$("$python" -c 'import sys; print("python%d.%d-venv" % sys.version_info[:2])')
        if [ "$(id -u)" != 0 ] || ! command -v apt-get >/dev/null; then
            echo "$python cannot make virtual environments. Install $package, as root: apt-get install $package" >&2
            exit 1
        fi
        sh setup/debian.sh "$package"
    fi
    echo "Making .venv with $("$python" --version) …"
    "$python" -m venv .venv
fi
echo "Installing Python packages into .venv (a minute or so the first time) …"
.venv/bin/python -m pip install -qq --disable-pip-version-check --require-hashes -r requirements/lock.txt
.venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps --no-build-isolation \
    -e core -e agent -e server -e standins
