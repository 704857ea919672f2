"""Who may send where, what comes first, why a job waits and what cures it, over the API."""

import pytest
from people import a_person
from placing import called

from paddock_agent import wire
from paddock_core.reasons import ReasonKind
from paddock_server.hosts.models import Host
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Attempt, Job
from paddock_server.work.round import run_round


def submit(client, terms=(), **more):
    body = {"name": "compile", "pipeline": "almanac-docs", "terms": list(terms), "script": "make", **more}
    return client.post("/api/v1/jobs/", body, format="json")


def sent(client, terms=(), **more):
    answer = submit(client, terms, **more)
    assert answer.status_code == 201, answer.json()
    return Job.objects.get(pk=answer.json()["id"])


def after_round(job):
    run_round()
    job.refresh_from_db()
    return job


def cure(client, job, **more):
    """Carries out the first remedy of the cheapest near fit, as the board does."""
    fit = client.get(f"/api/v1/jobs/{job.pk}/fit/").json()
    near = next(row for row in fit["hosts"] if row["remedies"])
    for remedy in near["remedies"]:
        assert remedy["can_be_done"], remedy
        body = {name: remedy[name] for name in ("kind", "place", "what", "instead")}
        answer = client.post("/api/v1/remedies/", {**body, "jobs": [job.pk], **more}, format="json")
        assert answer.status_code == 204, answer.json()
    return near["remedy"]


# ---- fences and reservations ---------------------------------------------------------------------------------------


def test_an_unknown_pipeline_waits_at_the_fence_and_is_let_in_once_or_for_good(administrator, new_host, shoreline):
    new_host("knot-01")
    answer = administrator.patch("/api/v1/paddocks/shoreline/", {"pipelines": ["tide-*"]}, format="json")
    assert answer.json()["pipelines"] == ["tide-*"]
    first, second = sent(administrator), sent(administrator)
    assert after_round(first).reason_kind == ReasonKind.NOT_LET_IN.value == "not allowed into this paddock"
    assert first.reason_places == ["shoreline"]
    assert sent(administrator, pipeline="tide-gauge-firmware").reason_kind == ReasonKind.NEXT.value
    where = {"paddock": "shoreline", "for_good": False}
    assert administrator.post(f"/api/v1/jobs/{first.pk}/let-in/", where, format="json").status_code == 200
    assert after_round(first).state == "offered"
    second.refresh_from_db()
    assert second.reason_kind == ReasonKind.NOT_LET_IN.value
    assert cure(administrator, second) == "let almanac-docs into shoreline"
    shoreline.refresh_from_db()
    assert shoreline.pipelines == ["tide-*", "almanac-docs"]
    assert sent(administrator).reason_kind != ReasonKind.NOT_LET_IN.value
    assert Entry.objects.filter(verb="let in", paddock="shoreline").count() == 1


def test_an_operator_lets_one_job_in_and_only_an_administrator_the_pipeline(operator, administrator, new_host):
    new_host("knot-01")
    administrator.patch("/api/v1/paddocks/shoreline/", {"pipelines": []}, format="json")
    job = sent(operator)
    where = f"/api/v1/jobs/{job.pk}/let-in/"
    assert operator.post(where, {"paddock": "shoreline", "for_good": True}, format="json").status_code == 403
    assert operator.post(where, {"paddock": "shoreline"}, format="json").status_code == 200
    assert operator.post(where, {"paddock": "shoreline"}, format="json").status_code == 409
    viewer = a_person("watcher", Role.VIEWER)
    other = sent(operator)
    assert viewer.post(f"/api/v1/jobs/{other.pk}/let-in/", {"paddock": "shoreline"}, format="json").status_code == 403


