"""Upgrades without a host: orders that are refused, folders and files that others may have tampered with, and where an
upgrade goes on after it was cut off."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import pytest
from nacl.signing import SigningKey

from paddock_agent.doctor.note import FILE as NOTE
from paddock_agent.doctor.note import Note, note_text
from paddock_agent.errors import CommandFailed, Unreachable
from paddock_agent.services import ServiceState
from paddock_agent.system.real import RealSystem
from paddock_agent.upgrade import carry_out, for_watch, going_back
from paddock_agent.upgrade.folders import current_folder, installed_folders, remove_others
from paddock_agent.upgrade.order import (
    Order,
    OrderRefused,
    Package,
    from_answer,
    order_text,
    read_order,
    requirements,
    signed_order_text,
)
from paddock_agent.upgrade.progress import Progress, UpgradeStep, read_progress, save_progress

SHA = "a" * 64
KEY = SigningKey(b"k" * 32)
SIGNER = bytes(KEY.verify_key).hex()
ORDER = Order(
    7, "knot-01", "0.3.0", ("agent.whl", SHA), ("pip.whl", SHA), (Package("msgspec", "0.22.0", (SHA, "b" * 64)),), 60, 5
)
needs_root = pytest.mark.skipif(os.geteuid() != 0, reason="becomes another account")


def answer(order=ORDER, key=KEY, text=""):
    text = text or order_text(order)
    return {"order": text, "signature": key.sign(signed_order_text(text)).signature.hex()}


# ---- orders --------------------------------------------------------------------------------------------------------


def test_an_order_survives_its_way_and_pip_gets_every_hash():
    assert from_answer(answer(), SIGNER, "KNOT-01", 7) == ORDER
    assert requirements(ORDER) == f"msgspec==0.22.0 --hash=sha256:{SHA} --hash=sha256:{'b' * 64}\n"


@pytest.mark.parametrize(
    ("given", "says"),
    [
        (answer(key=SigningKey(b"x" * 32)), "not signed by the server"),
        ({**answer(), "signature": ""}, "not signed by the server"),
        ({**answer(), "signature": 5}, "not signed by the server"),
        ({**answer(), "order": order_text(replace(ORDER, version="0.4.0"))}, "not signed by the server"),
        ({}, "sent no order"),
        (answer(replace(ORDER, host="knot-02")), "is for knot-02"),
        (answer(replace(ORDER, number=8)), "order 8 instead of 7"),
    ],
)
def test_an_order_of_another_server_host_or_number_is_refused(given, says):
    with pytest.raises(OrderRefused, match=says):
        from_answer(given, SIGNER, "knot-01", 7)


def test_a_watch_that_knows_no_server_takes_no_order():
    with pytest.raises(OrderRefused, match="paddock-agent watch install"):
        from_answer(answer(), "", "knot-01", 7)


@pytest.mark.parametrize(
    "change",
    [
        {"version": "../../etc"}, {"version": ""}, {"version": "1.0; rm -rf /"}, {"wheel": ["../agent.whl", SHA]},
        {"wheel": ["agent.whl", "abc"]}, {"pip": ["pip.exe", SHA]}, {"pip": None}, {"packages": []},
        {"packages": [["msgspec", "0.22.0", []]]}, {"packages": [["--index-url", "1", [SHA]]]},
        {"packages": [["msgspec", "0.22.0 --pre", [SHA]]]}, {"packages": [["msgspec", "1", [SHA + "\n--pre"]]]},
        {"packages": [["p", "1", [SHA]]] * 101}, {"packages": [["p", "1", [SHA] * 201]]}, {"packages": "all"},
        {"drain_limit": 0}, {"drain_limit": "nan"}, {"proof_limit": 1e12}, {"number": "one"}, {"number": None},
    ],
)  # fmt: skip
def test_fields_of_an_order_that_cannot_be_are_refused(change):
    text = json.dumps({**json.loads(order_text(ORDER)), **change})
    with pytest.raises(OrderRefused):
        read_order(text)


@pytest.mark.parametrize("text", ["", "null", "[]", "{}", "\x00", '{"number": 1}', "[" * 5000])
def test_what_is_not_an_order_is_refused(text):
    with pytest.raises(OrderRefused):
        read_order(text)


# ---- files in a folder that jobs can change ------------------------------------------------------------------------


def test_a_link_a_pipe_and_a_file_of_another_account_are_not_read(tmp_path):
    system, mine = RealSystem(), tmp_path / "mine"
    account = system.account()
    mine.write_text("the key")
    assert system.read_text_of(str(mine), account) == "the key"
    (tmp_path / "link").symlink_to(mine)
    os.mkfifo(tmp_path / "pipe")
    for name in ("link", "pipe", "nothing", "."):
        assert system.read_text_of(str(tmp_path / name), account) is None
    assert system.read_text_of(str(mine), "no-such-account") is None


@needs_root
def test_a_file_of_root_is_not_the_agents(tmp_path):
    file = tmp_path / "file"
    file.write_text("x")
    assert RealSystem().read_text_of(str(file), "daemon") is None
    os.chown(file, 1, 1)
    assert RealSystem().read_text_of(str(file), "daemon") == "x"


def test_what_is_written_there_follows_no_link(tmp_path):
    system, outside = RealSystem(), tmp_path / "outside"
    outside.write_text("whole")
    key = tmp_path / "identity.json"
    (tmp_path / "identity.json.new").symlink_to(outside)
    key.symlink_to(outside)
    system.write_private_for(str(key), "the key", system.account())
    assert (key.read_text(), key.is_symlink(), key.stat().st_mode & 0o777) == ("the key", False, 0o600)
    (tmp_path / "reserve").symlink_to(outside)
    with pytest.raises(CommandFailed):
        system.reserve(str(tmp_path / "reserve"), 4096)
    assert outside.read_text() == "whole"


def test_a_folder_that_is_not_there_is_removed_without_touching_the_one_above(tmp_path):
    tmp_path.chmod(0o755)
    RealSystem().remove_folder(str(tmp_path / "agent-0.3.0"))
    assert tmp_path.stat().st_mode & 0o777 == 0o755


# ---- folders -------------------------------------------------------------------------------------------------------


def installed(prefix, version):
    folder = prefix / f"agent-{version}"
    (folder / "bin").mkdir(parents=True)
    (folder / "bin" / "python").symlink_to("/bin/sh")
    return folder


def test_the_pointer_leads_to_one_or_the_other_and_what_was_half_made_does_not_matter(tmp_path):
    system = RealSystem()
    old, new = installed(tmp_path, "0.2.0"), installed(tmp_path, "0.3.0")
    with pytest.raises(CommandFailed, match="leads to no installed agent"):
        current_folder(system, str(tmp_path))
    pointer = tmp_path / "current"
    for folder in (old, new, old):
        (tmp_path / "current.new").symlink_to("/nowhere")
        system.point(str(pointer), str(folder))
        assert current_folder(system, str(tmp_path)) == str(folder)
        assert not (tmp_path / "current.new").is_symlink()
    with pytest.raises(CommandFailed):
        system.point(str(tmp_path / "no" / "current"), str(new))


def test_two_folders_stay(tmp_path):
    system = RealSystem()
    folders = [str(installed(tmp_path, f"0.{number}.0")) for number in range(4)]
    (tmp_path / "notes").mkdir()
    assert remove_others(system, str(tmp_path), set(folders[2:])) == folders[:2]
    assert installed_folders(system, str(tmp_path)) == folders[2:]
    assert (tmp_path / "notes").is_dir()


@pytest.mark.parametrize("text", ["", "null", "[]", '{"order": 1, "step": "half way"}', '{"step": "asked"}', "\x00"])
def test_a_spoilt_file_of_the_progress_counts_as_none(tmp_path, text):
    (tmp_path / "upgrade.json").write_text(text)
    assert read_progress(RealSystem(), str(tmp_path)) is None


class PowerCut(BaseException):
    """Nothing after it runs."""


# ---- carrying it out -----------------------------------------------------------------------------------------------


class Manager:
    """A service manager of the test's own."""

    def __init__(self):
        self.state_now = ServiceState("paddock-agent-x.service", "linux", "running")
        self.restarted = 0
        self.started: list[str] = []
        self.stopped: list[str] = []
        self.refuses = False
        self.works = False

    async def state(self, name):
        return self.state_now

    async def restart(self, name):
        self.restarted += 1
        if self.refuses:
            raise CommandFailed("the manager refuses")

    async def is_at_work(self, name):
        return self.works

    async def start_on_demand(self, name):
        self.started.append(name)

    async def stop_on_demand(self, name):
        self.stopped.append(name)


