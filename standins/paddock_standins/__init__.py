"""Hosts that cannot be here: the real agent over a simulated system, against the real server."""
