"""Runs: steps, logs by line, kept files and tests, evidence, secrets, running again, comparing."""

import hashlib
import itertools
import json

import pytest
from people import FACTS
from placing import end, placed, submit, url
from printing import printed
from streaming import whole

from paddock_agent import wire
from paddock_server.hosts.models import Paddock
from paddock_server.logbook.models import Entry
from paddock_server.process.state import part
from paddock_server.runs import log_store
from paddock_server.runs.actions.record_folders import record_folders
from paddock_server.runs.actions.record_outputs import record_outputs
from paddock_server.runs.actions.record_step import record_step
from paddock_server.runs.log_lines import Log
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.work.effects import _offer, _steps
from paddock_server.work.models import Attempt, Job
from paddock_server.work.round import run_round

STEPS = [
    {"name": "sources", "checkout": {"url": "https://git.saltmarsh.example/gauge", "ref": "main", "depth": 1}},
    {"name": "build", "script": "make", "folder": "gauge", "time_limit": "5 min"},
    {"script": "rm -rf /tmp/x", "always": True},
]


# ---- steps ---------------------------------------------------------------------------------------------------------


def test_steps_go_to_the_agent_and_come_back_with_their_ends(operator, new_host):
    host = new_host()
    attempt = placed(operator, host, script="", steps=STEPS)
    sent = _steps(attempt.job)
    assert [(one.name, one.always, one.time_limit) for one in sent] == [
        ("sources", False, 0), ("build", False, 300), ("rm -rf /tmp/x", True, 0),
    ]  # fmt: skip
    assert sent[0].checkout == wire.Checkout("https://git.saltmarsh.example/gauge", "main", depth=1)
    commit = "ab" * 20
    name = attempt.wire_name
    record_step(host, wire.StepBegan(attempt=name, step=0, at=1000.0))
    record_step(host, wire.StepEnded(attempt=name, step=0, outcome="exited", at=1004.0, exit_code=0, commit=commit))
    record_step(host, wire.StepEnded(attempt=name, step=0, outcome="timed out", at=1009.0))
    record_step(host, wire.StepBegan(attempt=name, step=1, at=1004.0))
    record_step(host, wire.StepBegan(attempt=name, step=7, at=1004.0))
    sheet = operator.get(url(attempt)).json()
    assert [one["outcome"] for one in sheet["steps"]] == ["exited", "running", ""]
    assert sheet["commit"] == commit
    leftover = wire.LeftoverProcess(77, "watcher", True)
    end(host, attempt, 2, processor=3.5, memory=9_000_000, leftover_processes=[leftover])
    sheet = operator.get(url(attempt)).json()
    assert [one["outcome"] for one in sheet["steps"]] == ["exited", "lost", ""]
    assert (sheet["processor"], sheet["memory"], sheet["leftover_processes"][0]["name"]) == (3.5, 9_000_000, "watcher")
    assert sheet["times"]["set_up"] >= 4


@pytest.mark.parametrize(
    ("body", "mistake"),
    [
        ({"script": "", "steps": []}, "either a script or steps"),
        ({"steps": STEPS}, "either a script or steps"),
        ({"script": "", "steps": [{"script": "x", "checkout": True}]}, "either a script or a checkout"),
        ({"script": "", "steps": [{"checkout": {"url": "file:///etc"}}]}, "file:// is not supported"),
        ({"script": "", "steps": [{"checkout": {"url": "--upload-pack=x"}}]}, "begins with https"),
        ({"script": "", "steps": [{"checkout": True}]}, "this job comes from none"),
        ({"script": "", "steps": [{"script": "x", "folder": "../.."}]}, "must be inside the work folder"),
        ({"script": "", "steps": [{"script": "x"}] * 51}, "no more than 50"),
        ({"outputs": ["../key"]}, "must be inside the work folder"),
        ({"script": "", "steps": [{"checkout": {"url": "https://a.example/x", "secret": "NOT"}}]}, "one of the job's"),
    ],
)
def test_steps_that_cannot_be_are_refused_with_the_reason(operator, body, mistake):
    answer = submit(operator, **body)
    assert answer.status_code == 400
    assert mistake in json.dumps(answer.json())


