"""The texts of the server's service, and what it tells systemd."""

from __future__ import annotations

import asyncio
import socket
from dataclasses import replace
from pathlib import Path

import pytest

from paddock_core.settings_file import read_settings
from paddock_server.process import sd_notify
from paddock_server.process.sd_notify import notify, watchdog_loop, watchdog_seconds
from paddock_server.service_setup.unit import (
    SetupInvalid,
    Wanted,
    checked,
    merged_settings,
    settings_text,
    unit_of,
)
from paddock_server.settings_file import KNOWN

WANTED = Wanted("paddock.saltmarsh.example", Path("/opt/yellow-paddock/bin/paddock"))


def test_the_unit_runs_the_program_as_its_account_and_no_more():
    lines = unit_of(WANTED, Path("/etc/yellow-paddock/paddock.toml")).splitlines()
    assert "ExecStart=/opt/yellow-paddock/bin/paddock serve" in lines
    assert {"User=yellow-paddock", "Type=notify", "ProtectSystem=strict", "CapabilityBoundingSet="} <= set(lines)
    assert "ReadWritePaths=/var/lib/yellow-paddock" in lines
    with_backups = unit_of(WANTED, Path("/e"), "/mnt/backups").splitlines()
    assert "ReadWritePaths=/var/lib/yellow-paddock -/mnt/backups" in with_backups
    assert "ReadWritePaths=/var/lib/yellow-paddock" in unit_of(WANTED, Path("/e"), "/mnt/a b").splitlines()
    low = unit_of(Wanted("x", WANTED.program, port=443), Path("/e")).splitlines()
    assert "CapabilityBoundingSet=CAP_NET_BIND_SERVICE" in low


def test_the_settings_of_a_server_with_tls_or_behind_a_proxy():
    own = replace(WANTED, port=443, certificate=Path("/etc/x.pem"), certificate_key=Path("/etc/x.key"))
    text = settings_text(checked(own))
    assert not read_settings(text, KNOWN).mistakes
    assert 'url = "https://paddock.saltmarsh.example"\n' in text
    assert 'certificate_key = "/etc/x.key"' in text
    assert replace(own, port=8443).url == "https://paddock.saltmarsh.example:8443"
    proxied = replace(WANTED, proxies=("10.0.0.7", "10.1.0.0/24"), public_url="https://builds.example/paddock/")
    read = read_settings(settings_text(checked(proxied)), KNOWN)
    assert not read.mistakes
    assert (read.values["url"], read.values["proxies"]) == ("https://builds.example/paddock", "10.0.0.7,10.1.0.0/24")


@pytest.mark.parametrize(
    ("options", "says"),
    [
        ({"certificate": Path("/etc/x.pem")}, "belong together"),
        ({"certificate": Path("x.pem"), "certificate_key": Path("/etc/x.key")}, "absolute path"),
        ({"proxies": ("10.0.0.1/8",)}, "neither an IP address nor a network"),
        ({"public_url": "builds.example"}, "is not an address"),
        ({"public_url": "https://u:p@builds.example"}, "is not an address"),
        ({"public_url": "https://builds.example/?x"}, "is not an address"),
    ],
)
def test_options_of_tls_that_cannot_be(options, says):
    with pytest.raises(SetupInvalid, match=says):
        checked(replace(WANTED, **options))


@pytest.mark.parametrize(
    "present",
    [
        "",
        '# mine\nsmtp = "smtp://mail"\nhosts = ["old.example"]\n',
        'url = "http://old.example"\n\n\nlease = 60',
    ],
)
def test_settings_made_by_hand_stay_as_they_are(present):
    merged = merged_settings(present, WANTED)
    own = settings_text(WANTED).splitlines()
    assert set(own) <= set(merged.splitlines())
    by_hand = [line for line in present.splitlines() if not line.startswith(("hosts", "url"))]
    assert [line for line in merged.splitlines() if line not in own] == by_hand
    assert merged_settings(merged, WANTED) == merged
    read = read_settings(merged, KNOWN)
    assert (read.mistakes, read.values["hosts"]) == ([], "paddock.saltmarsh.example")


@pytest.mark.parametrize(
    "place", ["/opt/x y/paddock", "/opt/50%/paddock", "paddock", "/home/ada/bin/paddock", "/tmp/p"]
)
def test_a_program_that_the_service_could_not_run(place):
    with pytest.raises(SetupInvalid):
        checked(Wanted("x", Path(place)))


@pytest.mark.parametrize("name", ["", "-x", "x-", "a b", "a/b", "x\n", "http://x", "x:8200"])
def test_names_that_are_none(name):
    with pytest.raises(SetupInvalid, match="is not a host name"):
        checked(Wanted(name, WANTED.program))


@pytest.fixture
def systemd(tmp_path, monkeypatch):
    """What systemd listens at."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as there:
        there.bind(str(tmp_path / "notify"))
        there.settimeout(10)
        monkeypatch.setenv("NOTIFY_SOCKET", str(tmp_path / "notify"))
        yield there


def test_what_is_told_arrives(systemd):
    notify("READY=1")
    assert systemd.recv(100) == b"READY=1"


def test_without_systemd_nothing_is_told(monkeypatch, tmp_path):
    monkeypatch.delenv("NOTIFY_SOCKET", raising=False)
    notify("READY=1")
    monkeypatch.setenv("NOTIFY_SOCKET", str(tmp_path / "gone"))
    notify("READY=1")


@pytest.mark.parametrize(
    ("microseconds", "pid", "seconds"),
    [("60000000", None, 60.0), ("60000000", "1", None), ("", None, None), ("0", None, None), ("soon", None, None)],
)
def test_how_often_systemd_wants_to_hear(monkeypatch, microseconds, pid, seconds):
    monkeypatch.setenv("WATCHDOG_USEC", microseconds)
    monkeypatch.delenv("WATCHDOG_PID", raising=False)
    if pid:
        monkeypatch.setenv("WATCHDOG_PID", pid)
    assert watchdog_seconds() == seconds


@pytest.fixture
def watched(systemd, monkeypatch):
    """A watchdog that wants to hear ten times a second."""
    systemd.setblocking(False)
    monkeypatch.setenv("WATCHDOG_USEC", "200000")
    monkeypatch.delenv("WATCHDOG_PID", raising=False)
    return systemd


@pytest.mark.parametrize("error", [None, OSError("the disk is full")])
async def test_a_server_that_works_or_fails_is_alive(watched, monkeypatch, error):
    async def writer(_):
        if error:
            raise error

    monkeypatch.setattr(sd_notify, "run_in_writer", writer)
    loop = asyncio.create_task(watchdog_loop())
    for _ in range(2):
        assert await asyncio.wait_for(asyncio.get_running_loop().sock_recv(watched, 100), 30) == b"WATCHDOG=1"
    loop.cancel()


async def test_a_server_whose_writer_hangs_falls_silent(watched, monkeypatch, caplog):
    async def writer(_):
        await asyncio.Event().wait()

    monkeypatch.setattr(sd_notify, "run_in_writer", writer)
    loop = asyncio.create_task(watchdog_loop())
    while sum("has not answered" in line.message for line in caplog.records) < 2:
        await asyncio.sleep(0)
    loop.cancel()
    with pytest.raises(BlockingIOError):
        watched.recv(100)
