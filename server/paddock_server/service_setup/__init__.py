"""``paddock setup``: the server as a service of systemd."""