@pytest.fixture
def here(tmp_path, monkeypatch):
    """A host with an old version, and a new one that an order would install."""

    class Here:
        system = RealSystem()
        manager = Manager()
        folder, prefix, home = tmp_path / "watch", tmp_path / "opt", tmp_path / "home"
        answers: list[object] = []
        reported: list[str] = []

        def tell(self, note, progress):
            self.reported.append(progress.step.value)
            given = self.answers.pop(0) if self.answers else {}
            if isinstance(given, BaseException):
                raise given
            return given

        async def carry_out(self):
            async def no_wait(home, say):
                return None

            return await carry_out.Upgrade(self.system, str(self.folder), self.tell, no_wait).carry_out()

        def runs(self):
            return Path(current_folder(self.system, str(self.prefix))).name

    one = Here()
    one.answers, one.reported, one.manager = [], [], Manager()
    for folder in (one.folder, one.prefix, one.home):
        folder.mkdir()
    one.old, one.new = installed(one.prefix, "0.2.0"), one.prefix / "agent-0.3.0"
    one.system.point(str(one.prefix / "current"), str(one.old))
    (one.home / "identity.json").write_text('{"key": "paddock-key-x"}')
    note = Note(
        "http://paddock", "watch-key", "knot-01", "paddock-agent-x.service", str(one.home),
        account=one.system.account(), prefix=str(one.prefix), signer=SIGNER,
    )  # fmt: skip
    (one.folder / NOTE).write_text(note_text(note))
    one.note = note

    async def install(system, note, folder, order, manager):
        if not one.new.exists():
            installed(one.prefix, order.version)
        return str(one.new)

    monkeypatch.setattr(carry_out, "install", install)
    for module in (carry_out, for_watch):
        monkeypatch.setattr(module, "manager_of", lambda system: one.manager)
    monkeypatch.setattr(carry_out, "POLL_SECONDS", 0.0)
    monkeypatch.setattr(carry_out, "RETRY_SECONDS", 0.0)
    save_progress(one.system, str(one.folder), Progress(7))
    return one


