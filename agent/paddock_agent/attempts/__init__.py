"""Attempts at jobs: offers go into slots, their steps run in work folders, and all about them goes into the spool."""

from .slots import Attempts

__all__ = ["Attempts"]
