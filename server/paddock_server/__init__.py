"""The server: one process with the API, the agents' link, the dispatcher and the browser's live feed."""

__version__ = "0.1.0"