PROVEN = {"proven": True}


async def test_from_the_order_to_the_proof(here):
    here.answers = [Unreachable("away"), answer(), {}, {}, {}, Unreachable("away"), {}, PROVEN]
    found = await here.carry_out()
    assert (found.step, here.runs(), here.manager.restarted) == (UpgradeStep.PROVEN, "agent-0.3.0", 1)
    assert here.reported[:3] == ["asked", "asked", "installing"]
    assert here.reported[-1] == "proven"
    assert not (here.home / "upgrade-reserve").exists()
    assert await here.carry_out() == read_progress(here.system, str(here.folder)), "it is over"


@pytest.mark.parametrize("at", [0, 1, 2, 3])
async def test_stopped_before_the_switch_it_keeps_its_version_without_blame(here, at):
    here.answers = [answer(), {}, {}, {}]
    here.answers[at] = {"stop": True}
    found = await here.carry_out()
    assert (found.step, here.runs(), here.manager.restarted) == (UpgradeStep.LEFT_OUT, "agent-0.2.0", 0)
    assert not here.new.exists()


async def test_cut_off_before_the_switch_it_begins_again_a_few_times(here):
    for _ in range(carry_out.MAX_STARTS):
        here.answers = [answer(), PowerCut()]
        with pytest.raises(PowerCut):
            await here.carry_out()
        assert here.runs() == "agent-0.2.0"
    found = await here.carry_out()
    assert (found.step, "cut off 5 times" in found.why) == (UpgradeStep.KEPT, True)