def test_a_paddock_is_made_with_its_fence_and_all_else_that_it_can_have(administrator):
    body = {"name": "meadow", "pipelines": ["tide-*", " tide-* "], "grace": 30, "services": ["tide-db"]}
    made = administrator.post("/api/v1/paddocks/", body, format="json")
    assert (made.status_code, made.json()["pipelines"], made.json()["grace"]) == (201, ["tide-*"], 30)
    body = {"name": "marsh", "pipelines": ["tide;drop"]}
    assert administrator.post("/api/v1/paddocks/", body, format="json").status_code == 400


@pytest.mark.parametrize("pattern", ["", "a" * 101, "tide;drop", "*a*b*c*d", "tide\u043e"])
def test_a_pattern_that_is_none_is_refused(administrator, shoreline, pattern):
    answer = administrator.patch("/api/v1/paddocks/shoreline/", {"pipelines": ["ok-*", pattern]}, format="json")
    assert answer.status_code == 400


def test_a_reserved_host_takes_only_jobs_that_ask_for_its_label(administrator, new_host):
    new_host("avocet-01", labels=["bench-rig"])
    where = "/api/v1/hosts/avocet-01/"
    assert administrator.patch(where, {"reserved": True}, format="json").json()["reserved"] is True
    assert "label" in administrator.patch(where, {"labels": []}, format="json").json()["detail"]
    job = after_round(sent(administrator, ["os linux"]))
    assert job.reason_kind == ReasonKind.RESERVED.value
    assert after_round(sent(administrator, ["label bench-rig"])).state == "offered"
    Attempt.objects.all().delete()
    assert cure(administrator, job) == "correct the job: add `label bench-rig`"
    assert after_round(job).state == "offered"
    assert job.terms == ["os linux", "label bench-rig"]


def test_a_hold_says_by_whom_and_why(administrator, new_host):
    new_host("avocet-01")
    administrator.post("/api/v1/hosts/avocet-01/hold/", {"reason": "new disk"}, format="json")
    job = after_round(sent(administrator))
    assert "avocet-01 is held (harbourmaster: new disk)" in job.reason
    assert administrator.get("/api/v1/hosts/avocet-01/").json()["held_by"] == "harbourmaster"
    assert cure(administrator, job) == "resume avocet-01 (harbourmaster: new disk)"
    assert after_round(job).state == "offered"


# ---- cures ---------------------------------------------------------------------------------------------------------


def test_a_misspelt_label_is_corrected_in_all_jobs_that_have_it(operator, new_host):
    new_host("russet-01", labels=["release-signing"])
    jobs = [sent(operator, ["label relase-signing", "tool git"]) for _ in range(3)]
    board = operator.get("/api/v1/board/").json()
    (group,) = board["groups"]
    assert (group["count"], group["kind"], board["blocked"]) == (3, "no host fits", 3)
    (step,) = board["steps"]
    assert (step["count"], step["remedies"][0]["instead"]) == (3, "label release-signing")
    body = {name: step["remedies"][0][name] for name in ("kind", "place", "what", "instead")}
    assert operator.post("/api/v1/remedies/", {**body, "jobs": step["jobs"]}, format="json").status_code == 204
    for job in jobs:
        job.refresh_from_db()
        assert job.terms == ["label release-signing", "tool git"]
    assert Entry.objects.filter(verb="corrected").count() == 3


def test_a_label_is_added_and_a_host_admitted_from_the_board(administrator, new_host):
    new_host("knot-01", admitted=False, labels=["gauge-rig"])
    new_host("knot-02")
    job = sent(administrator, ["label gauge-rig", "os linux"])
    assert cure(administrator, job) == "admit knot-01"
    assert after_round(job).state == "offered"
    other = sent(administrator, ["label gauge-rig", "host knot-02"])
    assert cure(administrator, other) == "add the label gauge-rig to knot-02"
    assert after_round(other).state == "offered"


