"""Removes expired records in small steps."""
