"""Upgrading the agent of this host, and going back to the version before it.

A unit of its own carries an upgrade out as the system's administrator: the agent's account may not change its own
program, because jobs run under it. The server orders an upgrade through the host's watch, and signs the order. The new
version goes into a folder beside the old one, a pointer (``current``) leads to one of them, and the upgrade counts as
proven when the server says so. Until then the unit, or the watch when the unit dies, points back to the old folder.
"""