def test_what_is_done_by_hand_is_said_and_a_correction_needs_its_term(operator, new_host):
    new_host("knot-01")
    job = sent(operator, ["tool maven 3.9", "os linux"])
    fit = operator.get(f"/api/v1/jobs/{job.pk}/fit/").json()
    assert [(one["text"], one["can_be_done"]) for one in fit["hosts"][0]["remedies"]] == [
        ("install maven 3.9 on knot-01", False)
    ]
    install = {"kind": "install", "place": "knot-01", "what": "maven 3.9"}
    assert operator.post("/api/v1/remedies/", install, format="json").status_code == 409
    wrong = {"kind": "correct the job", "what": "label none", "instead": "os linux", "jobs": [job.pk]}
    assert "does not ask for" in operator.post("/api/v1/remedies/", wrong, format="json").json()["detail"]


def test_the_smallest_set_of_remedies_helps_most_first(operator, new_host):
    new_host("knot-01", labels=["a"])
    new_host("knot-02", holding="held")
    for _ in range(5):
        sent(operator, ["tool git", "label b"])
    sent(operator, ["host knot-02"])
    steps = operator.get("/api/v1/board/").json()["steps"]
    assert [(one["count"], one["remedies"][0]["kind"]) for one in steps] == [(5, "add a label"), (1, "resume")]


def test_near_fits_come_cheapest_first_and_the_rest_is_folded(viewer, new_host):
    new_host("avocet-01", labels=["a"])
    new_host("avocet-02", tools=[], labels=["a"])
    new_host("avocet-03", tools=[])
    for number in range(3):
        new_host(f"plover-0{number}", tools=[], facts=wire.Facts(os="windows", arch="x64"))
    body = {"terms": ["tool git", "label a", "os linux", "prefer label b"]}
    fit = viewer.post("/api/v1/fit/", body, format="json").json()
    assert [(row["host"], row["fits"]) for row in fit["hosts"]] == [
        ("avocet-01", True), ("avocet-02", False), ("avocet-03", False),
    ]  # fmt: skip
    assert (fit["folded"], fit["fits"], fit["prefers"]) == (3, 1, [{"term": "label b", "hosts": 0}])
    assert len(viewer.post("/api/v1/fit/", {**body, "all": True}, format="json").json()["hosts"]) == 6


def test_each_line_that_is_tried_has_its_own_count_though_it_joins_several_terms(viewer, new_host):
    new_host("avocet-01", tools=[("jdk", "17.0.9"), ("git", "2.39.5")])
    new_host("avocet-02")
    body = {"terms": ["tool git, jdk 17", "os linux", " os LINUX", "prefer tool jdk"]}
    fit = viewer.post("/api/v1/fit/", body, format="json").json()
    assert [one["term"] for one in fit["terms"]] == ["tool git", "tool jdk 17", "os linux"]
    assert [one["hosts"] for one in fit["lines"]] == [1, 2, 2, 1]


def test_words_of_the_fleet_are_there_for_completion(viewer, new_host):
    new_host("avocet-01", labels=["bench-rig"], tools=[("jdk", "17.0.9"), ("git", "2.39.5")])
    words = viewer.get("/api/v1/words/").json()
    assert words["after"]["label"] == [{"word": "bench-rig", "hosts": 1}]
    assert [one["word"] for one in words["after"]["tool"]] == ["git", "jdk"]
    assert words["versions"]["jdk"] == [{"word": "17.0.9", "hosts": 1}]
    assert {"os", "prefer", "any of", "not"} <= set(words["subjects"])


def test_a_kit_is_a_term_and_follows_what_the_kit_says(administrator, new_host):
    new_host("avocet-01")
    kit = {"name": "Tide-Kit", "purpose": "", "terms": ["tool git 2+"], "paddocks": ["shoreline"], "labels": []}
    assert sent(administrator, ["kit tide-kit"]).reason == 'No kit is called "tide-kit".'
    assert administrator.post("/api/v1/kits/", kit, format="json").status_code == 201
    assert sent(administrator, ["kit tide-kit"]).reason_kind == ReasonKind.NEXT.value
    administrator.put("/api/v1/kits/Tide-Kit/", {**kit, "terms": ["tool git 3+"]}, format="json")
    assert "every term of the kit tide-kit" in sent(administrator, ["kit tide-kit"]).reason
    for wrong in ("kit tide-kit", "prefer tool git"):
        assert (
            administrator.post("/api/v1/kits/", {**kit, "name": "b", "terms": [wrong]}, format="json").status_code
            == 400
        )


