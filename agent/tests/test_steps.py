"""Steps of an attempt: each with its own end, secrets covered, folders come back to, files kept."""

import base64
import itertools
import json
from pathlib import Path
from urllib.parse import quote

import pytest
from hypothesis import given
from hypothesis import strategies as st
from offers import able, recording, script_offer
from waiting import soon

from paddock_agent import wire
from paddock_agent.attempts import Attempts, checkout
from paddock_agent.attempts import attempt as module
from paddock_agent.attempts.folders import DAY, FRESH, WARM, WorkFolders, called, to_remove
from paddock_agent.errors import CommandFailed
from paddock_agent.file_pattern import file_pattern
from paddock_agent.masking import COVER, Masker
from paddock_agent.system.real import RealSystem
from paddock_agent.wire import Checkout, FolderState, WireStep


class Host:
    def __init__(self, folder: Path) -> None:
        self.sent = []
        self.work = folder / "work"
        self.attempts = Attempts(
            RealSystem(), str(self.work), folder / "home", *recording(self.sent), lambda _: None, able
        )
        self.numbers = itertools.count(1)

    async def ran(self, *steps, **more):
        name = f"{next(self.numbers)}-1"
        self.attempts.accept(script_offer("", name, steps=list(steps), **more))
        await soon(lambda: any(one.attempt == name for one in self.all(wire.AttemptEnded)), "the end")
        await soon(lambda: not self.attempts.known())
        return self.all(wire.AttemptEnded)[-1]

    def all(self, kind):
        return [one for one in self.sent if isinstance(one, kind)]

    def log(self):
        return b"".join(one.data for one in self.all(wire.LogChunk)).decode()

    def ends(self):
        return [(one.step, one.outcome) for one in self.all(wire.StepEnded)]


@pytest.fixture
def host(tmp_path):
    return Host(tmp_path)


async def test_steps_run_in_order_in_one_folder_each_with_its_shell_folder_and_variables(host):
    ended = await host.ran(
        WireStep("one", "echo $TIDE > tide; pwd", "sh", variables={"TIDE": "low"}),
        WireStep(
            "two", "import os; print(open('../tide').read().strip(), os.path.basename(os.getcwd()))", "python", "b"
        ),
    )
    folder = host.all(wire.AttemptStarted)[0].folder
    assert (ended.outcome, ended.exit_code) == ("exited", 0)
    assert host.log() == f"{folder}\nlow b\n"
    assert b"".join(one.data for one in host.all(wire.LogChunk) if one.step == 1) == b"low b\n"
    kinds = [type(one).__name__ for one in host.sent if not isinstance(one, wire.LogChunk)]
    assert kinds == ["AttemptStarted", "StepBegan", "StepEnded", "StepBegan", "StepEnded", "AttemptEnded"]
    assert all(one.at > 1e9 for one in host.all(wire.LogChunk))


async def test_after_a_failure_only_what_runs_always_runs_and_the_first_failure_is_the_attempts(host):
    ended = await host.ran(
        WireStep("a", "exit 3"),
        WireStep("b", "echo no"),
        WireStep("c", "echo cleaned", always=True),
        WireStep("d", "exit 4", always=True),
    )
    assert host.ends() == [(0, "exited"), (1, "skipped"), (2, "exited"), (3, "exited")]
    assert (ended.outcome, ended.exit_code, host.log()) == ("exited", 3, "cleaned\n")


async def test_a_cancelled_attempt_cleans_up_and_one_that_is_abandoned_does_not(host):
    for at_once, environment in ((False, "ready\ncleaned\n"), (True, "ready\ncleaned\nready\n")):
        offer = script_offer(
            "",
            f"9{int(at_once)}-1",
            steps=[WireStep("a", "echo ready; sleep 600"), WireStep("b", "echo cleaned", always=True)],
        )
        host.attempts.accept(offer)
        await soon(lambda: host.log().count("ready") == 1 + at_once)  # noqa: B023 - looked at within the round
        host.attempts.stop(offer.attempt, "cancelled", at_once=at_once)
        await soon(lambda: not host.attempts.known())
        assert host.all(wire.AttemptEnded)[-1].outcome == "cancelled"
        assert host.log() == environment


