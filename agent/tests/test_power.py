"""Powering the host down on a signed order, and the packet that wakes another one."""

from __future__ import annotations

import asyncio
import json
import socket
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from nacl.signing import SigningKey

from paddock_agent import power
from paddock_agent.doctor.note import Note
from paddock_agent.errors import CommandFailed
from paddock_agent.system.port import Completed
from paddock_agent.system.real import RealSystem
from paddock_agent.wake_on_lan import hardware_address, magic_packet, send_magic_packet

KEY = SigningKey.generate()
SIGNER = KEY.verify_key.encode().hex()


class Recorded(RealSystem):
    """Notes the commands instead of running them."""

    def __init__(self, answer=None):
        super().__init__()
        self.ran, self.answer = [], answer or Completed(0, "", "")

    async def run(self, command, time_limit, locale="C"):
        self.ran.append(list(command))
        return self.answer


def note(tmp_path, **more):
    (tmp_path / "home" / "running").mkdir(parents=True, exist_ok=True)
    known = Note("http://s", "k", "curlew-04", "paddock-agent.service", home=str(tmp_path / "home"), signer=SIGNER)
    return replace(known, **more)


def ordered(tmp_path, number=7, host="curlew-04", key=KEY, text=None):
    text = text if text is not None else power.order_text(host, number)
    signature = key.sign(power.signed_text(text)).signature.hex()
    (tmp_path / power.ORDER).write_text(json.dumps({"text": text, "signature": signature}))


def carried_out(tmp_path, system=None, **more):
    system = system or Recorded()
    asyncio.run(power.carry_out(system, note(tmp_path, **more), str(tmp_path)))
    return system.ran


def test_a_signed_order_powers_the_host_down_once(tmp_path):
    ordered(tmp_path)
    assert carried_out(tmp_path) == [["systemctl", "poweroff"]]
    with pytest.raises(power.PowerOrderRefused, match="before"):
        carried_out(tmp_path)
    ordered(tmp_path, number=6)
    with pytest.raises(power.PowerOrderRefused, match="before"):
        carried_out(tmp_path)
    ordered(tmp_path, number=8)
    assert carried_out(tmp_path) == [["systemctl", "poweroff"]]


def test_the_watch_begins_an_order_once_however_often_the_server_repeats_it(tmp_path, monkeypatch):
    monkeypatch.setattr(power, "python_in", lambda system, folder: "python")
    monkeypatch.setattr(power, "current_folder", lambda system, prefix: "/opt/agent")
    system, text = Recorded(), power.order_text("curlew-04", 7)
    asyncio.run(power.begin(system, note(tmp_path), str(tmp_path), text, "00"))
    assert len(system.ran) == 1
    (tmp_path / power.LAST_ORDER).write_text("7\n")
    asyncio.run(power.begin(system, note(tmp_path), str(tmp_path), text, "00"))
    assert len(system.ran) == 1
    for other in (power.order_text("curlew-04", 8), "no order"):
        asyncio.run(power.begin(system, note(tmp_path), str(tmp_path), other, "00"))
    assert len(system.ran) == 3, "what cannot be read is for the agent's program to refuse"


@pytest.mark.parametrize(
    ("order", "more", "says"),
    [
        ({"key": SigningKey.generate()}, {}, "not signed"),
        ({"host": "curlew-05"}, {}, "for curlew-05"),
        ({"text": "{}"}, {}, "not signed"),
        ({"text": "[" * 10}, {}, "not signed"),
        ({}, {"signer": ""}, "does not know"),
    ],
)
def test_an_order_that_is_not_for_it_does_nothing(tmp_path, order, more, says):
    ordered(tmp_path, **order)
    system = Recorded()
    with pytest.raises(power.PowerOrderRefused, match=says):
        carried_out(tmp_path, system, **more)
    assert system.ran == []


def test_no_order_and_a_damaged_one_do_nothing(tmp_path):
    for text in (None, "", "no json", '{"text": 5}'):
        if text is not None:
            (tmp_path / power.ORDER).write_text(text)
        with pytest.raises((power.PowerOrderRefused, ValueError)):
            carried_out(tmp_path)


def test_a_job_that_runs_here_keeps_the_host_on_whatever_the_server_believes(tmp_path):
    ordered(tmp_path)
    known = note(tmp_path)
    (tmp_path / "home" / "running" / "12-1.json").write_text("{}")
    with pytest.raises(power.PowerOrderRefused, match="12-1"):
        asyncio.run(power.carry_out(Recorded(), known, str(tmp_path)))


def test_what_the_system_says_is_passed_on(tmp_path):
    ordered(tmp_path)
    with pytest.raises(CommandFailed, match="Access denied"):
        carried_out(tmp_path, Recorded(Completed(1, "", "Access denied")))


@given(st.binary(min_size=6, max_size=6))
def test_the_packet_is_as_the_card_waits_for_it(raw):
    address = raw.hex(":")
    if raw == bytes(6) or raw[0] & 1:
        with pytest.raises(ValueError, match="network card"):
            magic_packet(address)
        return
    packet = magic_packet(address.upper().replace(":", "-"))
    assert len(packet) == 102
    assert (packet[:6], packet[6:]) == (b"\xff" * 6, raw * 16)


@pytest.mark.parametrize("text", ["", "52:54:00:12:34", "52:54:00:12:34:zz", "5254.0012.3456", "x" * 500])
def test_what_is_not_a_hardware_address_is_refused(text):
    with pytest.raises(ValueError, match="hardware address"):
        hardware_address(text)


def test_a_packet_reaches_who_listens_in_its_network():
    ears = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    ears.bind(("", 0))
    ears.settimeout(5)
    with ears:
        send_magic_packet("525400123456", "127.255.255.255", ears.getsockname()[1])
        assert ears.recv(2000) == magic_packet("52:54:00:12:34:56")
    with pytest.raises((OSError, ValueError)):
        send_magic_packet("525400123456", "nowhere")