# ---- order, slots, priority ----------------------------------------------------------------------------------------


def test_jobs_that_come_after_others_wait_for_them_and_end_with_them(operator, new_host):
    host = new_host("knot-01", slots=5)
    first = sent(operator)
    second = sent(operator, name="flash", after=[first.pk])
    third = sent(operator, name="proof", after=[second.pk])
    assert after_round(second).reason == f"It runs after compile (job {first.pk})."
    record_report(host, wire.AttemptEnded(attempt=called(first.pk), outcome="exited", exit_code=0))
    assert after_round(second).state == "offered"
    record_report(host, wire.AttemptEnded(attempt=called(second.pk), outcome="exited", exit_code=1))
    third.refresh_from_db()
    assert (third.state, "since flash" in third.reason) == ("cancelled", True)
    assert "could never run" in submit(operator, after=[second.pk]).json()["detail"]
    assert "No job 999" in submit(operator, after=[999]).json()["detail"]


def test_more_slots_than_any_host_has_are_refused_unless_the_job_waits_for_a_new_host(operator, new_host):
    new_host("knot-01", slots=4)
    answer = submit(operator, slots=5)
    assert (answer.status_code, answer.json()["errors"][0]["pointer"]) == (400, "/slots")
    assert "no host has more than 4" in answer.json()["detail"]
    assert submit(operator, ["label none"], slots=5).status_code == 400
    waiting = sent(operator, slots=5, waits_for_new_host=True)
    assert after_round(waiting).reason_kind == ReasonKind.TOO_MANY_SLOTS.value
    assert after_round(sent(operator, slots=4)).state == "offered"
    assert after_round(sent(operator)).reason_kind == ReasonKind.BUSY.value


def test_a_host_is_kept_for_a_job_of_several_slots_until_it_has_them(operator, new_host):
    host = new_host("knot-01", slots=2)
    small = after_round(sent(operator))
    large = after_round(sent(operator, slots=2, priority=5))
    assert (large.earmarked_host, large.reason_kind) == ("knot-01", ReasonKind.MORE_SLOTS.value)
    later = after_round(sent(operator))
    assert later.state == "waiting"
    record_report(host, wire.AttemptEnded(attempt=called(small.pk), outcome="exited", exit_code=0))
    assert after_round(large).state == "offered"
    assert after_round(later).state == "waiting"


def test_priority_is_changed_in_place_and_decides(operator, new_host):
    new_host("knot-01", slots=1)
    first, second = sent(operator), sent(operator)
    answer = operator.patch(f"/api/v1/jobs/{second.pk}/", {"priority": 10}, format="json")
    assert answer.json()["priority"] == 10
    assert after_round(second).state == "offered"
    assert after_round(first).state == "waiting"
    assert operator.patch(f"/api/v1/jobs/{second.pk}/", {"priority": 0}, format="json").status_code == 409
    assert (
        a_person("watcher", Role.VIEWER).patch(f"/api/v1/jobs/{first.pk}/", {"priority": 9}, format="json").status_code
        == 403
    )


def test_terms_are_corrected_in_place_and_wrong_ones_keep_the_old(operator, new_host):
    new_host("knot-01")
    job = sent(operator, ["os macos"])
    where = f"/api/v1/jobs/{job.pk}/"
    wrong = operator.patch(where, {"terms": ["os linx"]}, format="json")
    assert (wrong.status_code, wrong.json()["errors"][0]["nearest"]) == (400, "linux")
    answer = operator.patch(where, {"terms": [" OS linux ", "prefer label a"]}, format="json").json()
    assert (answer["terms"], answer["prefers"]) == (["os linux"], ["label a"])
    assert after_round(job).state == "offered"