async def test_exit_codes_signals_and_time_outs_are_told_apart(host, monkeypatch):
    monkeypatch.setattr(module, "STOP_PATIENCE", 0.2)
    await host.ran(WireStep("own", "kill -SEGV $$"))
    await host.ran(WireStep("child", "sh -c 'kill -KILL $$'"))
    late = await host.ran(WireStep("late", "sleep 600", time_limit=1), WireStep("after", "true", always=True))
    own, child, *_ = host.all(wire.StepEnded)
    assert (own.outcome, own.exit_code, own.signal) == ("signalled", -11, "SIGSEGV")
    assert (child.outcome, child.exit_code, child.signal) == ("exited", 137, "SIGKILL")
    assert (late.outcome, late.exit_code, late.why) == ("timed out", None, "It passed its time limit of 1 s.")
    assert host.ends()[-2:] == [(0, "timed out"), (1, "exited")]


async def test_a_step_whose_folder_leads_out_is_not_started(host, tmp_path):
    for folder in ("../..", "/etc", "way/out"):
        ended = await host.ran(
            WireStep("a", f"mkdir -p way; ln -s {tmp_path} way/out"), WireStep("b", "touch x", folder=folder)
        )
        assert (ended.outcome, "leads out of the work folder" in ended.why) == ("not started", True)
    assert not (tmp_path / "x").exists()


async def test_processor_time_and_memory_are_told(host):
    ended = await host.ran(WireStep("a", "x = bytearray(80_000_000)\nfor i in range(3_000_000): pass\n", "python"))
    assert ended.processor > 0.02
    assert ended.memory > 80_000_000


async def test_a_step_that_forks_for_ever_is_ended_whole(host, monkeypatch):
    monkeypatch.setattr(module, "STOP_PATIENCE", 0.2)
    # Bounded in number, so that a failure of this test does not end the machine; each refills what was ended.
    script = (
        "import os, time\nfor _ in range(40):\n"
        "    if os.fork() == 0:\n        os.setsid()\n        time.sleep(600)\nprint('go', flush=True)\ntime.sleep(600)"
    )
    offer = script_offer(script, "5-1", shell="python")
    host.attempts.accept(offer)
    await soon(lambda: "go" in host.log())
    host.attempts.stop("5-1", "cancelled")
    await soon(lambda: not host.attempts.known())
    (ended,) = host.all(wire.AttemptEnded)
    mark = f"PADDOCK_ATTEMPT={offer.attempt}"
    await soon(lambda: not RealSystem().survivors(f"{mark}", []), "all of them to be gone")
    assert ended.leftover_processes
    assert all(one.ended for one in ended.leftover_processes)


async def test_rubbish_is_told_byte_for_byte(host):
    await host.ran(WireStep("a", r"printf '\033]0;title\a\033[2J\377\376\r50%%\r100%%\n'"))
    assert b"".join(one.data for one in host.all(wire.LogChunk)) == b"\x1b]0;title\a\x1b[2J\xff\xfe\r50%\r100%\n"


# ---- secrets -------------------------------------------------------------------------------------------------------

SECRET = "tide/table+p@ss wörd"


async def test_a_secret_reaches_its_step_and_no_log_evidence_or_list_of_processes(host):
    script = """
        echo plain $TABLE_KEY; printf %s "$TABLE_KEY" | base64 -w0; echo
        printf '%s' "user:$TABLE_KEY" | base64 -w0; echo; printf %s "$TABLE_KEY" | od -An -tx1 | tr -d ' \\n'; echo
        cat /proc/[0-9]*/cmdline 2>/dev/null | tr '\\0' ' ' | grep -c "[t]ide/table" || true
        exit 3
    """
    ended = await host.ran(WireStep("a", script), secrets=[wire.GivenSecret("TABLE_KEY", SECRET)])
    everything = json.dumps([wire.encode(one).decode() for one in host.sent if not isinstance(one, wire.LogChunk)])
    assert ended.exit_code == 3
    assert host.log().count("[secret]") == 4, host.log()
    assert host.log().rstrip().endswith("\n0"), host.log()
    for form in (SECRET, base64.b64encode(SECRET.encode()).decode(), SECRET.encode().hex()):
        assert form not in host.log() + everything
    assert "TABLE_KEY" in host.all(wire.AttemptStarted)[0].variable_names
    for file in host.work.rglob("*"):
        assert not file.is_file() or SECRET not in file.read_text(errors="replace")


