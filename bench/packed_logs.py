"""What packing a log costs and saves: its size, the time to pack it against plain gzip, and the time to read a page of
500 lines anywhere in it against the same log unpacked. Ratios in one run: ``make bench``.
"""

from __future__ import annotations

import gzip
import io
import random
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from paddock_server.runs import packing

LINES = 370_000
PAGE = 500
PAGES = 200


def log_of_a_build() -> bytes:
    """Lines as compilers print them, with numbers that differ."""
    chance = random.Random(20_261_127)
    return b"".join(
        b"[%6d/%d] cc -O2 -c gauge/layer_%d.c -o build/layer_%d.o (%d ms, %08x)\n"
        % (i, LINES, i % 977, i % 977, chance.randrange(4000), chance.getrandbits(32))
        for i in range(LINES)
    )


def seconds(do: Callable[[], object]) -> float:
    began = time.perf_counter()
    do()
    return time.perf_counter() - began


def read_pages(open_file: Callable[[], io.BufferedIOBase], places: list[int]) -> None:
    for place in places:
        with open_file() as log:
            log.seek(place)
            for _ in range(PAGE):
                log.readline()


def main() -> int:
    text = log_of_a_build()
    places = [random.Random(7).randrange(len(text)) for _ in range(PAGES)]
    with tempfile.TemporaryDirectory() as name:
        plain, packed = Path(name) / "log", Path(name) / "log.gz"
        plain.write_bytes(text)

        def pack() -> None:
            with plain.open("rb") as source, packed.open("wb") as target:
                packing.pack(source, target)

        took = seconds(pack)
        by_gzip = seconds(lambda: gzip.compress(text, 6))
        from_plain = seconds(lambda: read_pages(lambda: plain.open("rb"), places))
        from_packed = seconds(lambda: read_pages(lambda: packing.open_packed(packed), places))
        read_whole = seconds(lambda: packing.open_packed(packed).read())
        by_gunzip = seconds(lambda: gzip.decompress(packed.read_bytes()))
        share = packed.stat().st_size / len(text)
    whole = len(gzip.compress(text, 6)) / len(text)
    page = from_packed / PAGES * 1e3
    print(f"a log of {len(text) / 1e6:.0f} MB, {LINES:,} lines")
    print(f"  packed it has {share:.3f} of that; gzip of the whole {whole:.3f}")
    print(f"  to pack it: {took:.2f} s, {took / by_gzip:.2f} times gzip of the whole")
    print(f"  a page of {PAGE} lines: {page:.1f} ms, {from_packed / from_plain:.1f} times the same of the plain file")
    print(f"  the whole: {read_whole * 1e3:.0f} ms, {read_whole / by_gunzip:.2f} times gunzip")
    return 0


if __name__ == "__main__":
    sys.exit(main())
