"""This server in the browser: its growth, a backup by a click, and retention with what it removes."""

from __future__ import annotations

import json
import shutil
import time

import pytest
from page import Page
from processes import RealServer
from selenium.webdriver.common.keys import Keys
from waiting import until

MB = 1_000_000


@pytest.fixture(scope="module")
def backups(tmp_path_factory):
    return tmp_path_factory.mktemp("backups")


@pytest.fixture(scope="module")
def server(chrome, tmp_path_factory, backups):
    folder = tmp_path_factory.mktemp("server")
    real = RealServer(folder, settings={"PADDOCK_BACKUP_FOLDER": str(backups), "PADDOCK_BACKUP_HOURS": "48"})
    real.make_pass("shoreline")
    past = folder / "past.json"
    now, disk = time.time(), shutil.disk_usage(folder)
    samples = [
        {
            "at": now - day * 86400, "database": (90 - day) * MB, "logs": 0, "outputs": 0,
            "free": disk.free + day * 1000 * MB, "total": disk.total,
        }
        for day in range(60, 0, -1)
    ]  # fmt: skip
    past.write_text(json.dumps({"storage": samples}))
    done = real.command("history", str(past))
    assert (done.returncode, "60 samples of storage" in done.stdout) == (0, True), done.stderr
    yield real
    real.stop()


@pytest.fixture
def page(browser, server):
    page = Page(browser, server.url)
    page.come_in()
    page.browser.get(f"{server.url}/server")
    page.says("This server")
    return page


def test_backups_by_the_schedule_and_by_a_click(page, backups):
    until(lambda: list(backups.glob("paddock-*/manifest.json")), "the first backup")
    page.one("[data-backup=made]")
    page.says("The next is due in 2 d")
    page.one("[data-act=back-up]").click()
    page.says("for harbourmaster")
    assert len(list(backups.glob("paddock-*"))) == 2


def test_growth_and_the_day_on_which_the_disk_is_full(page):
    page.says("full in about")
    page.says("+1 MB per day")


def test_retention_shows_what_it_removes_and_then_does(page, server):
    page.one("[data-rule='logs and files of everything']")
    page.one("[data-act=change-retention]").click()
    page.one("[data-act=add-rule]").click()
    days = page.one("[data-draft='1'] input[aria-label='Days of rule 2']")
    days.send_keys(Keys.CONTROL, "a")
    days.send_keys("40", Keys.TAB)
    pipeline = page.one("[data-draft='1'] [data-field=pipeline]")
    pipeline.send_keys("pilot")
    page.one("[data-act=preview]").click()
    page.says("removes nothing now")
    assert page.accessibility_violations() == []
    pipeline.send_keys("-mobile")
    page.one("[data-act=preview]").click()
    page.one("[data-act=save-retention]").click()
    page.says("pipeline pilot-mobile")
    page.says("40 days")
    rules = server.api.get("/api/v1/server/retention/")["rules"]
    assert [(one["kind"], one["days"], one["pipeline"]) for one in rules][1] == ("jobs", 40, "pilot-mobile")


def test_what_cannot_be_is_said_and_nothing_is_lost(page):
    page.one("[data-act=change-retention]").click()
    page.one("[data-act=add-rule]").click()
    page.one("[data-act=add-rule]").click()
    page.one("[data-act=preview]").click()
    page.says("There are two rules for jobs of the same place.")
    assert len(page.browser.find_elements("css selector", "[data-draft]")) >= 3


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_nothing_on_it_is_inaccessible(page, theme):
    page.browser.execute_script("document.documentElement.dataset.theme = arguments[0]", theme)
    page.one("[data-pulse=queue]")
    assert page.accessibility_violations() == []


def test_it_is_in_the_menu_of_administrators(page):
    page.browser.get(page.url)
    page.one("[data-act=person-menu]").click()
    page.one("[data-menu=server]").click()
    page.says("Storage")
