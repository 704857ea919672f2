"""In a real browser: a bare machine with a real systemd comes in by its sheet, failures and remedies included."""

from __future__ import annotations

import re

import chromium
import pytest
from page import Page
from processes import RealServer
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from systemd_host import booted


@pytest.fixture
def host():
    if not chromium.is_there():
        pytest.skip("Chromium is not there: make test gets it")
    real = booted("redshank-01", 4)
    yield real
    real.stop()


@pytest.fixture
def page(host, tmp_path):
    server = RealServer(tmp_path, grace=1, bind=host.outside)
    server.make_pass("shoreline")
    browser = chromium.start(tmp_path / "profile")
    shown = Page(browser, server.url)
    shown.come_in()
    shown.says("Yard")
    yield shown
    browser.quit()
    server.stop()


def command_on(page):
    return page.one("[data-command] code").text


def state(page, step, wanted):
    return page.one(f"[data-step={step}][data-state={wanted}]")


def test_a_machine_comes_in_by_its_sheet_with_every_failure_explained_on_the_way(page, host):
    page.one("body").send_keys("n")
    page.says("glibc 2.28 or newer", "aside")
    page.one("[data-field=work]").send_keys("/srv/my builds")
    page.button("Create sheet").click()
    page.says("a space in it, and tools stumble over that")
    page.one("[data-field=work]").send_keys(Keys.BACKSPACE * 14, "/srv/builds")
    page.one("[data-field=account]").send_keys("ghost")
    page.button("Create sheet").click()
    page.one("[data-phase=expected]")
    command = command_on(page)

    assert host.run(f"cd /root && {command}").returncode == 1
    failed = state(page, "preflight", "failed")
    assert "There is no account ghost" in failed.text
    remedy = next(code.text for code in failed.find_elements(By.CSS_SELECTOR, "code") if "useradd" in code.text)
    page.one("[data-phase=failed]")
    page.browser.get(f"{page.url}/")
    page.one("[data-stuck]").find_element(By.TAG_NAME, "a").click()  # left, and found again
    page.one("[data-phase=failed]")
    assert host.run(remedy).returncode == 0

    host.run("mkdir -p /opt && mount -t tmpfs -o size=300m,nr_inodes=400 tmpfs /mnt && mkdir /opt/paddock")
    host.run("mount --bind /mnt /opt/paddock")
    assert host.run(f"cd /root && {command}").returncode == 1
    assert "No space left on device" in state(page, "install", "failed").text
    host.run("umount /opt/paddock /mnt")

    page.button("New command").click()
    fresh = command_on(page)
    assert fresh != command
    assert host.run(f"cd /root && {command}").returncode == 1
    assert "was revoked" in state(page, "preflight", "failed").text
    host.run("printf '#!/bin/sh\\nexit 1\\n' > /usr/local/bin/chown; chmod +x /usr/local/bin/chown")
    wrong_path = f"PATH=/usr/local/bin:$PATH; export PATH; cd /root && {fresh}"
    assert host.run(wrong_path).returncode == 1
    assert "chown" in state(page, "service", "failed").text
    host.run("rm /usr/local/bin/chown")
    assert host.run(f"cd /root && {fresh}").returncode == 0

    for step in ("fetch", "preflight", "install", "join", "service", "connect", "survey"):
        state(page, step, "done")
    page.button("Admit redshank-01").click()
    state(page, "prove", "done")
    page.one("[data-phase=finished]")
    for shown in (r"host: +redshank-01", r"account: +ghost", r"folder: +/srv/builds/", r"git version \d"):
        assert re.search(shown, page.one(".log").text)
    page.browser.get(f"{page.url}/")
    assert page.one("[data-host=redshank-01]").get_attribute("data-link") == "connected"
    page.gone("[data-expected]")


def test_many_machines_stand_in_the_yard_until_they_come(page, host):
    page.browser.get(f"{page.url}/bring-in/many")
    table = page.one("[data-field=table]")
    table.send_keys("name,sytem\nredshank-01,linux\n")
    page.button("Add machines").click()
    page.says("Did you mean “system”?")
    table.send_keys(Keys.CONTROL, "a")
    table.send_keys("name,system,labels\nredshank-01,linux,bench-rig\nredshank-02,linux,\n")
    page.button("Add machines").click()
    page.says("2 machines are expected.")
    command = command_on(page)
    page.one("body").send_keys("1")
    page.one("[data-expected=redshank-01]")
    page.one("[data-expected=redshank-02]")
    assert host.run(f"cd /root && {command}").returncode == 0
    page.one("[data-host=redshank-01][data-link=connected]")
    page.gone("[data-expected=redshank-01]")
    page.one("[data-expected=redshank-02]")
