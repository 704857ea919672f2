"""Packages of the agent in other versions, made from the one that was gathered: good ones, and bad ones on purpose."""

from __future__ import annotations

import base64
import hashlib
import shutil
import zipfile
from collections.abc import Mapping
from pathlib import Path

WHEELS = Path(__file__).parents[2] / ".make" / "wheels"
RAISE_AT_START = {"paddock_agent/agent.py": 'raise RuntimeError("this version is broken")\n'}


def agent_wheel() -> Path:
    (found,) = WHEELS.glob("yellow_paddock_agent-*.whl")
    return found


def own_version() -> str:
    return agent_wheel().name.split("-")[1]


def make_version(folder: Path, version: str, changes: Mapping[str, str] | None = None, says: str = "") -> Path:
    """Puts the agent's package as ``version`` into ``folder``. ``changes`` are texts that go at the end of modules,
    ``says`` the version that its program names, if that is another."""
    old, own = agent_wheel(), own_version()
    made = folder / f"yellow_paddock_agent-{version}-py3-none-any.whl"
    info, fresh_info = f"yellow_paddock_agent-{own}.dist-info", f"yellow_paddock_agent-{version}.dist-info"
    record: list[str] = []
    part = folder / f"{made.name}.part"
    with zipfile.ZipFile(old) as source, zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as target:
        for name in source.namelist():
            data = source.read(name)
            if name == "paddock_agent/__init__.py":
                data = data.replace(f'"{own}"'.encode(), f'"{says or version}"'.encode())
            elif name == f"{info}/METADATA":
                data = data.replace(f"Version: {own}".encode(), f"Version: {version}".encode(), 1)
            elif name == f"{info}/RECORD":
                continue
            data += (changes or {}).get(name, "").encode()
            place = name.replace(info, fresh_info)
            target.writestr(place, data)
            digest = base64.urlsafe_b64encode(hashlib.sha256(data).digest()).rstrip(b"=").decode()
            record.append(f"{place},sha256={digest},{len(data)}")
        target.writestr(f"{fresh_info}/RECORD", "\n".join([*record, f"{fresh_info}/RECORD,,"]) + "\n")
    part.rename(made)
    return made


def wheels_of(folder: Path) -> Path:
    """A folder with everything that hosts install, to which versions can be added."""
    folder.mkdir(parents=True, exist_ok=True)
    for file in WHEELS.glob("*.whl"):
        shutil.copy(file, folder / file.name)
    return folder
