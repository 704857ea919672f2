"""In a real browser: a run with its course, log, evidence and files; two runs compared; a chore that rolls;
maintenance."""

from __future__ import annotations

import urllib.request

import pytest
from page import Page
from processes import RealAgent
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from waiting import until

HOST = "curlew-51"
GOOD = """\
seq 1 12000 | sed 's/^/height /'
printf '\\033[31mred\\033[0m <b>not bold</b>\\033]0;title\\007\\n'
printf '10%%\\r55%%\\r100%%\\n'
mkdir -p dist; echo '<script>document.title = "gotcha"</script>' > dist/page.html
"""


@pytest.fixture(scope="module")
def agent(server, tmp_path_factory):
    real = RealAgent(server, tmp_path_factory.mktemp("agent"), HOST)
    real.come_in("--labels", HOST)
    yield real
    real.stop()


@pytest.fixture
def page(browser, server):
    one = Page(browser, server.url)
    one.come_in()
    one.says("Yard")
    return one


def steps(last):
    return [
        {"name": "measure", "script": GOOD},
        {"name": "judge", "script": last},
        {"name": "tidy", "script": "echo tidied", "always": True},
    ]


def ran(server, last, **more):
    body = {"name": "soak", "pipeline": "buoy-telemetry", "terms": [f"label {HOST}"], "steps": steps(last), **more}
    number = server.api.post("/api/v1/jobs/", body)["id"]
    until(lambda: server.job(number)["ended_at"], "the job to end")
    return number


def line(page, number):
    return page.one(f"[data-line='{number}'] code").text


def test_a_run_is_read_from_its_course_to_a_line_of_its_log_and_compared_with_the_one_that_passed(page, server, agent):
    good = ran(server, "true", outputs=["dist"], environment={"TIDE": "low"})
    bad = ran(server, "exit 7", environment={"TIDE": "high"})
    page.browser.get(f"{page.url}/runs/{bad}")
    page.says("exit code 7", "[data-step='1']")
    page.says("passed", "[data-step='2']")
    assert page.one("[data-state=failed]")
    assert "always runs" in page.one("[data-step='2']").text

    # The end is shown first; a step's name leads to where it begins.
    page.says("tidied", ".run-log")
    page.browser.find_element(By.CSS_SELECTOR, "[data-step='0'] button").click()
    assert until(lambda: line(page, 1), "the first line") == "height 1"
    page.one("input[aria-label='Find in this log']").send_keys("height 11999", Keys.ENTER)
    page.says("1 of 1 line", "[data-found]")
    assert line(page, 11999) == "height 11999"
    page.browser.get(f"{page.url}/runs/{bad}?line=12001")
    assert until(lambda: line(page, 12001), "the line") == "red <b>not bold</b>"
    assert page.one("[data-line='12001'] code .red").text == "red"
    assert line(page, 12002) == "100%"
    assert page.browser.title.startswith("Run")

    page.one("[data-act=compare]").click()
    page.says("TIDE", "[data-group=environment]")
    row = page.one("[data-group=environment] [data-name=TIDE]").text
    assert ("low" in row, "high" in row) == (True, True)
    page.says("exit code 7", "[data-group=steps]")

    page.browser.get(f"{page.url}/runs/{good}")
    until(lambda: server.api.get(f"/api/v1/jobs/{good}/attempts/1/")["outputs"][0]["whole"], "the file to come")
    page.one("a[href$='/outputs/0/']").click()
    page.browser.switch_to.window(page.browser.window_handles[-1])
    until(lambda: "gotcha" in page.browser.page_source, "the file as text")
    assert page.browser.title != "gotcha"
    page.browser.switch_to.window(page.browser.window_handles[0])
    page.one("[data-act=again-same]").click()
    until(lambda: not page.browser.current_url.endswith(f"/{good}"), "the new run")
    page.one("[data-state=passed]")


def test_a_live_log_grows_as_it_is_written_and_a_run_is_cancelled_from_its_page(page, server, agent, tmp_path):
    go = tmp_path / "go"
    script = f"echo before; until [ -e {go} ]; do sleep 0.05; done; echo after; sleep 600"
    number = server.submit(script, [f"label {HOST}"])
    until(lambda: server.job(number)["state"] == "running", "the job to run")
    page.browser.get(f"{page.url}/runs/{number}")
    page.says("before", ".run-log")
    go.touch()
    page.says("after", ".run-log")
    page.button("Cancel…").click()
    page.button("Cancel the job").click()
    page.one("[data-state=cancelled]")


