"""The application in the browser, by what is on the screen."""

from __future__ import annotations

from pathlib import Path

from processes import PASSWORD
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.wait import WebDriverWait
from waiting import PATIENCE

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
OFTEN = 0.1
"""Seconds between two looks at the page."""
_logins: dict[str, list[dict]] = {}
"""The cookies of a login, by server: all tests but those of the login itself come in with them."""


class Page:
    """The application in the browser, by what is on the screen."""

    def __init__(self, browser, url: str) -> None:
        self.browser = browser
        self.url = url

    def _until(self, is_so, what: str):
        """What ``is_so`` finds; looks again for a part of the page that was just redrawn."""
        waiting = WebDriverWait(self.browser, PATIENCE, OFTEN, ignored_exceptions=[StaleElementReferenceException])
        return waiting.until(is_so, what)

    def one(self, selector: str):
        return self._until(
            lambda b: next((one for one in b.find_elements(By.CSS_SELECTOR, selector) if one.is_displayed()), None),
            selector,
        )

    def gone(self, selector: str) -> None:
        self._until(lambda b: not b.find_elements(By.CSS_SELECTOR, selector), selector)

    def button(self, words: str, inside: str = "body"):
        path = f".//button[normalize-space()='{words}']"
        return self._until(
            lambda b: next(iter(b.find_element(By.CSS_SELECTOR, inside).find_elements(By.XPATH, path)), None), words
        )

    def says(self, words: str, inside: str = "main") -> None:
        WebDriverWait(self.browser, PATIENCE, OFTEN, ignored_exceptions=[Exception]).until(
            lambda b: words in b.find_element(By.CSS_SELECTOR, inside).text, f"“{words}” in {inside}"
        )

    def accessibility_violations(self) -> list:
        """What axe finds by WCAG 2.2 A and AA, as rules with the elements."""
        self.browser.execute_script(AXE.read_text())
        return self.browser.execute_async_script(
            "const done = arguments[arguments.length - 1]; "
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}).then("
            "(result) => done(result.violations.map((one) => "
            "[one.id, one.help, one.nodes.map((node) => node.html.slice(0, 200))])))"
        )

    def log_in(self, password: str = PASSWORD) -> None:
        self.browser.get(f"{self.url}/login")
        self.one("input[name=username]").send_keys("harbourmaster")
        field = self.one("input[name=password]")
        field.clear()
        field.send_keys(password, Keys.ENTER)

    def come_in(self) -> None:
        """Comes in as harbourmaster, and is where one comes after the login."""
        if self.url in _logins:
            self.browser.get(f"{self.url}/healthz")
            for cookie in _logins[self.url]:
                self.browser.add_cookie(cookie)
            self.browser.get(f"{self.url}/")
        else:
            self.log_in()
        self.one("nav a")
        _logins.setdefault(self.url, self.browser.get_cookies())
