"""The server: one process with the API, the agents' link, the dispatcher and the browser's live feed."""

from paddock_agent import __version__ as __version__