@pytest.mark.parametrize(
    ("state", "says"),
    [
        ({"running": "failed"}, "does not start"),
        ({"running": "missing"}, "does not exist"),
        ({"running": "stopped"}, "stopped"),
        ({"running": "running", "restarts": 1}, "started it again"),
        ({"running": "trying again", "restarts": 3}, "does not start"),
    ],
)
async def test_a_service_that_does_not_stay_up_goes_back(here, state, says):
    here.answers = [answer()]
    here.manager.state_now = replace(here.manager.state_now, **state)
    found = await here.carry_out()
    assert (found.step, here.runs(), here.manager.restarted) == (UpgradeStep.WENT_BACK, "agent-0.2.0", 2)
    assert says in found.why
    assert not here.new.exists(), "a version that did not stay goes"


async def test_what_the_server_says_counts_and_its_limit_runs_only_while_it_answers(here, monkeypatch):
    here.answers = [answer(), {}, {}, {}, {"go_back": "Its proof, job 5, failed."}]
    assert (await here.carry_out()).why == "Its proof, job 5, failed."
    save_progress(here.system, str(here.folder), Progress(7))
    monkeypatch.setattr(carry_out, "MAX_UNREACHABLE_SECONDS", -1.0)
    here.answers = [answer(), {}, {}, {}, Unreachable("away")]
    assert (await here.carry_out()).why == "The server did not answer for an hour."


async def test_a_pointer_that_cannot_be_set_leaves_the_old_version(here, monkeypatch):
    def refuse(link, target):
        raise CommandFailed("Read-only file system")

    monkeypatch.setattr(here.system, "point", refuse)
    here.answers = [answer()]
    found = await here.carry_out()
    assert (found.step, found.why, here.runs()) == (UpgradeStep.WENT_BACK, "Read-only file system", "agent-0.2.0")


def test_a_host_without_a_pointer_or_a_key_cannot_upgrade(here):
    assert for_watch.can_upgrade(here.system, here.note)
    assert not for_watch.can_upgrade(here.system, replace(here.note, signer=""))
    (here.prefix / "current").unlink()
    assert not for_watch.can_upgrade(here.system, here.note)


async def test_going_back_restores_a_lost_key_and_counts_even_if_the_manager_refuses(here):
    here.answers = [answer(), {}, {}, {}]

    def lose(note, progress):
        if progress.step is UpgradeStep.SWITCHED:
            (here.home / "identity.json").write_text("gone")
            here.manager.refuses = True
            return {"go_back": "It lost its key."}
        return here.answers.pop(0) if here.answers else {}

    here.tell = lose
    found = await here.carry_out()
    assert json.loads((here.home / "identity.json").read_text())["key"] == "paddock-key-x"
    assert (found.step, here.runs()) == (UpgradeStep.WENT_BACK, "agent-0.2.0")
    assert "was not started: the manager refuses" in found.why


async def test_a_home_whose_key_is_a_link_is_not_upgraded(here):
    secret = here.prefix / "secret"
    secret.write_text('{"key": "of another agent"}')
    (here.home / "identity.json").unlink()
    (here.home / "identity.json").symlink_to(secret)
    here.answers = [answer()]
    found = await here.carry_out()
    assert (found.step, "cannot be read" in found.why) == (UpgradeStep.KEPT, True)
    assert not (here.folder / going_back.SAVED_KEY).exists()


# ---- the watch's part ----------------------------------------------------------------------------------------------


