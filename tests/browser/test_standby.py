"""Standby in the browser: a policy, a host that powers down and wakes for a job, and what its plate and sheet say."""

from __future__ import annotations

import pytest
from page import Page
from selenium.webdriver.support.select import Select
from stand_in_yard import StandInYard
from waiting import until

SLEEPER = "plover-02"


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    real = StandInYard(tmp_path_factory.mktemp("yard"), watch=2)
    until(lambda: real.host(SLEEPER)["watch"], "its watch to report")
    until(lambda: real.host(SLEEPER)["readiness"] == "free", "it to be free")
    yield real
    real.stop()


@pytest.fixture
def page(browser, yard):
    shown = Page(browser, yard.url)
    shown.come_in()
    return shown


def test_a_host_is_let_sleep_and_wakes_for_a_job(page, yard):
    page.browser.get(f"{page.url}/standby")
    page.says("No host sleeps")
    Select(page.one("select[data-field=place], [data-field=place] select")).select_by_visible_text(SLEEPER)
    page.one("[data-act=save-policy]").click()
    page.says("powers down after 30 min idle", f"[data-policy={SLEEPER}]")
    page.one(f"[data-sleeper={SLEEPER}]")
    assert page.accessibility_violations() == []

    page.browser.get(f"{page.url}/hosts/{SLEEPER}")
    page.says("An administrator can allow it", "[data-part=stays]")
    page.one("[data-act=edit-power]").click()
    page.one("[data-field=may-power-down]").click()
    page.one("[data-field=watts]").send_keys("50")
    page.one("[data-act=save-power]").click()
    page.gone("[data-part=stays]")
    page.one("[data-act=power-down]").click()
    page.button("Power down").click()
    page.says("Asleep since", "[data-part=power-state]")
    page.says("asleep on purpose", ".way")
    assert page.accessibility_violations() == []

    page.browser.get(f"{page.url}/")
    page.one(f"a.plate.asleep[data-host={SLEEPER}]")
    page.says("asleep", f"a[data-host={SLEEPER}]")
    job = yard.submit("hostname", [f"host {SLEEPER}"])
    until(lambda: "is being woken" in yard.job(job)["reason"], lambda: yard.job(job))
    until(lambda: yard.job(job)["state"] == "passed", lambda: yard.job(job))
    page.gone(f"a.plate.asleep[data-host={SLEEPER}]")
    page.browser.get(f"{page.url}/hosts/{SLEEPER}")
    page.says("On since", "[data-part=power-state]")
    page.says("it woke", "[data-part=power] summary")
