"""Plan in the browser: whether another machine is needed, what a change would do, and what it costs."""

from __future__ import annotations

import time

import pytest
from page import Page
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select
from stand_in_yard import StandInYard
from waiting import until

from paddock_standins.description import all_hosts
from paddock_standins.made_up_runs import ORIGIN, made_up_runs


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    folder = tmp_path_factory.mktemp("yard")
    real = StandInYard(folder)
    file = folder / "runs.jsonl"
    # The work that grows is enough: all six weeks of everything would take a minute to be played.
    lines = (line for line in made_up_runs(all_hosts(), time.time()) if "pilot-mobile" in line or "closed" in line)
    file.write_text("\n".join(lines))
    done = real.command("history", str(file), "--runs", ORIGIN)
    assert done.returncode == 0, done.stderr
    until(lambda: real.api.get("/api/v1/plan/outlook/")["rehearsal"], "the server's outlook")
    yield real
    real.stop()


@pytest.fixture
def page(browser, yard):
    here = Page(browser, yard.url)
    here.come_in()
    return here


def choose(page, field, option):
    """Picks from one of our own lists; the mark is on the list itself or on the label around it."""
    Select(page.one(f"select[data-field={field}], [data-field={field}] select")).select_by_visible_text(option)


def add(page, kind, **fields):
    choose(page, "kind", kind)
    for name, option in fields.items():
        choose(page, name, option)
    page.one("[data-act=add-change]").click()


def test_another_machine_when_and_what_it_costs_in_four_clicks(page, yard):
    page.browser.find_element("tag name", "body").send_keys("5")
    page.says("grows", "[data-part=headline]")
    page.says("target breaks in about", "[data-part=headline]")
    page.says("With one more host like", "[data-part=headline]")
    page.one("[data-share=pilot-mobile]")
    assert page.accessibility_violations() == []
    page.one("[data-view=kinds]").click()
    page.says("grows 4 % a week", "[data-kind='os macos, label mobile']")
    page.says("russet-01 alone", "[data-kind='os macos, label release-signing']")
    assert page.one("[aria-label^='Jobs an hour of os macos, label mobile. Mon: at most']")
    assert page.accessibility_violations() == []

    page.one("[data-view=rehearsals]").click()
    add(page, "Add hosts like one", like="russet-01 · orchard")
    add(page, "Grow a pipeline", pipeline="pilot-mobile")
    page.one("[data-act=rehearse]").click()
    page.says("1 more host like russet-01", "[data-sheet]")
    page.says("pilot-mobile", "[data-part=verdict]")
    page.says("1.3 times the jobs of pilot-mobile", "[data-part=effects]")
    page.says("Played unchanged", "[data-part=trust]")
    assert page.accessibility_violations() == []

    yard.api.post("/api/v1/plan/costs/", {"paddock": "orchard", "price": 2400, "years": 4})
    page.one("[data-view=report]").click()
    page.says("a month", "[data-part=cost]")
    choose(page, "proposal", "Add hosts like one: russet-01, 1; Grow a pipeline: pilot-mobile, 1.3")
    page.says("At the mean cost of a host, that is 50.00 more a month", "[data-part=report]")
    dates = page.one("[data-part=report] h2").text
    page.browser.get(page.one(".tools code").text)
    page.says(dates, "[data-part=report] h2")
    page.says("At the mean cost of a host", "[data-part=report]")
    assert page.accessibility_violations() == []


def test_changes_that_contradict_each_other_say_so_and_one_can_be_removed(page):
    page.browser.get(f"{page.url}/plan/rehearsals")
    choose(page, "kind", "Retire hosts")
    page.one(".change [data-field=hosts] .ant-select").click()
    page.browser.switch_to.active_element.send_keys("laxton-01", Keys.ENTER, Keys.ESCAPE)
    page.one("[data-act=add-change]").click()
    choose(page, "kind", "Set slots")
    page.one(".change [data-field=hosts] .ant-select").click()
    page.browser.switch_to.active_element.send_keys("laxton-01", Keys.ENTER, Keys.ESCAPE)
    page.one("[data-act=add-change]").click()
    page.one("[data-act=rehearse]").click()
    page.says("retires laxton-01", "[data-sheet]")
    number = page.one("[data-sheet]").get_attribute("data-sheet")
    page.one("[data-act=remove]").click()
    page.gone(f"[data-rehearsal='{number}']")


def test_a_host_says_who_used_it_and_how_fast_it_is(page):
    page.browser.get(f"{page.url}/hosts/bramley-01")
    page.says("times as long here as on its peers", "[data-part=speed]")
    page.says("pilot-mobile", "[data-part=use]")