@given(st.binary(max_size=40), st.binary(max_size=40), st.lists(st.integers(0, 300), max_size=8))
def test_a_secret_is_covered_however_the_log_is_cut(before, after, cuts):
    forms = [
        SECRET.encode(),
        base64.b64encode(SECRET.encode()),
        quote(SECRET, safe="").encode(),
        SECRET.encode().hex().encode(),
    ]
    stream = b"\n".join([before, *forms, after])
    edges = sorted({0, len(stream), *(min(cut, len(stream)) for cut in cuts)})
    masker = Masker([SECRET])
    output = b"".join(masker.write(stream[a:b]) for a, b in itertools.pairwise(edges)) + masker.end()
    assert not any(form in output for form in forms)
    assert output.count(COVER) >= len(forms)


@given(st.binary(max_size=20), st.binary(max_size=20))
def test_inside_a_longer_text_in_base64_it_is_covered_at_any_place(before, after):
    encoded = base64.b64encode(before + SECRET.encode() + after)
    output = Masker([SECRET]).write(encoded)
    left = [encoded[i : i + 12] for i in range(len(before) * 4 // 3 + 4, (len(before) + len(SECRET)) * 4 // 3 - 12)]
    assert COVER in output
    assert not any(piece in output for piece in left)


@given(st.lists(st.binary(max_size=50), max_size=10))
def test_what_holds_no_secret_is_told_whole(pieces):
    masker = Masker(["low-water-mark", "short"])
    output = b"".join(masker.write(piece) for piece in pieces) + masker.end()
    whole = b"".join(pieces)
    assert output == whole or b"low-water-mark" in whole


def test_of_a_user_and_password_the_password_is_covered_alone_too():
    assert Masker(["robin:eelgrass-42"]).cover("password=eelgrass-42") == "password=[secret]"


# ---- folders -------------------------------------------------------------------------------------------------------


async def test_a_warm_folder_is_come_back_to_by_its_pipeline_alone(host):
    say = WireStep("a", "ls; pwd > seen")
    await host.ran(say, warm=True)
    await host.ran(say, warm=True, pipeline="buoy-telemetry")
    assert host.log() == ""
    await host.ran(say, warm=True)
    assert host.log() == "seen\n"
    assert [one.warm for one in host.all(wire.AttemptStarted)] == [False, False, True]


async def test_two_at_a_time_have_a_warm_folder_each_and_another_agent_finds_them_again(host, tmp_path):
    host.attempts.slots = 2
    for name in ("1-1", "2-1"):
        host.attempts.accept(script_offer("echo up; until [ -e ../go ]; do sleep 0.02; done", name, warm=True))
    await soon(lambda: host.log().count("up") == 2)
    folders = [Path(one.folder) for one in host.all(wire.AttemptStarted)]
    assert len(set(folders)) == 2
    (folders[0].parent / "go").touch()
    await soon(lambda: not host.attempts.known())
    again = WorkFolders(RealSystem(), str(host.work), tmp_path / "home" / "folders.json")
    assert {one.path for one in again.states() if one.pipeline == "almanac-docs"} == set(map(str, folders))
    assert again.warm("3-1", "almanac-docs")[1]


def folder(name, kind=WARM, days=0.0, size=0, in_use=False):
    return FolderState(name, kind, "p", "1-1", size=size, used_at=1000 * DAY - days * DAY, in_use=in_use)


@given(st.lists(st.tuples(st.sampled_from([WARM, FRESH]), st.floats(0, 60), st.integers(0, 10**10), st.booleans())))
def test_what_goes_is_never_in_use_and_enough_for_the_disk_where_there_is_enough(rows):
    folders = [folder(str(i), *row) for i, row in enumerate(rows)]
    free, total = 10**9, 10**12
    gone = [one for one, _ in to_remove(folders, 1000 * DAY, 14, free, total)]
    kept = [one for one in folders if one not in gone]
    assert not any(one.in_use for one in gone)
    assert len({one.path for one in gone}) == len(gone)
    freed = free + sum(one.size for one in gone)
    assert freed >= 10 * 1024**3 or not [one for one in kept if not one.in_use]
    assert all(one.in_use or one.used_at >= 986 * DAY for one in kept)


def test_a_roomy_disk_loses_only_what_is_old():
    folders = [folder("new", days=1), folder("old", days=20), folder("busy", days=20, in_use=True)]
    assert [one.path for one, _ in to_remove(folders, 1000 * DAY, 14, 10**12, 10**13)] == ["old"]


def test_pipelines_whose_names_look_alike_have_folders_of_their_own():
    assert called("Tide Gauge") != called("tide-gauge")
    assert len(called("x" * 100)) < 30


# ---- files ---------------------------------------------------------------------------------------------------------


async def test_files_are_kept_by_pattern_and_nothing_leads_out(host, tmp_path):
    (tmp_path / "outside").write_text("not ours")
    script = f"""
        mkdir -p build/deep dist; echo one > build/a.bin; echo two > build/deep/b.bin; echo no > build/c.txt
        ln -s {tmp_path}/outside build/out.bin; ln -s {tmp_path} dist/way; ln -s a.bin build/in.bin
        mkfifo build/pipe.bin; printf x > "$(printf 'dist/odd\\nname')"; printf y > "$(printf 'dist/\\377')"
        echo z > dist/z
    """
    await host.ran(WireStep("a", script), outputs=["build/**/*.bin", "dist", "absent/*"])
    (outputs,) = host.all(wire.Outputs)
    assert [one.path for one in outputs.files] == ["build/a.bin", "build/deep/b.bin", "build/in.bin", "dist/z"]
    left = "\n".join(outputs.left_out)
    assert "absent/*: nothing matches it" in left
    assert left.count("its name") == 2
    copies = sorted((tmp_path / "home" / "outputs" / "1-1").iterdir())
    assert [one.name for one in copies] == ["0", "1", "2", "3", "manifest.json"]
    assert copies[1].read_text() == "two\n"


@pytest.mark.parametrize(
    ("pattern", "matching", "other"),
    [
        ("build/*.bin", ["build/a.bin"], ["build/x/a.bin", "a.bin"]),
        ("**/*.xml", ["a.xml", "x/y/a.xml"], ["a.xmlx"]),
        ("dist", ["dist", "dist/a", "dist/b/c"], ["distant"]),
        ("a+(b)", ["a+(b)"], ["aab"]),
        ("**", ["a", "b/c"], []),
    ],
)
def test_patterns(pattern, matching, other):
    matches = file_pattern(pattern).matches
    assert [one for one in matching if not matches(one)] == []
    assert [one for one in other if matches(one)] == []


# ---- checkout ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "wrong",
    [
        Checkout("/srv/repositories/tide"), Checkout("file:///srv/tide"), Checkout("--upload-pack=touch x"),
        Checkout("ext::sh -c touch% x"), Checkout("https://-oProxy/x"), Checkout("https://a.example/x", "-x"),
        Checkout("https://a.example/x", "a..b"), Checkout("https://a.example/x", commit="HEAD"), Checkout("a b"),
    ],
)  # fmt: skip
def test_what_git_would_take_for_something_else_is_refused(wrong):
    with pytest.raises(CommandFailed):
        checkout.checked(wrong)


def test_the_password_of_a_checkout_is_in_gits_environment_and_in_no_command():
    secret = wire.GivenSecret("GIT", "robin:eelgrass-42", is_variable=False)
    environment = checkout.environment(secret)
    assert (environment["PADDOCK_GIT_USER"], environment["PADDOCK_GIT_PASSWORD"]) == ("robin", "eelgrass-42")
    settings = [environment[f"GIT_CONFIG_VALUE_{i}"] for i in range(int(environment["GIT_CONFIG_COUNT"]))]
    assert not any("eelgrass" in one for one in settings)
    for run in checkout.commands(Checkout("https://a.example/x", "main", "a" * 40, submodules=True), False):
        assert not any("eelgrass" in word for word in [*run.command, *run.otherwise])