def switched(here, **more):
    installed(here.prefix, "0.3.0")
    here.system.point(str(here.prefix / "current"), str(here.new))
    progress = Progress(
        7,
        UpgradeStep.SWITCHED,
        str(here.old),
        str(here.new),
        "0.3.0",
        limit=60,
        overdue_at=here.system.clock() + 60,
        **more,
    )
    return save_progress(here.system, str(here.folder), progress)


async def test_the_watch_begins_an_order_once_and_none_beside_another(here):
    (here.folder / "upgrade.json").unlink()
    for _ in range(2):
        await for_watch.begin(here.system, here.note, str(here.folder), 7)
    await for_watch.begin(here.system, here.note, str(here.folder), 8)
    assert here.manager.started == ["paddock-upgrade-x"]
    assert (here.folder / for_watch.UPGRADER).read_text() == f"{here.old}/bin/python\n"
    assert read_progress(here.system, str(here.folder)).order == 7


async def test_the_watch_starts_a_dead_unit_again_and_then_trusts_it_no_more(here):
    switched(here)
    (here.folder / for_watch.UPGRADER).write_text("x")
    for number in range(1, for_watch.MAX_STARTS_AFTER_SWITCH + 2):
        await for_watch.go_on(here.system, here.note, str(here.folder))
        assert len(here.manager.started) == number
    assert not (here.folder / for_watch.UPGRADER).exists()
    here.manager.works = True
    await for_watch.go_on(here.system, here.note, str(here.folder))
    assert here.manager.stopped == [], "one that works is left alone"


async def test_a_unit_that_hangs_is_ended_when_it_is_overdue(here):
    switched(here)
    (here.folder / for_watch.UPGRADER).write_text("x")
    progress = read_progress(here.system, str(here.folder))
    save_progress(here.system, str(here.folder), replace(progress, overdue_at=1.0))
    here.manager.works = True
    await for_watch.go_on(here.system, here.note, str(here.folder))
    assert (here.manager.stopped, here.manager.started) == (["paddock-upgrade-x"], ["paddock-upgrade-x"])
    assert not (here.folder / for_watch.UPGRADER).exists()


async def test_a_host_that_was_off_for_days_goes_on_where_it_was(here):
    progress = switched(here)
    (here.folder / for_watch.UPGRADER).write_text("x")
    save_progress(here.system, str(here.folder), replace(progress, overdue_at=1.0))
    await for_watch.go_on(here.system, here.note, str(here.folder))
    assert (here.manager.started, (here.folder / for_watch.UPGRADER).exists()) == (["paddock-upgrade-x"], True)
    here.answers = [{}, PROVEN]
    assert (await here.carry_out()).step is UpgradeStep.PROVEN


async def test_cut_off_between_the_decision_and_the_pointer_it_switches_once_more(here):
    switched(here)
    here.system.point(str(here.prefix / "current"), str(here.old))
    here.answers = [{}, PROVEN]
    found = await here.carry_out()
    assert (found.step, here.runs(), here.manager.restarted) == (UpgradeStep.PROVEN, "agent-0.3.0", 1)


async def test_without_the_unit_it_goes_back_or_keeps_the_version(here, monkeypatch):
    monkeypatch.setattr(for_watch.reporting, "tell", here.tell)
    ended = await for_watch.carry_on_without(here.system, here.note, str(here.folder))
    assert (ended.step, here.reported) == (UpgradeStep.KEPT, ["kept"])
    switched(here)
    here.answers = [Unreachable("away"), {}]
    ended = await for_watch.carry_on_without(here.system, here.note, str(here.folder))
    assert (ended.step, here.runs()) == (UpgradeStep.WENT_BACK, "agent-0.2.0")
    assert not read_progress(here.system, str(here.folder)).is_told
    await for_watch.go_on(here.system, here.note, str(here.folder))
    assert read_progress(here.system, str(here.folder)).is_told, "the watch tells it later"
