"""Chores: an administrator's scripts on chosen hosts, one after the other, each followed by a survey that proves it."""
