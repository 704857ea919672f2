"""The Windows registry, read only."""

from __future__ import annotations

import fnmatch
import sys

from .port import RegistryKey

MAX_KEYS = 200

if sys.platform == "win32":
    import winreg

    _ROOTS = {"HKLM": winreg.HKEY_LOCAL_MACHINE, "HKCU": winreg.HKEY_CURRENT_USER}

    def keys_like(key: str) -> list[RegistryKey]:
        """The keys that match ``key``, in which ``*`` stands for part of a name; those that cannot be read left out."""
        root, _, rest = key.partition("\\")
        if root not in _ROOTS:
            return []
        found = [""]
        for part in rest.split("\\"):
            found = [path for above in found for path in _below(_ROOTS[root], above, part)][:MAX_KEYS]
        return [RegistryKey(f"{root}\\{path}", _values(_ROOTS[root], path)) for path in found]

    def _below(root: int, above: str, part: str) -> list[str]:
        if "*" not in part:
            path = f"{above}\\{part}".lstrip("\\")
            return [path] if _opens(root, path) else []
        names = []
        try:
            with winreg.OpenKey(root, above) as opened:
                for number in range(MAX_KEYS):
                    names.append(winreg.EnumKey(opened, number))
        except OSError:
            pass  # no more keys, or none that may be read
        return [f"{above}\\{name}" for name in names if fnmatch.fnmatch(name.lower(), part.lower())]

    def _opens(root: int, path: str) -> bool:
        try:
            winreg.OpenKey(root, path).Close()
        except OSError:
            return False
        return True

    def _values(root: int, path: str) -> dict[str, str]:
        values: dict[str, str] = {}
        try:
            with winreg.OpenKey(root, path) as opened:
                for number in range(MAX_KEYS):
                    name, value, _ = winreg.EnumValue(opened, number)
                    values[name] = str(value)[:2000]
        except OSError:
            pass
        return values
