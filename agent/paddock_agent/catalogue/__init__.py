"""The catalogue: how each tool is found on each system, and how its version is read. One file a tool, in ``tools/``.

It is the one definition that agent and server share, as ``wire`` is for the messages.
"""

from .built_in import built_in
from .checking import checked, read_tool
from .definition import Bundle, End, Listing, Places, RegistryPlace, Tool, VersionFile
from .reading import Reading

__all__ = [
    "Bundle",
    "End",
    "Listing",
    "Places",
    "Reading",
    "RegistryPlace",
    "Tool",
    "VersionFile",
    "built_in",
    "checked",
    "read_tool",
]
