"""In a real browser: from a bare machine to a job that ran on it."""

from __future__ import annotations

import getpass
import re
import signal

import pytest
from page import Page
from processes import PASSWORD, RealAgent
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from waiting import until


@pytest.fixture
def page(browser, server):
    return Page(browser, server.url)


def test_a_wrong_password_is_said_and_a_right_one_leads_where_one_wanted(page):
    page.browser.get(f"{page.url}/logbook")
    page.one("input[name=username]").send_keys("harbourmaster")
    page.one("input[name=password]").send_keys("wrong", Keys.ENTER)
    page.says("Name and password do not go together")
    page.one("input[name=password]").send_keys(Keys.BACKSPACE * 5 + PASSWORD, Keys.ENTER)
    page.says("Logbook")
    page.says("the command line made token")


def label(page, server):
    """Labels as people paste them, and settings that another person changes at the same time."""
    field = page.one("[data-field=labels] input")
    field.send_keys("site/north, size/large", Keys.ENTER)
    page.says("site/north", "[data-field=labels]")
    words = [one.text.split()[0] for one in page.browser.find_elements(By.CSS_SELECTOR, "[data-field=labels] .word")]
    assert words == ["bench-rig", "site/north", "size/large"]
    server.api.patch("/api/v1/hosts/avocet-01/", {"labels": ["bench-rig", "other"]})
    page.says("Another person changed the labels while you were typing: bench-rig, other")
    page.one("[data-act=save-settings]").click()
    until(lambda: server.host("avocet-01")["labels"] == words, lambda: server.host("avocet-01")["labels"])

    cores = server.host("avocet-01")["facts"]["cores"]
    slots = page.one("[data-field=slots]")
    slots = slots if slots.tag_name == "input" else slots.find_element(By.TAG_NAME, "input")
    slots.send_keys(Keys.CONTROL + "a")
    slots.send_keys("200", Keys.TAB)
    page.says("200 parallel jobs would slow each other down. Suggested:")
    page.button("Cancel").click()
    assert server.host("avocet-01")["slots"] <= cores


def drain(page, server):
    """A drain names what it waits for."""
    number = server.submit("while [ ! -e go-on ]; do sleep 0.1; done", ["host avocet-01"])
    until(lambda: server.job(number)["state"] == "running", "the job to run")
    page.browser.execute_script("scrollTo(0, 0)")
    page.button("Drain…").click()
    page.says("since", "[data-part=running]")
    page.one("[data-field=reason]").send_keys("new disk")
    page.one("[data-act=do-drain]").click()
    page.says("draining")
    server.api.post(f"/api/v1/jobs/{number}/cancel/")
    until(lambda: server.host("avocet-01")["holding"] == "held", "it to be held")


def fail(page, server):
    """The board says why a run failed, without another click."""
    number = server.submit("frobnicate --now", ["host avocet-01"])
    until(lambda: server.job(number)["state"] == "failed", lambda: server.job(number)["state"])
    page.browser.get(f"{page.url}/board/{number}")
    page.says("frobnicate", "[data-part=failure]")


def repair(page):
    """The host's own sheet leads to its repair, which is not a new host."""
    page.browser.get(f"{page.url}/hosts/avocet-01")
    page.one("[data-act=repair]").click()
    page.says("avocet-01 is already a host in shoreline", "[data-part=existing]")
    page.one("[data-part=existing] button").click()
    page.one("[data-command] code")
    page.browser.get(f"{page.url}/hosts/avocet-01")


def retire(page, server):
    """Retired with a reason, found again, and taken back."""
    page.button("Retire…").click()
    page.one("[data-field=retire-reason]").send_keys("too old")
    page.one("[data-act=retire]").click()
    page.says("Reason: too old", "[data-part=retired]")
    page.one("body").send_keys("1")
    page.gone("[data-host=avocet-01]")
    page.one("body").send_keys("/")
    page.one(".find input").send_keys("avocet-01")
    page.says("retired from shoreline", ".find")
    page.one(".find input").send_keys(Keys.ENTER)
    page.one("[data-act=undo-retirement]").click()
    page.gone("[data-part=retired]")
    assert server.host("avocet-01")["standing"] == "admitted"


