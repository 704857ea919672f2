"""Sizes: one table for the core, the agent and the web."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_agent import units as agents
from paddock_core.units import disk_size, memory_size

TABLE = json.loads((Path(__file__).parent / "sizes.json").read_text())


@pytest.mark.parametrize("row", TABLE, ids=lambda row: str(row["bytes"]))
def test_the_core_and_the_agent_write_sizes_as_the_table_does(row):
    size = row["bytes"]
    assert (disk_size(size), memory_size(size)) == (row["disk"], row["memory"])
    assert (agents.disk_size(size), agents.memory_size(size)) == (row["disk"], row["memory"])


@given(st.integers(0, 10**15))
def test_a_written_size_is_within_a_twentieth_of_the_size(size):
    for text, base, units in ((disk_size(size), 1000, "B kB MB GB TB"), (memory_size(size), 1024, "B KiB MiB GiB TiB")):
        number, unit = text.split()
        assert abs(float(number) * base ** units.split().index(unit) - size) <= size / 20 + 0.5