def test_another_hosts_word_on_an_attempt_counts_for_nothing(operator, new_host):
    host, other = new_host(), new_host(admitted=False)
    attempt = placed(operator, host)
    record_step(other, wire.StepBegan(attempt=attempt.wire_name, step=0, at=1.0))
    record_outputs(other, wire.Outputs(attempt=attempt.wire_name, files=[wire.OutputFile("a", 1, "0" * 64)]))
    assert not attempt.steps.exists()
    assert not attempt.outputs.exists()


# ---- logs ----------------------------------------------------------------------------------------------------------


def write_log(attempt, *pieces):
    offset = 0
    for step, at, data in pieces:
        printed(attempt, data, offset, at=at, step=step)
        offset += len(data)


def test_lines_have_their_time_step_and_style_and_overprinted_ones_are_folded(operator, new_host):
    attempt = placed(operator, new_host())
    write_log(
        attempt,
        (0, 100.0, b"one\nhalf "),
        (0, 101.0, b"a line\n10%\r50%\r100%\n"),
        (1, 102.0, b"\x1b[1;31mbad\x1b[0m <b>\x1b]0;title\x07\n"),
        (1, 103.0, b"\xff open"),
    )
    answer = operator.get(url(attempt, "lines/")).json()
    shown = ["".join(span["text"] for span in line["spans"]) for line in answer["lines"]]
    assert shown == ["one", "half a line", "100%", "bad <b>", "\ufffd open"]
    assert [line["at"][17:19] for line in answer["lines"]] == ["40", "40", "41", "42", "43"]
    assert [line["step"] for line in answer["lines"]] == [0, 0, 0, 1, 1]
    assert answer["lines"][3]["spans"][0] == {"text": "bad", "styles": ["bold", "red"]}
    assert answer["sections"] == [{"step": 0, "line": 1}, {"step": 1, "line": 4}]
    assert answer["total"] == 5
    last = operator.get(url(attempt, "lines/?first=-2")).json()["lines"]
    assert [line["number"] for line in last] == [4, 5]


def test_any_line_of_a_long_log_is_found_wherever_the_pieces_were_cut(operator, new_host):
    attempt = placed(operator, new_host())
    text = b"".join(b"line %d%s\n" % (i, b" needle" if i % 997 == 0 else b"") for i in range(1, 20_001))
    cuts = sorted({0, len(text), *(i * 7919 % len(text) for i in range(300))})
    write_log(attempt, *((0, 5.0, text[a:b]) for a, b in itertools.pairwise(cuts)))
    for first in (1, 2, 499, 500, 501, 7777, 19_990, 20_000):
        lines = operator.get(url(attempt, f"lines/?first={first}&count=3")).json()["lines"]
        assert [line["spans"][0]["text"].split()[1] for line in lines] == [
            str(n) for n in range(first, min(first + 3, 20_001))
        ]
    found = operator.get(url(attempt, "find/?text=NEEDLE")).json()
    assert found == {"lines": list(range(997, 20_001, 997)), "more": False}
    assert operator.get(url(attempt, "find/?text=line 1999")).json()["lines"][0] == 1999


def test_a_piece_that_a_killed_server_had_not_indexed_is_taken_once(operator, new_host):
    attempt = placed(operator, new_host())
    write_log(attempt, (0, 1.0, b"one\n"))
    part(log_store._Ends).clear()
    with attempt.log_file.open("ab") as log:
        log.write(b"two, of which no word reached the ind")
    with attempt.log_file.with_suffix(".index").open("ab") as index:
        index.write(b"half a record")
    printed(attempt, b"two\n", 4, at=2.0)
    printed(attempt, b"two\n", 4, at=2.0)
    assert log_store.read(attempt) == b"one\ntwo\n"
    assert Log(attempt).total == 2


# ---- files, tests, proof -------------------------------------------------------------------------------------------

JUNIT = b"""<testsuites><testsuite name="gauge"><testcase name="tide" time="0.5"/>
<testcase name="surge"><failure message="low">expected 3</failure></testcase>
<testcase name="fog"><skipped/></testcase></testsuite></testsuites>"""


def upload(client, host, attempt, number, data, offset=0):
    return client.post(
        f"/agent/v1/outputs/{attempt.wire_name}/{number}?offset={offset}",
        data,
        content_type="application/octet-stream",
        HTTP_AUTHORIZATION=f"Bearer {host.key}",
    )


