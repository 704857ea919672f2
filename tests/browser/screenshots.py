"""Takes the pictures in docs/screenshots from a fresh demo: ``make screenshots``."""

from __future__ import annotations

import argparse
import json
import socket
import sys
import tempfile
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webdriver import WebDriver
from selenium.webdriver.support.wait import WebDriverWait

sys.path.insert(0, str(Path(__file__).parents[1] / "support"))

import chromium
from waiting import until

from paddock_standins.api_client import Api
from paddock_standins.bring_up_story import REAL_HOST
from paddock_standins.demo import Demo

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


class Photographer:
    """Goes from place to place and takes pictures."""

    def __init__(self, browser: WebDriver, url: str, folder: Path) -> None:
        self.browser = browser
        self.url = url
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def until_there(self, selector: str) -> None:
        WebDriverWait(self.browser, 20).until(lambda b: b.find_elements(By.CSS_SELECTOR, selector))

    def go(self, path: str, there: str) -> None:
        self.browser.get(self.url + path)
        self.until_there(there)

    def click(self, selector: str) -> None:
        self.until_there(selector)
        self.browser.find_element(By.CSS_SELECTOR, selector).click()

    def shoot(self, name: str) -> None:
        self.browser.execute_async_script("document.fonts.ready.then(() => setTimeout(arguments[0], 400))")
        self.browser.save_screenshot(str(self.folder / f"{name}.png"))
        print(self.folder / f"{name}.png")

    def log_in(self, user: str, password: str) -> None:
        self.go("/login", "input[name=username]")
        self.browser.find_element(By.NAME, "username").send_keys(user)
        self.browser.find_element(By.NAME, "password").send_keys(password, Keys.ENTER)
        self.until_there(".plate")

    def dark(self, on: bool) -> None:
        self.browser.execute_script("localStorage.setItem('paddock-theme', arguments[0])", "dark" if on else "light")


def _rehearsal(api: Api) -> int:
    """One more Mac, and two old spares out, for the work that grows."""
    span = until(lambda: api.get("/api/v1/plan/outlook/")["rehearsal"], "the server's outlook")
    changes = [
        {"kind": "add hosts", "like": "russet-01", "count": 1},
        {"kind": "retire hosts", "hosts": ["dunlin-01", "dunlin-02"]},
    ]
    asked = {"name": "One more Mac, two old spares out", "since": span["since"], "until": span["until"]}
    return int(api.post("/api/v1/rehearsals/", {**asked, "changes": changes})["id"])


def take_all(camera: Photographer, api: Api, login: dict[str, str]) -> None:
    """One picture of each main view."""
    camera.browser.get(camera.url + "/healthz")
    camera.dark(False)
    camera.log_in(login["user"], login["password"])
    camera.until_there("[data-gate]")
    camera.shoot("yard")
    camera.click(".bring")
    camera.until_there("form [data-field=name]")
    camera.shoot("bring-in")
    sheets = {one["title"]: one["id"] for one in api.get("/api/v1/bring-ups/?all=true")["results"]}
    camera.go(f"/bring-in/{sheets['ketch-02']}", "[data-phase=failed]")
    camera.shoot("bring-up-failed")
    camera.go(f"/hosts/{REAL_HOST}", "[data-tool=git]")
    camera.shoot("host")
    camera.go("/toolchains", "[data-tool-row=jdk]")
    camera.shoot("toolchains")
    camera.go("/watch", "[data-forecast] svg path")
    camera.until_there("[data-delivery=sent]")
    camera.shoot("watch")
    jobs = {one["name"]: one["id"] for one in api.get("/api/v1/jobs/?page_size=200")["results"]}
    camera.go(f"/board/{jobs['sign-installer']}", ".funnel")
    camera.shoot("board-waiting")
    runs = [one for one in api.get("/api/v1/jobs/?pipeline=tide-gauge-firmware")["results"] if one["ended_at"]]
    failed, _ = [one["id"] for one in runs if one["name"] == "build-and-test"]
    camera.go(f"/runs/{failed}", ".run-log .line")
    camera.shoot("run")
    camera.go("/maintenance", ".bar")
    camera.shoot("maintenance")
    camera.go("/pipelines", "[data-source]")
    camera.shoot("pipelines")
    camera.go("/people", "[data-person=tide-ci]")
    camera.shoot("people")
    camera.go("/versions", "[data-rollout]")
    camera.shoot("versions")
    camera.go("/plan?paddock=orchard", "[data-share]")
    camera.shoot("plan-use")
    camera.go("/standby", "[data-sleeper]")
    camera.shoot("standby")
    camera.go(f"/plan/rehearsals/{_rehearsal(api)}", "[data-part=verdict]")
    camera.shoot("rehearsal")
    camera.go("/server", "[data-backup=made]")
    camera.shoot("this-server")
    camera.go("/logbook", "table")
    camera.shoot("logbook")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--to", type=Path, default=FOLDER)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch, socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
        probe.close()
        demo = Demo(Path(scratch) / "demo", port)
        try:
            demo.start()
            if demo.fill():
                return 1
            login = json.loads((demo.data / "login.json").read_text())
            browser = chromium.start(Path(scratch) / "profile")
            try:
                camera = Photographer(browser, demo.url, options.to)
                take_all(camera, Api(demo.url, login["token"]), login)
            finally:
                browser.quit()
        finally:
            demo.stop()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
