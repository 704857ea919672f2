"""Headless Chromium from Debian's packages, for the browser tests and the screenshots."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service

WIDTH, HEIGHT = 1280, 800
QUIET = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
    "--force-color-profile=srgb",
)
"""It starts no traffic of its own: the tests run without a network."""


def is_there() -> bool:
    """Whether browser and driver are installed."""
    return bool(shutil.which("chromium") and shutil.which("chromedriver"))


def start(profile: Path, width: int = WIDTH, height: int = HEIGHT, more: Sequence[str] = ()) -> webdriver.Chrome:
    """A fresh browser whose page is ``width`` by ``height``."""
    options = Options()
    options.binary_location = shutil.which("chromium") or ""
    for flag in (*QUIET, *more, f"--user-data-dir={profile}", f"--window-size={width},{height}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    browser = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    size(browser, width, height)
    return browser


def size(browser: webdriver.Chrome, width: int, height: int) -> None:
    """Makes the page ``width`` by ``height``."""
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False},
    )


def forget(browser: webdriver.Chrome) -> None:
    """Makes it as it was when it was started: one empty window, no cookies, nothing stored, no words in its log."""
    first, *others = browser.window_handles
    for window in others:
        browser.switch_to.window(window)
        browser.close()
    browser.switch_to.window(first)
    here = browser.execute_script("return location.origin")
    browser.get("about:blank")
    browser.execute_cdp_cmd("Network.clearBrowserCookies", {})
    if here.startswith("http"):
        browser.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": here, "storageTypes": "all"})
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "", "features": []})
    size(browser, WIDTH, HEIGHT)
    browser.get_log("browser")
