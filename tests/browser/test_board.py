"""In a real browser: why jobs wait, and each cure, from the board."""

from __future__ import annotations

import pytest
from page import Page
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from stand_in_yard import StandInYard
from waiting import until

CURES = [
    # what the job asks, what the board groups it by, the cure, and whether it is asked for twice
    ({"terms": ["os windows", "label relase-signing"]}, "no host fits", "correct the job", False),
    ({"terms": ["host dinghy-01", "service chartdb running"]}, "no host fits", "start a service", False),
    ({"terms": ["host godwit-01", "label lidar"]}, "no host fits", "add a label", False),
    ({"terms": ["host knot-02"]}, "those that fit cannot take jobs", "resume", True),
    ({"terms": ["tool openocd 0.12+"]}, "those that fit are reserved", "correct the job", False),
    (
        {"terms": ["host ketch-01"], "slots": 6, "waits_for_new_host": True},
        "no host has so many slots",
        "add slots",
        True,
    ),
]


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    real = StandInYard(tmp_path_factory.mktemp("yard"))
    real.api.patch("/api/v1/paddocks/workshop/", {"services": ["chartdb"]})
    real.api.patch("/api/v1/hosts/plover-01/", {"reserved": True})
    real.api.post("/api/v1/hosts/knot-02/hold/", {"reason": "new disk"})
    watched = lambda: real.host("dinghy-01")["watched"]  # noqa: E731
    until(lambda: [one["running"] for one in watched()] == ["stopped"], "the service to be watched")
    yield real
    real.stop()


@pytest.fixture
def page(browser, yard):
    here = Page(browser, yard.url)
    here.come_in()
    return here


def sent(yard, **more):
    body = {"name": "survey-quay", "pipeline": "buoy-telemetry", "terms": [], "script": "hostname", **more}
    return yard.api.post("/api/v1/jobs/", body)["id"]


def open_job(page, number):
    page.browser.get(f"{page.url}/board/{number}")
    page.one("[data-job-state]")


@pytest.mark.parametrize(("asked", "kind", "cure", "is_asked_twice"), CURES)
def test_each_kind_of_wait_is_cured_from_the_board(page, yard, asked, kind, cure, is_asked_twice):
    number = sent(yard, **asked)
    open_job(page, number)
    page.one(f"[data-kind='{kind}'] [data-job='{number}']")
    page.one(f"[data-help='{cure}']").click()
    if is_asked_twice:
        page.button("Confirm").click()
    page.one("[data-job-state=passed]")
    page.says("Why this host")


def test_an_unknown_pipeline_is_let_in_once_and_its_name_stays_outside(page, yard):
    yard.api.patch("/api/v1/paddocks/annex/", {"pipelines": ["almanac-*"]})
    first, second = (sent(yard, terms=["host pippin-02"]) for _ in range(2))
    open_job(page, first)
    page.says("is not allowed into annex")
    page.one("[data-act=let-in-once]").click()
    page.one("[data-job-state=passed]")
    open_job(page, second)
    page.one("[data-act=let-in-for-good]").click()
    page.button("Let them in").click()
    page.one("[data-job-state=passed]")


def test_terms_are_tried_live_with_completion_and_changed_in_place(page, yard):
    number = sent(yard, terms=["label none-such"])
    open_job(page, number)
    page.one("[data-act=edit-terms]").click()
    area = page.one("textarea[aria-label='Terms, one per line']")
    area.send_keys(Keys.CONTROL, "a")
    area.send_keys("os linux\nlabel gauge", Keys.TAB)
    assert area.get_property("value") == "os linux\nlabel gauge-rig "
    page.says(" hosts fits.")
    area.send_keys("\nprefer cores 4\ntol jdk")
    page.says('Line 4, column 1: "tol" cannot stand here. Did you mean "tool"?')
    area.send_keys(Keys.BACKSPACE * 7, Keys.ESCAPE)
    page.button("Save terms").click()
    page.one("[data-job-state=passed]")
    assert yard.job(number)["prefers"] == ["cores 4"]


def test_priority_is_raised_in_place_and_a_job_cancelled(page, yard):
    number = sent(yard, terms=["label nowhere-at-all"])
    open_job(page, number)
    page.one(".priority .ant-select").click()
    page.one(".ant-select-dropdown:not(.ant-select-dropdown-hidden) [title=urgent]").click()
    until(lambda: yard.job(number)["priority"] == 50, "the priority to change")
    page.one(f"[data-job='{number}']")
    page.says("urgent", ".list")
    page.button("Cancel…").click()
    page.button("Cancel the job").click()
    page.one("[data-job-state=cancelled]")


def test_a_pipeline_shows_its_jobs_and_a_source_its_secret_once(page, yard):
    page.browser.get(f"{page.url}/pipelines")
    page.one("[data-pipeline=buoy-telemetry] a").click()
    page.one("[data-job-name=survey-quay]")
    page.says("let it in.")
    page.browser.get(f"{page.url}/pipelines")
    page.button("Add a source").click()
    page.one("[data-field=url]").send_keys("/etc/passwd")
    page.button("Save source").click()
    page.says("a folder is not an address: serve it")
    field = page.one("[data-field=url]")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("https://git.saltmarsh.example/buoys.git")
    page.button("Save source").click()
    page.says("shown only now")
    assert "paddock-hook-" in page.one(".made").text
    page.browser.refresh()
    page.one("[data-source]")
    assert "paddock-hook-" not in page.one("main").text


def test_a_thousand_waiting_jobs_are_one_entry_and_one_step_cures_them(page, yard):
    jobs = "".join(
        f"  tile-{n}:\n    terms: [label desktopp, host dinghy-04]\n    script: hostname\n" for n in range(200)
    )
    for _ in range(5):
        yard.api.post("/api/v1/submissions/", {"text": f"pipeline: harbour-chart-desktop\njobs:\n{jobs}"})
    page.browser.get(f"{page.url}/board/help")
    step = page.one("[data-step='0']")
    until(lambda: "1000" in page.one("[data-step='0']").text, "the step that helps all of them")
    assert "write label desktop for label desktopp in all 1000 jobs" in step.text
    group = page.one("[data-kind='no host fits'] .many")
    assert "1000" in group.text
    group.click()
    assert len(page.browser.find_elements(By.CSS_SELECTOR, "[data-kind='no host fits'] .inside [data-job]")) == 50
    page.one("[data-step='0'] [data-help]").click()
    page.gone("[data-kind='no host fits']")
    assert yard.api.get("/api/v1/board/")["blocked"] == 0
