#!/bin/sh
# Gathers what hosts install from the server, into .make/wheels: our agent, what it needs for each system, and pip.
# The versions and hashes are those of requirements/lock.txt.
set -eu
cd "$(dirname "$0")/.."
folder=.make/wheels
rm -rf "$folder.new"
mkdir -p "$folder.new"

.venv/bin/python - >"$folder.new/needed.txt" <<'PYTHON'
import re
blocks = re.findall(r"^((\w+)==.*?)(?=^\S|\Z)", open("requirements/lock.txt").read(), re.MULTILINE | re.DOTALL)
wanted = {"msgspec", "websockets", "psutil", "platformdirs", "pyyaml", "pynacl", "cffi", "pycparser", "pip"}
for block, name in blocks:
    if name in wanted:
        print(re.sub(r"^\s+#.*\n?", "", block, flags=re.MULTILINE).strip().rstrip("\\"))
PYTHON

gather() {
    python=$1
    shift
    .venv/bin/python -m pip download -qq --disable-pip-version-check --no-deps --only-binary=:all: --require-hashes \
        --python-version "$python" "$@" --dest "$folder.new"
}

cat requirements/windows-hosts.txt "$folder.new/needed.txt" >"$folder.new/on-windows.txt"

if cmp -s "$folder/on-windows.txt" "$folder.new/on-windows.txt"; then
    # Only the agent has changed: what was gathered before is kept.
    find "$folder" -name '*.whl' ! -name 'yellow_paddock_agent-*' -exec cp {} "$folder.new" \;
    pythons=
else
    echo "Gathering the agent's packages for Linux, macOS and Windows …"
    pythons="3.11 3.12 3.13"
fi
for python in $pythons; do
    gather "$python" --platform manylinux2014_x86_64 --platform manylinux_2_17_x86_64 --platform manylinux_2_28_x86_64 --requirement "$folder.new/needed.txt"
    gather "$python" --platform manylinux2014_aarch64 --platform manylinux_2_17_aarch64 --platform manylinux_2_28_aarch64 --requirement "$folder.new/needed.txt"
    gather "$python" --platform macosx_11_0_arm64 --platform macosx_10_10_universal2 --requirement "$folder.new/needed.txt"
    gather "$python" --platform macosx_10_9_x86_64 --platform macosx_10_12_x86_64 --platform macosx_10_13_x86_64 --platform macosx_10_10_universal2 --requirement "$folder.new/needed.txt"
    gather "$python" --platform win_amd64 --requirement "$folder.new/on-windows.txt"
done
.venv/bin/python -m pip wheel -qq --disable-pip-version-check --no-deps --no-build-isolation \
    --wheel-dir "$folder.new" ./agent
rm -rf "$folder" agent/build
mv "$folder.new" "$folder"