def test_a_first_day_from_an_empty_server_to_a_retired_host(page, server, tmp_path):
    """A first day: a pass, an agent, its host let in, a job and its log; then labels, a drain, and its retirement."""
    page.log_in()
    page.says("Yard")
    page.one(".bring").click()
    page.one("input[aria-label='Name of a new paddock']").send_keys("shoreline")
    page.button("Create").click()
    page.says("shoreline", "[data-field=paddock]")
    page.button("Create sheet").click()
    in_command = re.search(r"paddock-pass-[\w-]+", page.one("[data-command] code").text).group()
    page.one("body").send_keys("1")
    page.one("[data-expected]")
    page.one("body").send_keys("n")
    page.one("aside summary").click()
    page.button("Create pass").click()
    secret = page.one("[data-pass] code").text
    assert secret.startswith("paddock-pass-")
    assert secret != in_command
    page.one("body").send_keys("1")

    agent = RealAgent(server, tmp_path / "agent", "avocet-01")
    assert agent.join(secret, "--labels", "bench-rig").returncode == 0
    plate = "[data-host=avocet-01]"
    assert page.one(plate).get_attribute("data-link") == "never seen"
    assert "at the gate" in page.one(plate).text
    agent.start()
    try:
        page.one(f"{plate}[data-link=connected]")
        page.says("It asks for the label bench-rig, which its pass does not give.")
        page.button("Admit as asked…", "[data-gate=avocet-01]").click()
        page.button("Admit as asked").click()
        page.gone("[data-gate=avocet-01]")
        page.says("1 of 1 host can take work")
        assert "at the gate" not in page.one(plate).text
        until(lambda: server.host("avocet-01")["surveyed_at"], "the survey")

        page.one(plate).click()
        page.one("[data-tool=git]")
        git = next(one for one in server.host("avocet-01")["installations"] if one["tool"] == "git")
        page.says(git["version"])

        page.one("body").send_keys("2")
        page.says("No jobs yet.")
        page.button("Send the first job").click()
        page.one("[data-field=name]").send_keys("prove-it")
        page.one("[data-field=pipeline]").send_keys("tide-gauge-firmware")
        terms = page.one("textarea[aria-label='Terms, one per line']")
        terms.send_keys("tol git")
        page.says('Did you mean "tool"?', ".ant-drawer-open")
        terms.send_keys(Keys.BACKSPACE * 7, "tool git\nlabel bench-rig")
        page.says("1 of 1 host fits.", ".ant-drawer-open")
        page.one("[data-field=script]").send_keys("id -un\nprintf '<b>not bold</b>\\n'\ngit --version")
        page.button("Send").click()
        page.one("[data-job-state=passed]")
        page.says(f"git version {git['version']}", ".run-log")
        page.says("<b>not bold</b>", ".run-log")
        page.says(getpass.getuser(), ".run-log")
        page.says("avocet-01", ".evidence")
        page.says("passed, exit code 0", ".evidence")

        page.one("body").send_keys("1")
        page.one(f"{plate}[data-link=connected]")
        agent.stop()
        page.one(f"{plate}[data-link=stopped]")
        agent.start()
        page.one(f"{plate}[data-link=connected]")
        agent.stop(signal.SIGKILL)
        page.one(f"{plate}[data-link=lost]")
        page.says("without a goodbye", "[data-finding=agent-ended][data-about-host=avocet-01]")

        agent.start()
        page.one(f"{plate}[data-link=connected]").click()
        label(page, server)
        fail(page, server)
        repair(page)
        drain(page, server)
        retire(page, server)
    finally:
        agent.stop()
    # The browser notes the refused trial of the misspelt term; nothing else may have gone wrong.
    errors = [one["message"] for one in page.browser.get_log("browser") if one["level"] == "SEVERE"]
    assert [one for one in errors if "/api/v1/fit/" not in one] == []


def test_a_waiting_job_says_why_term_by_term(page, server):
    server.make_pass("workshop")
    number = server.submit("true", ["os windows", "tool jdk 17..21"])
    page.come_in()
    page.says("no host fits", "#hand")
    page.browser.get(f"{page.url}/board/{number}")
    page.one("[data-job-state=waiting]")
    rows = {
        row.get_attribute("data-term"): row.text for row in page.browser.find_elements(By.CSS_SELECTOR, "[data-term]")
    }
    assert set(rows) == {"os windows", "tool jdk 17..21"}
    assert "no host has it" in rows["os windows"]
    page.says("all hosts", ".funnel")
    page.button("Cancel…").click()
    page.button("Cancel the job").click()
    page.one("[data-job-state=cancelled]")


def test_a_narrow_window_and_the_dark_theme_lose_nothing(page):
    page.browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": 420, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    )
    page.come_in()
    page.says("Yard")
    assert page.browser.execute_script("return document.documentElement.scrollWidth <= window.innerWidth")
    page.one("[data-act=person-menu]").click()
    page.one("[data-menu=mode]").click()
    assert page.one("html[data-theme=dark]")
    page.browser.refresh()
    assert page.one("html[data-theme=dark]")