def announced(host, attempt, *files):
    found = [wire.OutputFile(path, len(data), hashlib.sha256(data).hexdigest()) for path, data in files]
    record_outputs(host, wire.Outputs(attempt=attempt.wire_name, files=found, left_out=["x/*: nothing matches it"]))


def test_a_file_comes_in_pieces_again_after_a_cut_and_is_shown_as_what_it_is(
    client, operator, new_host, settings, tmp_path
):
    settings.OUTPUTS = tmp_path / "outputs"
    host = new_host()
    attempt = placed(operator, host, outputs=["dist"])
    page = b"<script>alert(1)</script>" * 100
    announced(host, attempt, ("dist/report.html", page), ("dist/../../etc/x.bin", b"\0"), ("empty", b""))
    assert upload(client, host, attempt, 0, page[:1000]).json() == {"have": 1000, "whole": False}
    assert upload(client, host, attempt, 0, page[:1000]).json() == {"have": 1000, "whole": False}, "reported again"
    assert operator.get(url(attempt, "outputs/0/")).status_code == 404
    assert upload(client, host, attempt, 0, page[1000:], 1000).json() == {"have": len(page), "whole": True}
    assert upload(client, host, attempt, 1, b"\0").json()["whole"]
    assert upload(client, host, attempt, 2, b"").json()["whole"]
    shown = operator.get(url(attempt, "outputs/0/"))
    assert (shown["Content-Type"], shown["X-Content-Type-Options"]) == ("text/plain; charset=utf-8", "nosniff")
    assert "sandbox" in shown["Content-Security-Policy"]
    assert whole(shown) == page
    saved = operator.get(url(attempt, "outputs/1/"))
    assert saved["Content-Disposition"] == 'attachment; filename="x.bin"'
    assert [path.name for path in sorted((tmp_path / "outputs").rglob("*")) if path.is_file()] == ["0", "1", "2"]
    assert operator.get(url(attempt)).json()["left_out"] == ["x/*: nothing matches it"]


def test_a_file_that_is_not_the_announced_one_is_refused_and_so_is_a_strangers(
    client, operator, new_host, settings, tmp_path
):
    settings.OUTPUTS = tmp_path
    host, other = new_host(), new_host(admitted=False)
    attempt = placed(operator, host)
    announced(host, attempt, ("a", b"right"))
    assert upload(client, other, attempt, 0, b"right").status_code == 404
    assert upload(client, host, attempt, 5, b"right").status_code == 404
    assert upload(client, host, attempt, 0, b"much too long").json() == {"have": 0, "whole": False}
    assert upload(client, host, attempt, 0, b"wrong").status_code == 400
    assert "hash" in operator.get(url(attempt)).json()["outputs"][0]["refused"]
    host.key = "paddock-key-guessed"
    assert upload(client, host, attempt, 0, b"right").status_code == 401


def test_tests_are_read_and_what_newly_fails_is_told(client, operator, new_host, settings, tmp_path):
    settings.OUTPUTS = tmp_path
    host = new_host()
    passing = JUNIT.replace(b'<failure message="low">expected 3</failure>', b"")
    for data in (passing, JUNIT, JUNIT):
        attempt = placed(operator, host, tests=["reports/*.xml"])
        announced(host, attempt, ("reports/a.xml", data))
        upload(client, host, attempt, 0, data)
        end(host, attempt)
    found = [operator.get(url(one)).json()["tests"] for one in Attempt.objects.order_by("job_id")]
    assert [(one["passed"], one["failed"], one["skipped"], one["newly_failing"]) for one in found] == [
        (2, 0, 1, 0), (1, 1, 1, 1), (1, 1, 1, 0),
    ]  # fmt: skip
    assert found[1]["cases"][0]["message"] == "low\nexpected 3"


def test_xml_that_is_none_or_has_entities_is_said_and_costs_nothing(client, operator, new_host, settings, tmp_path):
    settings.OUTPUTS = tmp_path
    host = new_host()
    attempt = placed(operator, host, tests=["*.xml"])
    bomb = b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]><testsuite name="&b;"/>'
    files = [("a.xml", bomb), ("b.xml", b"<testsuite><testcase"), ("c.xml", b"<html/>")]
    announced(host, attempt, *files)
    for number, (_, data) in enumerate(files):
        assert upload(client, host, attempt, number, data).json()["whole"]
    reasons = operator.get(url(attempt)).json()["left_out"]
    assert sum("cannot be read" in one and ".xml" in one for one in reasons) == 3


