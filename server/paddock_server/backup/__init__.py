"""Backups of a living server, and their restoring."""
