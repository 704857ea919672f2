#!/bin/sh
# Builds the wheels that an administrator installs, into dist/: core, agent, and the server with the web part and the
# packages for hosts inside. The versions that they were tested with are in dist/server.txt.
set -eu
cd "$(dirname "$0")/.."
build=.make/dist
rm -rf "$build"
mkdir -p "$build/wheels"
for part in core agent server; do
    mkdir "$build/$part"
    tar -C "$part" --exclude tests --exclude '*.egg-info' --exclude build --exclude __pycache__ -cf - . | tar -C "$build/$part" -xf -
done
mkdir "$build/server/paddock_server/bundled"
cp -R web/dist "$build/server/paddock_server/bundled/web"
mkdir "$build/server/paddock_server/bundled/wheels"
cp .make/wheels/*.whl "$build/server/paddock_server/bundled/wheels"
.venv/bin/python -m pip wheel -qq --disable-pip-version-check --no-deps --no-build-isolation \
    --wheel-dir "$build/wheels" "$build/core" "$build/agent" "$build/server"
cp requirements/server.txt setup/container.sh "$build/wheels"
rm -rf dist
mv "$build/wheels" dist
rm -rf "$build"
echo "Built, for pip install --require-hashes -r dist/server.txt && pip install --no-deps dist/*.whl:"
ls dist
