"""The commands of ``paddock`` for people at a terminal: they talk to a server over its API, from anywhere."""
