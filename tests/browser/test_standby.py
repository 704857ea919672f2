"""Standby in the browser: a policy, a host that powers down and wakes for a job, and what its plate and sheet say."""

from __future__ import annotations

import pytest
from page import Page
from selenium.webdriver.support.select import Select
from stand_in_yard import StandInYard
from waiting import until

from paddock_standins.power_controller import Plugged, PowerController

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


def test_a_controller_is_entered_refused_corrected_and_wakes_the_host(page, yard, tmp_path):
    switched = []
    plugged = Plugged(lambda: False, switched.append)
    controller = PowerController(plugged, tmp_path / "controller.pem")
    page.browser.get(f"{page.url}/hosts/{SLEEPER}")
    page.one("[data-act=edit-power]").click()
    Select(page.one("select[data-field=way], [data-field=way] select")).select_by_visible_text(
        "its controller, by Redfish"
    )
    page.one("[data-act=save-power]").click()
    page.says("Enter the address of the controller", "[data-part=power] [role=alert]")
    page.one("[data-field=controller]").send_keys(controller.address)
    page.one("[data-field=controller-user]").send_keys(plugged.user)
    page.one("[data-field=controller-password]").send_keys("not this one")
    page.one("[data-field=certificate]").send_keys(controller.certificate)
    assert page.accessibility_violations() == []
    page.one("[data-act=save-power]").click()
    page.gone("[data-act=save-power]")
    page.one("[data-act=power-down]").click()
    page.button("Power down").click()
    page.says("Asleep since", "[data-part=power-state]")
    page.one("[data-act=wake]").click()
    page.says("refused the account or its password", "[data-part=refused]")
    page.says("Does not wake since", "[data-part=power-state]")
    assert (switched, plugged.asked[False]) == ([], 1)

    page.one("[data-act=edit-power]").click()
    page.one("[data-field=controller-password]").send_keys(plugged.password)
    page.one("[data-act=save-power]").click()
    page.gone("[data-part=refused]")
    page.one("[data-act=wake]").click()
    page.says("accepted the order to switch it on", "[data-part=power]")
    assert switched == [True]
    controller.stop()
