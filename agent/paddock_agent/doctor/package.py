"""Packs the watch and the doctor into one file that needs nothing but a Python: where the agent's own packages are
broken, they still say so."""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

from ..errors import CommandFailed
from .unit_evidence import UNIT_COPY

ARCHIVE, STARTER, UPGRADER = "watch.pyz", "watch.sh", "upgrade.sh"
MAIN = "from paddock_agent.doctor.__main__ import main\n\nraise SystemExit(main())\n"
RENEW_PATIENCE = 120.0
OWN = (
    "__init__",
    "address",
    "errors",
    "file_pattern",
    "http_client",
    "last_words",
    "limits",
    "machine",
    "power",
    "replacing",
    "units",
    "wake_on_lan",
    "watch",
)
PACKAGES = ("doctor", "services", "system", "preflight", "upgrade")
"""What goes in: modules of the standard library's means alone, as a test proves."""

_STARTER = """\
#!/bin/sh
# Runs the watch or the doctor with the first Python that works. If there is none, this script itself reports that.
here=$(dirname "$0")
why='no Python 3.11 or newer can be started'
for python in @PYTHONS@; do
    "$python" -I -S -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null || continue
    if output=$("$python" -I -S -c 'import json, socket, sqlite3, ssl, subprocess, urllib.request' 2>&1); then
        exec "$python" -I -S "$here/watch.pyz" "$@"
    fi
    case $why in *' is broken: '*) continue ;; esac  # the first is the agent's own
    why="$python is broken: $(printf '%s\\n' "$output" | tail -n 1 | tr -cd '[:alnum:] _.,:/()-' | cut -c 1-200)"
done
echo "The agent's watch and doctor cannot run on this machine: $why." >&2
[ "$1" = watch ] || exit 1
field() { sed -n "s/.*\\"$1\\": *\\"\\([^\\"]*\\)\\".*/\\1/p" "$here/watch.json" | head -n 1; }
service=$(field service)
state=stopped
case $(systemctl is-active "$service" 2>/dev/null) in active) state=running ;; failed) state=failed ;; esac
boots=false
[ "$(systemctl is-enabled "$service" 2>/dev/null)" = enabled ] && boots=true
state=$(printf '{"name":"%s","family":"linux","running":"%s","starts_at_boot":%s}' "$service" "$state" "$boots")
found=$(printf '{"service":"%s","trouble":"%s"}' "$service" "$why")
report=$(printf '{"host":"%s","at":%s,"state":%s,"evidence":%s}' "$(field host)" "$(date +%s)" "$state" "$found")
if command -v curl >/dev/null; then
    exec curl -fsS -m 30 -o /dev/null -H "Authorization: Bearer $(field key)" -H 'Content-Type: application/json' \\
        --data-binary "$report" "$(field server)/agent/v1/watch"
fi
exec wget -q -T 30 -O /dev/null --header "Authorization: Bearer $(field key)" \\
    --header 'Content-Type: application/json' --post-data "$report" "$(field server)/agent/v1/watch"
"""


_UPGRADER = """\
#!/bin/sh
# Carries an upgrade out with the agent's version from before it. If that does not start, the watch's own archive goes
# back.
here=$(dirname "$0")
python=$(cat "$here/upgrader" 2>/dev/null)
if [ -n "$python" ] && "$python" -m paddock_agent --version >/dev/null 2>&1; then
    exec "$python" -m paddock_agent upgrade --carry-out "$here"
fi
exec /bin/sh "$here/watch.sh" go-back --folder "$here"
"""


def install(folder: Path, service: str) -> None:
    """Puts archive, starter and a copy of the service's unit into the watch's folder. Raises CommandFailed."""
    own = f"{sys.base_prefix}/bin/python{sys.version_info.major}.{sys.version_info.minor}"
    unit = Path("/etc/systemd/system", service)
    try:
        (folder / ARCHIVE).write_bytes(archive())
        (folder / STARTER).write_text(starter([own]))
        (folder / UPGRADER).write_text(_UPGRADER)
        if unit.is_file():
            shutil.copyfile(unit, folder / UNIT_COPY)
    except OSError as error:
        raise CommandFailed(f"{folder} could not be filled: {error.strerror}") from None


def renew(folder: Path) -> None:
    """Replaces the watch by that of this version, once that has reported to the server. Raises CommandFailed; then the
    old one stays."""
    fresh = folder / f"new-{ARCHIVE}"
    try:
        fresh.write_bytes(archive())
        done = subprocess.run(
            [sys.executable, "-I", "-S", str(fresh), "watch", "report", "--folder", str(folder)],
            capture_output=True,
            text=True,
            check=False,
            timeout=RENEW_PATIENCE,
        )
        if done.returncode:
            lines = (done.stderr.strip() or done.stdout.strip()).splitlines()
            raise CommandFailed(f"The new watch cannot report: {lines[-1] if lines else 'it ended at once'}")
        with fresh.open("rb") as file:
            os.fsync(file.fileno())
        fresh.replace(folder / ARCHIVE)
    except (OSError, subprocess.TimeoutExpired) as error:
        raise CommandFailed(f"The watch could not be renewed: {error}") from None
    finally:
        fresh.unlink(missing_ok=True)


def archive() -> bytes:
    """The file ``watch.pyz``."""
    package = Path(__file__).parents[1]
    files = [package / f"{name}.py" for name in OWN]
    files += [file for name in PACKAGES for file in sorted((package / name).glob("*.py"))]
    kept = io.BytesIO()
    with zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as packed:
        for file in files:
            if file.exists():
                packed.writestr(f"paddock_agent/{file.relative_to(package).as_posix()}", file.read_bytes())
        packed.writestr("__main__.py", MAIN)
    return kept.getvalue()


def starter(pythons: list[str]) -> str:
    """The script that finds a Python among these, in order, and in the usual places."""
    usual = ["/usr/bin/python3", "/usr/local/bin/python3", "python3"]
    listed = " ".join(f"'{python}'" for python in dict.fromkeys([*pythons, *usual]) if "'" not in python)
    return _STARTER.replace("@PYTHONS@", listed)