@pytest.mark.parametrize(("wanted", "state"), [("tool git", "done"), ("tool maven", "ran but not there")])
def test_a_chore_rolls_and_says_on_which_host_it_did_what_it_was_for(page, server, agent, wanted, state):
    page.browser.get(f"{page.url}/chores/new?hosts={HOST}&for={wanted.replace(' ', '%20')}")
    page.one("input[data-field=name]").send_keys(f"have {wanted}")
    page.one("textarea[data-field=script]").send_keys("echo installing on $PADDOCK_CHORE")
    page.says(HOST, "[data-chosen]")
    page.one("[data-act=start]").click()
    page.one("[data-run-state=ended]")
    page.one(f"[data-host='{HOST}'][data-state='{state}']")
    assert server.host(HOST)["holding"] == ""
    page.browser.find_element(By.PARTIAL_LINK_TEXT, "job ").click()
    page.says("installing on have tool", ".run-log")
    page.browser.get(f"{page.url}/chores")
    page.one(f"[data-chore='have {wanted}']")


def test_care_is_planned_and_seen_on_the_axis_of_time(page, server, agent):
    page.browser.get(f"{page.url}/maintenance")
    page.says("No windows in the next four weeks")
    page.one("[data-field=what]").send_keys("new disks")
    page.browser.execute_script(
        "const field = document.querySelector('[data-field=when]'); field.value = arguments[0];"
        "field.dispatchEvent(new Event('input'))",
        "2099-01-01T08:00",
    )
    page.one("[data-field=place]").click()
    page.one(".ant-select-item-option[title='all of shoreline']").click()
    page.one("[data-act=plan]").click()
    page.one("[data-plan='new disks']")
    assert server.api.get("/api/v1/maintenance-windows/")["results"][0]["paddock"] == "shoreline"
    page.one("[data-act=make-feed]").click()
    address = page.one("[data-feed]").text.split()[0]
    with urllib.request.urlopen(address) as answer:
        assert b"SUMMARY:new disks" in answer.read()
    page.browser.refresh()
    page.says("Your address was created on")
    assert address not in page.browser.page_source


def test_a_secret_is_kept_and_changed_and_its_value_is_shown_to_nobody(page, server, agent):
    page.browser.get(f"{page.url}/pipelines")
    page.one("[data-act=add-secret]").click()
    page.one("input[data-field=secret-name]").send_keys("CHART_DEPOT")
    page.one("[data-field=secret-pipelines] input").send_keys("buoy-*", Keys.ENTER)
    page.one("[data-field=secret-paddocks]").click()
    page.one(".ant-select-item-option[title='shoreline']").click()
    value = page.one("textarea[data-field=secret-value]")
    value.send_keys("low")
    page.one("[data-act=keep-secret]").click()
    page.says("shorter ones cannot be masked")
    value.send_keys("-water-mark")
    page.one("[data-act=keep-secret]").click()
    row = page.one("[data-secret=CHART_DEPOT]").text
    assert ("buoy-*" in row, "shoreline" in row, "from a Git source only" in row, "never" in row) == (True,) * 4
    page.one("[data-act=change-CHART_DEPOT]").click()
    assert page.one("textarea[data-field=secret-value]").get_attribute("value") == ""
    page.browser.find_element(By.XPATH, "//label[contains(., 'from a Git source')]").click()
    page.button("Save").click()
    page.gone("form textarea")
    number = ran(server, 'echo "the depot: $CHART_DEPOT"', secrets=["CHART_DEPOT"])
    page.browser.get(f"{page.url}/runs/{number}")
    page.says("the depot: [secret]", ".run-log")
    page.browser.get(f"{page.url}/pipelines")
    page.says(f"{number}-1", "[data-secret=CHART_DEPOT]")
    assert "low-water-mark" not in page.browser.page_source


def test_the_end_and_the_middle_of_a_log_of_millions_of_lines_are_reached(page, server, agent):
    number = server.submit("seq 1 3000000; echo the end", [f"label {HOST}"])
    until(lambda: server.job(number)["ended_at"], "the job to end")
    page.browser.get(f"{page.url}/runs/{number}")
    page.says("the end", ".run-log")
    assert line(page, 3_000_001) == "the end"
    page.browser.get(f"{page.url}/runs/{number}?line=1234567")
    assert until(lambda: line(page, 1_234_567), "the line") == "1234567"
