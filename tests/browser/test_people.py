"""People in the browser: an invitation, a second factor, sign-on, a leaver who is shut out, and what assistive
technology finds."""

from __future__ import annotations

import chromium
import pytest
from page import Page
from processes import RealServer, free_port
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.common.virtual_authenticator import VirtualAuthenticatorOptions
from selenium.webdriver.support.select import Select
from waiting import until

from paddock_standins.sign_on_provider import Provider, serve

GOOD = "a long enough secret"


@pytest.fixture(scope="module")
def server(chrome, tmp_path_factory):
    """At localhost, for which browsers make passkeys."""
    real = RealServer(tmp_path_factory.mktemp("people"), name="localhost")
    real.make_pass("shoreline")
    real.api.post("/api/v1/paddocks/", {"name": "workshop"})
    yield real
    real.stop()


@pytest.fixture
def page(browser, server):
    return Page(browser, server.named_url)


@pytest.fixture
def second_browser(chrome, tmp_path):
    driver = chromium.start(tmp_path / "profile")
    yield driver
    driver.quit()


def fill(page, selector, text):
    page.one(selector).send_keys(text)


def invited(server, name, role="operator", paddock="shoreline"):
    """The address of a one-time link, at the name by which the browser knows the server."""
    made = server.api.post("/api/v1/people/", {"name": name, "role": role, "paddock": paddock})
    return made["link"].replace(server.url, server.named_url)


def accept(page, link):
    page.browser.get("about:blank")
    page.browser.get(link)
    fill(page, "input[name=password]", GOOD + Keys.ENTER)
    until(lambda: page.browser.current_url == f"{page.url}/", "the yard")


def logged_in(page, name, password):
    page.browser.get(f"{page.url}/login")
    fill(page, "input[name=username]", name)
    fill(page, "input[name=password]", password + Keys.ENTER)


def test_an_administrator_invites_a_person_who_comes_in_by_the_link(page, server, second_browser):
    page.come_in()
    page.browser.get(f"{page.url}/people")
    page.button("Invite a person").click()
    fill(page, "[data-field=name]", "boatswain")
    page.one("[data-act=add-account]").click()
    link = page.one("[data-link] code").text
    assert f"{page.url}/welcome#paddock-link-" in link
    other = Page(second_browser, page.url)
    second_browser.get(link)
    other.says("Welcome, boatswain")
    fill(other, "input[name=password]", GOOD + Keys.ENTER)
    other.one("nav a")
    until(lambda: "#" not in second_browser.current_url, "the secret to leave the address")
    page.says("boatswain")
    second_browser.get("about:blank")
    second_browser.get(link)
    other.says("This link was used on")


def test_a_leaver_is_shut_out_at_once(page, server, second_browser):
    link = invited(server, "leaver")
    leaver = Page(second_browser, page.url)
    accept(leaver, link)
    second_browser.get(f"{page.url}/board")
    leaver.one("nav a.here")
    until(lambda: second_browser.execute_script("return !document.querySelector('.away')"), "the feed to be open")
    page.come_in()
    page.browser.get(f"{page.url}/people")
    page._until(lambda b: b.find_element(By.CSS_SELECTOR, "[data-person=leaver] .name button"), "leaver").click()
    page.one("[data-act=disable]").click()
    page.button("Disable").click()
    leaver.says("Your session has ended")
    assert "/login" in second_browser.current_url
    page.says("disabled by harbourmaster")
    logged_in(leaver, "leaver", GOOD)
    leaver.says("Name and password do not go together")


def test_a_role_that_is_taken_back_is_gone_on_the_leavers_screen_without_a_reload(page, server, second_browser):
    mate = Page(second_browser, page.url)
    accept(mate, invited(server, "mate", "administrator"))
    second_browser.get(f"{page.url}/people")
    mate.one("[data-person=mate]")
    body = {"paddock": "shoreline", "role": "viewer", "was": "administrator"}
    server.api.put("/api/v1/people/mate/role/", body)
    mate.says("needs the role administrator")


def test_a_role_is_given_in_the_sheet_by_keyboard(page, server):
    server.api.post("/api/v1/people/", {"name": "newcomer", "role": "viewer", "paddock": "shoreline"})
    page.come_in()
    page.browser.get(f"{page.url}/people")
    cell = "[data-cell='newcomer workshop']"
    page._until(lambda b: b.find_element(By.CSS_SELECTOR, cell), "the cell").send_keys(Keys.ENTER)
    choice = page.one("form.change select")
    until(lambda: page.browser.switch_to.active_element == choice, "the choice to have the focus")
    choice.send_keys("op", Keys.ENTER)
    page.one("[data-act=save-role]").send_keys(Keys.ENTER)
    page.gone("form.change")
    until(lambda: "operator" in page.one(cell).text, "the role in its cell")
    held = server.api.get("/api/v1/people/newcomer/")["roles"]
    assert {one["paddock"]: one["role"] for one in held} == {"shoreline": "viewer", "workshop": "operator"}


