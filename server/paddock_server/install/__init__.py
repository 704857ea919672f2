"""What a host needs to become one: the bring-up script, and an index of packages (PEP 503, PEP 691) that serves it."""