def test_the_proof_says_what_was_built_where_with_what(client, operator, new_host, settings, tmp_path):
    settings.OUTPUTS = tmp_path
    host = new_host()
    attempt = placed(operator, host, terms=["tool git"], outputs=["a"])
    assert operator.get(url(attempt, "proof/")).status_code == 400
    announced(host, attempt, ("a", b"firmware"))
    upload(client, host, attempt, 0, b"firmware")
    printed(attempt, b"built\n")
    end(host, attempt)
    proof = json.loads(operator.get(url(attempt, "proof/")).content)
    assert proof["_type"] == "https://in-toto.io/Statement/v1"
    assert proof["predicateType"] == "https://slsa.dev/provenance/v1"
    assert proof["subject"] == [{"name": "a", "digest": {"sha256": hashlib.sha256(b"firmware").hexdigest()}}]
    definition, details = proof["predicate"]["buildDefinition"], proof["predicate"]["runDetails"]
    assert definition["resolvedDependencies"][0]["name"] == "git"
    assert details["builder"]["id"].endswith(f"/hosts/{host.name}")
    assert details["byproducts"][0]["annotations"]["account"] == "build"
    log = hashlib.sha256(attempt.log_file.read_bytes()).hexdigest()
    assert details["byproducts"][1] == {"name": "log", "digest": {"sha256": log}}


# ---- again, and compared -------------------------------------------------------------------------------------------


def test_it_is_run_again_with_all_it_had_here_or_elsewhere(operator, viewer, new_host):
    host, other = new_host("knot-71"), new_host("knot-72")
    attempt = placed(operator, host, script="", steps=STEPS, environment={"TIDE": "low"}, outputs=["dist"], warm=True)
    again = f"/api/v1/jobs/{attempt.job_id}/run-again/"
    assert operator.post(again, {}, format="json").status_code == 409
    end(attempt.host, attempt, 1)
    assert viewer.post(again, {}, format="json").status_code == 403
    first = attempt.host
    second = other if first == host else host
    for where, expected in (("same host", first), ("another host", second)):
        number = operator.post(again, {"where": where}, format="json").json()["id"]
        run_round()
        new = Job.objects.get(pk=number)
        assert (new.steps, new.environment, new.outputs, new.warm, new.rerun_of) == (
            attempt.job.steps, {"TIDE": "low"}, ["dist"], True, attempt.job_id,
        )  # fmt: skip
        assert new.attempts.get().host == expected
        end(expected, new.attempts.get())


def test_two_runs_differ_in_what_differed_and_in_nothing_else(operator, new_host):
    host = new_host(tools=[("git", "2.39.5"), ("cmake", "3.28.1"), ("jq", "1.6")])
    good = end(host, placed(operator, host, terms=["tool cmake"], environment={"TIDE": "low"}))
    tools = [
        wire.FoundInstallation(*one, f"/usr/bin/{one[0]}", "/usr", True)
        for one in (("git", "2.39.5"), ("cmake", "3.31.0"))
    ]
    record_survey(host, wire.SurveyReport(facts=FACTS, installations=tools))
    bad = end(host, placed(operator, host, terms=["tool cmake"], environment={"TIDE": "high"}), 2)
    answer = operator.get(f"/api/v1/compare-runs/?first={good.name}&second={bad.name}").json()
    found = {(one["group"], one["name"]): (one["first"], one["second"]) for one in answer["differences"]}
    assert found == {
        ("bound tools", "cmake"): ("3.28.1 at /usr/bin/cmake", "3.31.0 at /usr/bin/cmake"),
        ("environment", "TIDE"): ("low", "high"),
        ("tools", "cmake"): ("3.28.1", "3.31.0"),
        ("tools", "jq"): ("1.6", None),
    }
    assert operator.get("/api/v1/compare-runs/?first=1&second=../x").status_code == 400


# ---- work folders --------------------------------------------------------------------------------------------------