def test_terms_that_cannot_be_read_any_more_stop_nobody_else(operator, new_host):
    new_host("knot-01", slots=1)
    old, new = sent(operator, priority=10), sent(operator)
    Job.objects.filter(pk=old.pk).update(terms=["tool jdk >=18 <17"])
    assert "cannot be read any more" in after_round(old).reason
    new.refresh_from_db()
    assert new.state == "offered"
    assert operator.get("/api/v1/board/").json()["blocked"] == 1
    assert operator.get("/api/v1/pipelines/almanac-docs/").status_code == 200


def test_why_this_host_is_kept_with_the_attempt(operator, new_host):
    new_host("knot-01")
    new_host("knot-02", labels=["fast-disk"])
    job = after_round(sent(operator, ["os linux", "prefer label fast-disk"]))
    (attempt,) = operator.get(f"/api/v1/jobs/{job.pk}/").json()["attempts"]
    assert attempt["host"] == "knot-02"
    assert attempt["why"] == (
        "2 hosts fit, 2 of them with a free slot. knot-02 meets the preference `label fast-disk`."
    )


def test_an_offer_carries_slots_variables_and_the_version_that_was_asked_for(operator, new_host, monkeypatch):
    messages = []
    monkeypatch.setattr("paddock_server.process.connections.send", lambda host, message: messages.append(message))
    new_host("knot-01", tools=[("jdk", "21.0.5"), ("git", "2.39.5")], slots=2)
    host = Host.objects.get()
    host.installations.create(tool="jdk", version="17.0.9", path="/opt/jdk-17/bin/java", home="/opt/jdk-17",
                              seen_since=host.surveyed_at)  # fmt: skip
    after_round(sent(operator, ["tool jdk 17"], slots=2, environment={"TIDE": "low"}))
    (offer,) = [one for one in messages if isinstance(one, wire.Offer)]
    assert (offer.slots, offer.variables) == (2, {"TIDE": "low"})
    assert [(tool.version, tool.home) for tool in offer.tools] == [("17.0.9", "/opt/jdk-17")]


@pytest.mark.parametrize("environment", [{"PADDOCK_JOB": "1"}, {"a b": "1"}, {"A": "x" * 2001}])
def test_variables_that_cannot_be_are_refused(operator, new_host, environment):
    new_host("knot-01")
    assert submit(operator, environment=environment).status_code == 400


def test_ten_thousand_terms_are_refused_and_a_thousand_waiting_jobs_are_one_group(operator, new_host):
    new_host("knot-01")
    assert "at most 100 terms" in submit(operator, ["os linux"] * 10_000).json()["detail"]
    job = sent(operator, ["label none"])
    Job.objects.bulk_create([Job(**{f.name: getattr(job, f.name) for f in Job._meta.fields if f.name != "id"})
                             for _ in range(999)])  # fmt: skip
    (group,) = operator.get("/api/v1/board/").json()["groups"]
    assert (group["count"], len(group["jobs"])) == (1000, 50)


# ---- pipelines -----------------------------------------------------------------------------------------------------


def test_a_pipeline_says_what_it_asks_where_it_ran_and_how_long_it_waited(operator, new_host):
    host = new_host("knot-01", slots=5)
    job = after_round(sent(operator, ["tool git"], pipeline="buoys/telemetry"))
    record_report(host, wire.AttemptStarted(attempt=called(job.pk), account="build", folder="/work"))
    record_report(host, wire.AttemptEnded(attempt=called(job.pk), outcome="exited", exit_code=2))
    sent(operator, ["label none"], pipeline="buoys/telemetry")
    (listed,) = operator.get("/api/v1/pipelines/").json()["results"]
    assert (listed["name"], listed["jobs"], listed["waiting"], listed["failed"]) == ("buoys/telemetry", 2, 1, 1)
    assert (listed["hosts"], listed["paddocks"]) == (1, ["shoreline"])
    sheet = operator.get("/api/v1/pipelines/buoys/telemetry/").json()["sheet"]
    assert [(one["name"], one["times"], one["terms"], one["fits"]) for one in sheet] == [
        ("compile", 2, ["label none"], 0)
    ]
    assert sheet[0]["hosts"] == [{"host": "knot-01", "runs": 1, "failed": 1}]
    assert [run["state"] for run in sheet[0]["runs"]] == ["failed", "waiting"]
    assert operator.get("/api/v1/pipelines/none/").status_code == 404


