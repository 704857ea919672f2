"""Logs of ended runs: packed some time after their end, and still read by lines."""

import gzip
import hashlib
import io
import json
from datetime import timedelta

import pytest
from asgiref.sync import async_to_sync, sync_to_async
from django.utils import timezone
from hypothesis import given
from hypothesis import strategies as st
from placing import url
from printing import printed
from streaming import whole

from paddock_agent import wire
from paddock_server.process.state import part
from paddock_server.runs import log_store, loop, packing
from paddock_server.runs.log_lines import Log
from paddock_server.work.models import Attempt, Job

NOW = timezone.now()


@pytest.fixture
def attempt(new_host):
    job = Job.objects.create(name="chart", pipeline="almanac-docs", state="passed", submitted_at=NOW, submitted_by="x")
    return Attempt.objects.create(
        job=job, number=1, host=new_host(), state="passed", offered_at=NOW, ended_at=NOW - timedelta(minutes=11)
    )


@pytest.fixture(autouse=True)
def one_connection(monkeypatch):
    """The database of these tests is gone with its connection, which the loop's way closes."""
    monkeypatch.setattr(loop, "database_sync_to_async", sync_to_async)


def pack():
    return async_to_sync(loop.pack_ended)(NOW)


# ---- packing -------------------------------------------------------------------------------------------------------


@given(st.binary(max_size=400), st.lists(st.tuples(st.integers(0, 500), st.integers(0, 200)), max_size=8))
def test_any_part_of_what_is_packed_is_read_and_gzip_reads_the_whole(tmp_path_factory, text, parts):
    file = tmp_path_factory.mktemp("packed") / "log.gz"
    member, packing.MEMBER = packing.MEMBER, 64
    try:
        with file.open("wb") as packed:
            packing.pack(io.BytesIO(text), packed)
        assert gzip.decompress(file.read_bytes()) == text
        with packing.open_packed(file) as log:
            for start, count in parts:
                log.seek(start)
                assert log.read(count) == text[start : start + count]
            assert log.seek(0, io.SEEK_END) == len(text)
            log.seek(0)
            assert log.readlines() == io.BytesIO(text).readlines()
    finally:
        packing.MEMBER = member


@pytest.mark.parametrize("harm", [lambda whole: whole[:-9], lambda whole: b"x" + whole[1:], lambda whole: whole + b"?"])
def test_a_packed_log_that_is_broken_is_said_to_be(tmp_path, harm):
    file = tmp_path / "log.gz"
    with file.open("wb") as packed:
        packing.pack(io.BytesIO(b"sounding\n" * 100), packed)
    file.write_bytes(harm(file.read_bytes()))
    with pytest.raises(OSError, match=r"log\.gz cannot be read: "):
        packing.open_packed(file)


def test_a_member_whose_check_is_wrong_is_not_shown(tmp_path):
    file = tmp_path / "log.gz"
    with file.open("wb") as packed:
        packing.pack(io.BytesIO(b"sounding\n" * 100), packed)
    whole = bytearray(file.read_bytes())
    whole[-5] ^= 1
    file.write_bytes(whole)
    with packing.open_packed(file) as log, pytest.raises(OSError, match="the check of a member is wrong"):
        log.read()


def test_a_log_reads_the_same_once_it_is_packed(operator, attempt):
    text = b"".join(b"%d \x1b[31mfathoms\x1b[0m\n" % i for i in range(40_000)) + b"no end"
    for start in range(0, len(text), 100_000):
        printed(attempt, text[start : start + 100_000], start, at=NOW.timestamp(), step=start // 300_000)
    parts = ("lines/?first=1", "lines/?first=-3", "lines/?first=20000&count=3", "find/?text=39998", "proof/")
    asked = [url(attempt, rest) for rest in parts]
    before = [operator.get(one).json() for one in asked]
    assert pack() == 1
    assert [one.suffix for one in attempt.log_file.parent.iterdir()] == [".gz", ".gz"]
    assert sum(one.stat().st_size for one in attempt.log_file.parent.iterdir()) < len(text) / 4
    assert [operator.get(one).json() for one in asked] == before
    assert before[1]["lines"][-1]["spans"][0]["text"] == "no end"
    assert hashlib.sha256(text).hexdigest() in json.dumps(before[4])
    assert log_store.read(attempt, len(text) - 6) == b"no end"
    download = operator.get(f"/api/v1/jobs/{attempt.job_id}/log/?attempt=1")
    assert int(download.headers["Content-Length"]) == len(text)
    assert whole(download) == text
    assert pack() == 0


def test_what_runs_or_has_just_ended_is_not_packed_and_what_printed_nothing_is_no_trouble(attempt):
    assert pack() == 1, "it printed nothing"
    Attempt.objects.update(packed_at=None, ended_at=NOW - timedelta(minutes=9))
    printed(attempt, b"up\n")
    assert pack() == 0
    Attempt.objects.update(ended_at=None)
    assert pack() == 0
    assert attempt.log_file.read_bytes() == b"up\n"


def test_a_log_that_grows_once_it_is_packed_goes_on_whole(attempt):
    printed(attempt, b"one\ntw")
    pack()
    part(log_store._Ends).clear()
    late = wire.LogChunk(attempt=attempt.wire_name, offset=4, data=b"two\nthree\n", at=9.0, step=1)
    assert log_store.append(attempt.log_file, [late]) == 8
    assert log_store.read(attempt) == b"one\ntwo\nthree\n"
    log = Log(attempt)
    assert ["".join(span.text for span in line.spans) for line in log.lines(1, 9)] == ["one", "two", "three"]
    assert sorted(one.name for one in attempt.log_file.parent.iterdir()) == [
        f"{attempt.wire_name}.index", f"{attempt.wire_name}.log",
    ]  # fmt: skip


def test_one_log_that_cannot_be_packed_keeps_no_other_from_it(attempt, monkeypatch):
    printed(attempt, b"up\n")

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(packing, "pack", full)
    assert (pack(), pack()) == (1, 0)
    assert log_store.read(attempt) == b"up\n"
