"""The server: one process with the API, the agents' link, the dispatcher and the browser's live feed."""

from importlib.metadata import version

__version__ = version("yellow-paddock-server")