def test_work_folders_are_shown_and_cleared_by_who_may(operator, viewer, new_host):
    host = new_host()
    warm = wire.FolderState("/work/warm/tide/1", "warm", "tide-tables", "4-1", 5_000, 3, 1.7e9)
    record_folders(host, wire.WorkFolders(folders=[warm], removed=["/work/warm/x/1: the disk is low"]))
    (shown,) = viewer.get(f"/api/v1/hosts/{host.name}/folders/").json()["results"]
    assert (shown["size"], shown["pipeline"], shown["in_use"]) == (5000, "tide-tables", False)
    assert Entry.objects.filter(verb="removed work folders of").exists()
    path = f"/api/v1/hosts/{host.name}/folders/"
    assert viewer.post(path, {}, format="json").status_code == 403
    assert operator.post(path, {}, format="json").status_code == 409, "it is not connected to this process"


def test_the_fence_says_what_becomes_of_left_processes(administrator, operator, new_host):
    host = new_host()
    administrator.patch("/api/v1/paddocks/shoreline/", {"ends_processes": False, "warm_days": 3}, format="json")
    assert Paddock.objects.get(name="shoreline").warm_days == 3
    attempt = placed(operator, host)
    assert _offer(attempt.job, attempt, {}).leaves_processes


# ---- why a run failed ------------------------------------------------------------------------------------------------


def failed_run(operator, host, code, text, **more):
    attempt = placed(operator, host, script="mvn package", **more)
    record_step(host, wire.StepBegan(attempt=attempt.wire_name, step=0, at=1.0))
    write_log(attempt, (0, 1.0, text))
    record_step(host, wire.StepEnded(attempt=attempt.wire_name, step=0, outcome="exited", at=2.0, exit_code=code))
    end(host, attempt, code)
    return attempt


def test_a_command_that_is_not_there_names_the_term_and_the_job_runs_again_with_it(operator, new_host):
    host = new_host()
    attempt = failed_run(operator, host, 127, b"building\n/w/step.sh: line 2: mvn: command not found\n")
    failure = operator.get(url(attempt)).json()["failure"]
    assert failure["sentence"] == "The script calls mvn on line 2, which is not on this host's PATH."
    assert (failure["tool"], failure["hosts_left"], failure["step"]) == ("maven", 0, 0)
    body = {"where": "anywhere", "added": ["tool maven"]}
    again = operator.post(f"/api/v1/jobs/{attempt.job_id}/run-again/", body, format="json").json()
    assert again["terms"] == [*attempt.job.terms, "tool maven"]
    wrong = {"where": "anywhere", "added": ["tolo maven"]}
    assert operator.post(f"/api/v1/jobs/{attempt.job_id}/run-again/", wrong, format="json").status_code == 400


def test_what_a_step_printed_is_not_taken_for_another_steps_end(operator, new_host):
    host = new_host()
    steps = [{"name": "build", "script": "make"}, {"name": "clean", "script": "true", "always": True}]
    attempt = placed(operator, host, script="", steps=steps)
    name = attempt.wire_name
    write_log(attempt, (0, 1.0, b"3 tests failed\n"), (1, 1.0, b"sh: 1: mvn: not found\n"))
    for step, code in ((0, 1), (1, 0)):
        record_step(host, wire.StepBegan(attempt=name, step=step, at=1.0))
        record_step(host, wire.StepEnded(attempt=name, step=step, outcome="exited", at=2.0, exit_code=code))
    end(host, attempt, 1)
    assert operator.get(url(attempt)).json()["failure"] is None


@pytest.mark.parametrize(("code", "text"), [(0, b"sh: 1: mvn: not found\n"), (3, b"\x1b[31mred\x00\xff\n"), (1, b"")])
def test_a_run_that_says_nothing_known_has_no_explanation(operator, new_host, code, text):
    attempt = failed_run(operator, new_host(), code, text)
    assert operator.get(url(attempt)).json()["failure"] is None


def test_an_offset_beyond_every_file_is_the_end_of_the_log(operator, new_host):
    attempt = placed(operator, new_host())
    write_log(attempt, (0, 1.0, b"one\n"))
    answer = operator.get(f"/api/v1/jobs/{attempt.job_id}/log/", {"offset": 881_749_999_346_105})
    assert (answer.status_code, answer.content) == (200, b"")
