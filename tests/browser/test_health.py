"""In a real browser: from a trouble that is found, through its evidence, to the remedy that closes it."""

from __future__ import annotations

import pytest
from page import Page
from selenium.webdriver.common.by import By
from stand_in_yard import StandInYard
from waiting import until

HERE = ("skiff-01", "dunlin-02", "dinghy-01")
"""The stand-ins that these tests look at; all of them join."""


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    """A server of its own, whose watches report every two seconds, with the stand-ins connected and let in."""
    real = StandInYard(tmp_path_factory.mktemp("yard"), watch=2)
    until(lambda: all(real.host(name)["watch"] for name in HERE), "the watches to report")
    yield real
    real.stop()


@pytest.fixture
def page(browser, yard):
    shown = Page(browser, yard.url)
    shown.come_in()
    shown.says("Yard")
    return shown


def test_from_trouble_to_remedy(page, yard):
    yard.in_terminal("skiff-01", "stop agent")
    plate = "a[data-host=skiff-01]"
    page.one(f"{plate}[data-link=stopped] .corner")
    item = "[data-finding=service-stopped]"
    page.says("The machine is up. The agent's service was stopped", item)
    page.button("Evidence and remedy", item).click()
    command = page.one(f"{item} .copy-text code").text
    assert command.endswith("service start")
    page.one(f"{item} h3 a").click()
    page.says("skiff-01", "h1")
    broken = page.one(".way li.broken")
    assert "The agent was stopped" in broken.text
    page.says("Service running · broken", ".way")
    page.one("[data-lane=Link] rect.stopped")
    page.one("[data-lane=Findings] rect.urgent")
    yard.in_terminal("skiff-01", command)
    page.gone(item)
    page.gone(".way li.broken")
    page.one("body").send_keys("4")
    page.says("Watch")
    page.one("[data-over=service-stopped]")
    page.one("[data-watched=skiff-01]")


def test_somebody_sees_to_it(page):
    item = "[data-finding=started-by-hand][data-about-host=dunlin-02]"
    page.button("Acknowledge", item).click()
    page.one(f"{item} input").send_keys("a service from Thursday on")
    page.one("form.noting button[type=submit]").click()
    page.gone(item)
    page.browser.find_element(By.XPATH, "//button[contains(., 'acknowledged or snoozed')]").click()
    page.says("Acknowledged by harbourmaster: a service from Thursday on", item)
    page.button("Reopen", item).click()
    page.button("Acknowledge", item)


def test_a_service_that_builds_need(page, yard):
    page.button("fence…", "[data-paddock=workshop]").click()
    field = page.one("[data-field=services] input")
    field.send_keys("chartdb,")
    page.button("Save").click()
    item = "[data-finding=watched-service-down][data-about-host=dinghy-01]"
    page.says("The watched service chartdb is stopped", item)
    page.button("Start the service", item).click()
    page.gone(item)
    page.browser.get(f"{yard.url}/hosts/dinghy-01")
    page.says("running", "[data-service=chartdb]")


def test_readings_are_drawn(page, yard):
    page.browser.get(f"{yard.url}/hosts/dinghy-01")
    for reading in ("load", "memory_free", "disk_free", "clock"):
        page.one(f"[data-reading={reading}] svg")


def test_who_is_told(page):
    page.one("body").send_keys("4")
    page.button("Add a rule").click()
    page.one("[data-field=name]").send_keys("signal mast")
    page.browser.find_element(By.XPATH, "//label[normalize-space()='Webhook']").click()
    target = page.one("[data-field=target]")
    target.send_keys("nowhere")
    page.button("Save rule").click()
    page.says("is not a webhook address", ".ant-drawer-open")
    target.clear()
    target.send_keys("http://127.0.0.1:9/hook")
    page.button("Save rule").click()
    assert page.one("[data-webhook-secret] code").text.startswith("paddock-webhook-")
    rule = "[data-rule='signal mast']"
    page.button("Send a test", rule).click()
    page.says("could not be reached", "[data-delivery=waiting]")
    page.button("Retry now", "[data-delivery=waiting]")
