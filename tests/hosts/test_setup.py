"""The built server on a real systemd host: set up as a service, used, set up again, watched, and removed."""

from __future__ import annotations

import re

import chromium
import httpx
import pytest
from installed_server import DATA, HOME, installed, setup
from page import Page
from selenium.webdriver.common.keys import Keys
from waiting import until

PASSWORD = "a long enough secret"


@pytest.fixture(scope="module")
def host():
    with installed("curlew-09", 7) as real:
        yield real


@pytest.fixture
def browser(tmp_path):
    if not chromium.is_there():
        pytest.skip("Chromium and ChromeDriver are not installed: sh setup/test-tools.sh")
    driver = chromium.start(tmp_path / "profile")
    yield driver
    driver.quit()


def shown(host, what):
    return host.run(f"systemctl show yellow-paddock -P {what}").stdout.strip()


def test_a_server_is_set_up_used_watched_and_removed(host, browser):
    code, output = setup(host, "--dry-run")
    assert code == 0, output
    assert output.count("would: ") == 4
    assert host.run(f"ls -d {DATA} /etc/yellow-paddock; id yellow-paddock").stdout == ""

    code, output = setup(host)
    assert code == 0, output + host.run("journalctl -u yellow-paddock -n 40 --no-pager").stdout
    link = re.search(r"(http\S+)/welcome#(paddock-link-\S+)", output)
    assert link and link[1] == f"http://{host.inside}:8200", output
    assert (shown(host, "ActiveState"), shown(host, "Type")) == ("active", "notify")
    assert host.run(f"stat -c '%U %a' {DATA}").stdout.strip() == "yellow-paddock 700"
    pid = shown(host, "MainPID")
    assert host.run(f"ps -o user= -p {pid}").stdout.strip().startswith("yellow-p")
    assert host.run(f"nsenter -t {pid} -m ls /root").stdout == "", "the service sees no home"

    page = Page(browser, link[1])
    browser.get(f"{link[1]}/welcome#{link[2]}")
    page.says("harbourmaster, choose a new password")
    page.one("input[name=password]").send_keys(PASSWORD, Keys.ENTER)
    page.one("nav a")
    chromium.forget(browser)
    page.log_in(PASSWORD)
    page.says("harbourmaster", "body")
    page.one("nav a")
    assert httpx.get(f"{link[1]}/install/paddock.sh", timeout=30).status_code == 200

    code, output = setup(host)
    assert (code, output.count("done already: ")) == (0, 4), output
    assert "welcome#" not in output, "there is an administrator already"
    assert shown(host, "MainPID") == pid, "nothing changed, so nothing is restarted"

    host.run("echo link_grace = 30 >> /etc/yellow-paddock/paddock.toml")
    code, output = setup(host, "--port 8300")
    assert code == 0, output
    assert "link_grace = 30" in host.run("cat /etc/yellow-paddock/paddock.toml").stdout
    listed = host.run(f"{HOME}/bin/paddock config").stdout
    assert "link_grace = 30    (/etc/yellow-paddock/paddock.toml:" in listed
    assert httpx.get(f"http://{host.inside}:8300/readyz", timeout=30).json() == {"status": "ok"}

    host.run(
        "mkdir -p /etc/systemd/system/yellow-paddock.service.d && printf '[Service]\\nWatchdogSec=3\\n' > "
        "/etc/systemd/system/yellow-paddock.service.d/watchdog.conf && systemctl daemon-reload && "
        "systemctl restart yellow-paddock"
    )
    hung = shown(host, "MainPID")
    host.run(f"kill -STOP {hung}")
    until(lambda: shown(host, "MainPID") not in ("0", hung), "systemd to restart a server that hangs")
    until(lambda: shown(host, "ActiveState") == "active", "the server to be back")
    assert "watchdog" in host.run("journalctl -u yellow-paddock --no-pager").stdout.lower()

    code, output = setup(host, "--remove")
    assert (code, "are left" in output) == (0, True), output
    assert host.run("systemctl cat yellow-paddock").returncode != 0
    assert host.run(f"ls {DATA}/paddock.sqlite3").returncode == 0
    code, output = setup(host, "--remove --with-data")
    assert code == 0, output
    assert host.run(f"ls -d {DATA} || id yellow-paddock").returncode != 0


@pytest.mark.parametrize(
    ("options", "says"),
    [
        ("--name 'two words'", "is not a host name"),
        ("--account root", "cannot be the account"),
        ("--account 'x y'", "cannot be the account"),
        ("--data /root/paddock", "cannot be the data folder"),
        ("--data relative", "use an absolute path"),
        ("--data '/var/lib/a b'", "use an absolute path"),
        ("--data /var", "cannot be the data folder"),
        ("--port 70000", "is not a port"),
    ],
)
def test_options_that_cannot_be(host, options, says):
    code, output = setup(host, options)
    assert (code, says in output) == (1, True), output
    assert host.run("ls /etc/systemd/system/yellow-paddock.service").returncode != 0
