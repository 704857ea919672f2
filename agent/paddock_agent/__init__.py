"""The agent: the program on every host. It calls out to the server, surveys its host and runs jobs in its slots."""

__version__ = "0.2.0"
