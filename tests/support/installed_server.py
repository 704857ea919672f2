"""The built server, installed on a throw-away systemd host as docs/deploy.md says, but for pip: the libraries come from
the tests' own environment, which has the same versions."""

from __future__ import annotations

import contextlib
import io
import re
import tarfile
import zipfile
from collections.abc import Iterable, Iterator
from importlib.metadata import distribution
from pathlib import Path

import pytest
from built_wheels import built_wheels
from systemd_host import SystemdHost, booted

ROOT = Path(__file__).parents[2]
HOME = "/opt/yellow-paddock"
DATA = "/var/lib/yellow-paddock"
COMMAND = f"""#!{HOME}/bin/python
import sys
from paddock_server.cli import main
sys.exit(main())
"""


def libraries(wheels: Iterable[Path]) -> bytes:
    """What requirements/server.txt would install, from the tests' own environment, and our wheels, as a tar archive."""
    names = re.findall(r"^([\w.-]+)==", (ROOT / "requirements" / "server.txt").read_text(), re.MULTILINE)
    packed = io.BytesIO()
    with tarfile.open(fileobj=packed, mode="w") as archive:
        for name in names:
            for file in distribution(name).files or []:
                place = Path(str(file.locate()))
                if ".." not in file.parts and place.is_file() and place.suffix != ".pyc":
                    archive.add(place, str(file))
        for wheel in wheels:
            with zipfile.ZipFile(wheel) as inside:
                for member in inside.infolist():
                    info = tarfile.TarInfo(member.filename)
                    info.size, info.mode = member.file_size, 0o644
                    archive.addfile(info, io.BytesIO(inside.read(member)))
    return packed.getvalue()


@contextlib.contextmanager
def installed(name: str, number: int) -> Iterator[SystemdHost]:
    """Such a host, with the programs in HOME and nothing set up."""
    real = booted(name, number)
    try:
        theirs = real.run("/usr/bin/python3 -c 'import sys; print(*sys.version_info[:2])'").stdout.strip()
        if theirs != "3 11":
            pytest.skip(f"the host's own Python is {theirs}; the libraries of the tests are for 3.11")
        wheels = built_wheels()
        made = real.run(f"umask 022 && /usr/bin/python3 -m venv --without-pip {HOME}")
        assert made.returncode == 0, made.stderr
        real.unpack(f"{HOME}/lib/python3.11/site-packages", libraries(wheels))
        real.run(f"cat > {HOME}/bin/paddock <<'END'\n{COMMAND}END\nchmod 755 {HOME}/bin/paddock; chmod -R go+rX {HOME}")
        yield real
    finally:
        real.stop()


def setup(host: SystemdHost, options: str = "") -> tuple[int, str]:
    """Runs setup, for all networks: its exit code, and what it prints."""
    done = host.run(f"{HOME}/bin/paddock setup --name {host.inside} --bind 0.0.0.0 {options}")
    return done.returncode, done.stdout + done.stderr