# ---- shells --------------------------------------------------------------------------------------------------------


def test_a_shell_is_part_of_what_a_job_needs(administrator, new_host):
    new_host("knot-01")
    job = after_round(sent(administrator, shell="powershell"))
    assert (job.state, job.reason_kind) == ("waiting", ReasonKind.NO_FIT.value)
    sheet = administrator.get(f"/api/v1/jobs/{job.pk}/").json()
    assert sheet["implied"] == ["any of os windows or tool powershell"] == sheet["terms"]
    changed = administrator.patch(f"/api/v1/jobs/{job.pk}/", {"terms": ["arch x64"]}, format="json")
    assert changed.json()["terms"] == ["arch x64", "any of os windows or tool powershell"]


def test_a_step_has_a_shell_of_its_own(administrator, new_host):
    new_host("knot-01")
    steps = [{"name": "build", "script": "make"}, {"name": "pack", "script": "dir", "shell": "cmd"}]
    job = sent(administrator, script="", steps=steps)
    assert job.terms == ["os windows"]


@pytest.mark.parametrize(
    ("more", "pointer", "says"),
    [
        ({"shell": "pwsh"}, "/shell", 'Unknown shell "pwsh". Did you mean "powershell"?'),
        ({"shell": "x" * 40}, "/shell", "Known shells: bash, sh, zsh, python, powershell, cmd."),
        ({"shell": "cmd", "terms": ["os linux"]}, "/shell", "The shell implies `os windows`."),
        (
            {"script": "", "steps": [{"name": "a", "script": "x", "shell": "bsh"}]},
            "/steps/0/shell",
            'Did you mean "bash"?',
        ),
    ],
)
def test_a_shell_that_no_agent_runs_is_refused(administrator, new_host, more, pointer, says):
    new_host("knot-01")
    answer = submit(administrator, **more)
    assert answer.status_code == 400, answer.json()
    assert says in answer.content.decode().replace("\\u0022", '"').replace('\\"', '"')
    if pointer != "/steps/0/shell":
        assert answer.json()["errors"][0]["pointer"] == pointer
    assert not Job.objects.exists()


# ---- slots ---------------------------------------------------------------------------------------------------------


def test_more_slots_than_cores_are_asked_about_first(administrator, new_host):
    host = new_host("knot-01")
    host.facts, host.slots = {**host.facts, "cores": 4, "memory": 16 * 2**30}, 1
    host.save()
    answer = administrator.patch("/api/v1/hosts/knot-01/", {"slots": 200, "labels": ["edge"]}, format="json")
    assert answer.status_code == 400
    assert (
        "knot-01 has 4 cores, so 200 jobs would slow each other down. The survey suggests 2." in answer.json()["detail"]
    )
    host.refresh_from_db()
    assert (host.slots, host.labels) == (1, []), "nothing is half done"
    assert administrator.get("/api/v1/hosts/knot-01/").json()["suggested_slots"] == 2
    assert administrator.patch("/api/v1/hosts/knot-01/", {"slots": 4}, format="json").status_code == 200
    accepted = administrator.patch("/api/v1/hosts/knot-01/", {"slots": 200, "accept_slots": True}, format="json")
    assert accepted.json()["slots"] == 200
    # It exists already.
    assert administrator.patch("/api/v1/hosts/knot-01/", {"slots": 200}, format="json").status_code == 200
