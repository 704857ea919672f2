"""Removes what the rules of retention no longer keep, in small steps."""