def test_a_passkey_is_asked_for_after_the_password_and_a_recovery_code_stands_in(page, server):
    options = VirtualAuthenticatorOptions(has_user_verification=True, is_user_verified=True)
    page.browser.add_virtual_authenticator(options)
    try:
        accept(page, invited(server, "keyholder"))
        page.browser.get(f"{page.url}/me")
        fill(page, "[data-field=passkey-name]", "desk key")
        page.one("[data-act=add-passkey]").click()
        codes = page.one("[data-codes] code").text.split()
        assert len(codes) == 10
        page.one("[data-passkey='desk key']")
        page.browser.delete_all_cookies()
        logged_in(page, "keyholder", GOOD)
        page.one("[data-act=use-passkey]").click()
        page.one("nav a")
        page.browser.delete_all_cookies()
        logged_in(page, "keyholder", GOOD)
        page.one("[data-act=use-code]").click()
        fill(page, "input[name=recovery-code]", codes[3] + Keys.ENTER)
        page.one("nav a")
        page.browser.get(f"{page.url}/me")
        page.says("9 recovery codes are left")
    finally:
        page.browser.remove_virtual_authenticator()


def test_sign_on_leads_to_the_provider_and_back_and_out_again(page, server):
    port, secret = free_port(), "a client secret"
    provider = Provider(f"http://127.0.0.1:{port}", [f"{page.url}/sign-on/return"], secret)
    running = serve(provider, port)
    body = {"name": "Harbour ID", "issuer": provider.issuer, "client_id": provider.client, "client_secret": secret}
    made = server.api.post("/api/v1/sign-on-providers/", body)
    roles = [{"group": "gauge-team", "role": "operator", "paddock": "shoreline"}]
    server.api.put(f"/api/v1/sign-on-providers/{made['id']}/mapping/", {"roles": roles, "version": 1})
    try:
        page.browser.get(f"{page.url}/login?to=/me")
        page.one("[data-provider='Harbour ID']").click()
        page.browser.find_element(By.LINK_TEXT, "soundings").click()
        page.says("operator in shoreline")
        page.says("sign-on with Harbour ID")
        page.one("[data-act=person-menu]").click()
        page.one("[data-menu=out]").click()
        page.one("input[name=username]")
        page.one("[data-provider='Harbour ID']").click()
        page.browser.find_element(By.LINK_TEXT, "visitor").click()
        page.says("None of your groups has a role here")
    finally:
        running.shutdown()
        running.server_close()


def test_who_meets_a_refusal_can_ask_and_it_is_granted_for_a_week(page, server, second_browser):
    asker = Page(second_browser, page.url)
    accept(asker, invited(server, "asker", "viewer"))
    second_browser.get(f"{page.url}/people")
    asker.says("needs the role administrator")
    asked = {"role": "operator", "paddock": "shoreline", "reason": "on call this week"}
    second_browser.execute_async_script(
        """
        const [body, done] = arguments
        const token = document.cookie.match(/paddock_csrf=([^;]*)/)[1]
        const headers = {'Content-Type': 'application/json', 'X-CSRFToken': token}
        fetch('/api/v1/access-requests/', {method: 'POST', body: JSON.stringify(body), headers}).then(() => done())
        """,
        asked,
    )
    page.come_in()
    Select(page.one("[data-access=asker] select")).select_by_visible_text("for a week")
    page.one("[data-access=asker] [data-act=grant-access]").click()
    page.gone("[data-access=asker]")
    held = server.api.get("/api/v1/people/asker/")["roles"]
    assert [(one["role"], bool(one["ends_at"])) for one in held] == [("viewer", False), ("operator", True)]


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_the_screens_have_no_violation(page, server, theme):
    server.api.post("/api/v1/service-accounts/", {"name": f"ci-{theme}", "role": "viewer", "team": "gauges"})
    server.api.post("/api/v1/tokens/", {"account": f"ci-{theme}", "name": "nightly"})
    page.browser.get(f"{page.url}/login")
    page.browser.execute_script(f"localStorage.setItem('paddock-theme', '{theme}')")
    found = {}
    page.browser.get(f"{page.url}/login")
    page.one("input[name=username]")
    found["login"] = page.accessibility_violations()
    page.browser.get(f"{page.url}/welcome#paddock-link-unknown")
    page.says("This link is unknown")
    found["welcome"] = page.accessibility_violations()
    page.come_in()
    for place in ("people", "people/sign-on", "me"):
        page.browser.get(f"{page.url}/{place}")
        page.one("h1")
        page._until(lambda b: not b.find_elements(By.CSS_SELECTOR, ".ant-spin"), "the screen")
        page.one({"people": "table", "people/sign-on": ".plot, p.soft", "me": "[data-session]"}[place])
        found[place] = page.accessibility_violations()
    page.browser.get(f"{page.url}/people")
    page._until(lambda b: b.find_element(By.CSS_SELECTOR, f"[data-person=ci-{theme}] .name button"), "the row").click()
    page.one("[data-token-row=nightly]")
    found["a person"] = page.accessibility_violations()
    assert {place: one for place, one in found.items() if one} == {}
