"""In a real browser: what is on the machines, what changed, what should be there, and how it is looked for."""

from __future__ import annotations

import pytest
from agent_versions import own_version
from page import Page
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from stand_in_yard import StandInYard
from waiting import until


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    real = StandInYard(tmp_path_factory.mktemp("yard"))
    yield real
    real.stop()


@pytest.fixture
def page(browser, yard):
    here = Page(browser, yard.url)
    here.come_in()
    return here


def go(page, place, there):
    page.browser.get(f"{page.url}{place}")
    return page.one(there)


def choose(page, label, option, sought=""):
    """Picks from a list by mouse; from a long one after typing what is sought."""
    page.one(f".ant-select[aria-label='{label}'], .ant-select:has([aria-label='{label}'])").click()
    if sought:
        page.browser.switch_to.active_element.send_keys(sought)
    page.one(f".ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option[title='{option}']").click()


def meant(page):
    """The hosts that the filter shows, read at once: the list is redrawn while a person types."""
    script = "return [...document.querySelectorAll('[data-meant]')].map((one) => one.dataset.meant)"
    return page.browser.execute_script(script)


def test_all_linux_hosts_in_shoreline_with_a_jdk_under_17(page):
    go(page, "/toolchains", "[data-tool-row=jdk]")
    choose(page, "System", "linux hosts")
    choose(page, "Paddock", "shoreline")
    choose(page, "Tool", "jdk", "jdk")
    page.one("[aria-label='Versions, as in a term']").send_keys("<17")
    until(lambda: meant(page) == ["curlew-01", "curlew-04"], "the two of them")
    field = page.one("[aria-label='Versions, as in a term']")
    field.send_keys(Keys.BACKSPACE * 3, "<x")
    page.says("column 2", ".filter")
    page.one("[aria-label='Part of a host\\'s name']").send_keys("curlew-04")
    until(lambda: meant(page) == ["curlew-04"], "the rest of the filter to stand")


def test_a_rail_leads_to_the_hosts_with_that_version_and_two_of_them_are_compared(page):
    go(page, "/toolchains", "[data-tool-row=jdk]")
    choose(page, "Tool", "xcode", "xcode")
    page.one("[data-tool-row=xcode] .piece[title^='15.4']").click()
    until(lambda: set(meant(page)) == {"bramley-04", "russet-01"}, "the hosts with Xcode 15.4")
    for name in ("bramley-04", "russet-01"):
        page.one(f"[aria-label='Compare {name}']").click()
    page.button("Compare 2").click()
    page.says("differences")
    row = page.one("[data-differs='tool ruby']").text
    assert "3.3.6" in row
    assert "not there" in row
    assert not page.browser.find_elements(By.CSS_SELECTOR, "[data-differs='tool xcode']"), (
        "what is the same is not shown"
    )


def test_what_is_broken_is_said_with_its_evidence(page):
    go(page, "/hosts/plover-02", "[data-tool=git]")
    page.says("libjli.so: cannot open shared object file")
    page.one("[data-tool=git] button[aria-expanded]").click()
    page.says("/usr/bin/git --version → git version 2.39.5")
    page.says("exit code 0")


def test_a_change_is_found_shown_and_accepted_with_a_note(page, yard):
    go(page, "/hosts/knot-02", "[data-tool=git]")
    yard.in_terminal("knot-02", "install jdk 21.0.5 in /opt/jdk-21/bin")
    page.button("Survey now").click()
    change = page.one("[data-change='tool jdk came']")
    assert "jdk 21.0.5 was installed at /opt/jdk-21/bin/java" in change.text
    page.one("[data-change='tool jdk came'] input").click()
    page.one("[aria-label='Reason for the change']").send_keys("for the new decoder")
    page.button("Accept 1").click()
    page.says("accepted by harbourmaster: for the new decoder")
    go(page, "/toolchains/jdk", "[data-version='21.0.5']")
    page.says("jdk 21.0.5 was installed at /opt/jdk-21/bin/java")


def test_a_kit_says_what_it_would_do_before_it_is_saved(page):
    go(page, "/toolchains?view=kits", "section[aria-label=Kits]")
    page.button("New kit").click()
    page.one("input[placeholder=gauge-firmware]").send_keys("shoreline-builder")
    choose(page, "Paddocks", "shoreline")
    terms = page.one("[aria-label='Terms, one per line']")
    terms.send_keys("os linux\ntool cmake 3.25+\ntool jdk 17..")
    page.says("the line ends too early", "form.editor")
    terms.send_keys("21")
    page.says("would no longer meet a kit: curlew-01, curlew-02, curlew-04, plover-02", "form.editor")
    page.button("Save kit").click()
    page.one("[data-kit=shoreline-builder]")
    page.says("4 miss something")
    page.button("host by host").click()
    page.says("tool cmake 3.25+ has 3.18.4")


def test_a_tool_is_defined_tried_on_a_host_and_released(page, yard):
    go(page, "/toolchains?view=catalogue", "section[aria-label=Catalogue] li")
    page.button("Add a tool").click()
    text = page.one("[aria-label=Definition]")
    text.send_keys(Keys.CONTROL, "a")
    wrong = 'name: tide-sdk\ntitle: Tide SDK\nkind: other\ncommands: [git]\nreads: ["git version {vers}"]\nlinux: {}\n'
    text.send_keys(wrong)
    page.button("Save draft").click()
    page.says("unknown placeholder {vers}")
    assert page.one("[aria-label=Definition]").get_attribute("value") == wrong, "nothing is lost"
    text.send_keys(Keys.CONTROL, "a")
    text.send_keys(wrong.replace("vers}", "version}"))
    page.button("Save draft").click()
    page.says("Version 1 is a draft")
    choose(page, "Hosts for the trial", "curlew-03", "curlew-03")
    page.button("Run trial").click()
    page.says("2.47.1 at /usr/local/bin/git")
    page.button("Release…").click()
    page.button("Release").click()
    page.says("release 1 by harbourmaster")

    def has_it():
        return "tide-sdk" in {one["tool"] for one in yard.host("curlew-03")["installations"]}

    until(has_it, "the agents to take it, and to survey with it")


def test_agents_are_behind_and_a_rollout_upgrades_them_while_one_looks_on(page, yard):
    go(page, "/", "[data-host=dunlin-01]")
    page.one("a[href='/versions']").click()
    page.one("[data-paddock=annex]")
    page.says(f"are behind {own_version()}")
    assert page.accessibility_violations() == []
    page.one("[data-act=new-rollout]").click()
    page.one("[data-planned='1']")
    page.one("[data-field=waves] input, input[data-field=waves]").send_keys(Keys.BACKSPACE * 20, "none")
    page.says("is not the size of a wave", "aside")
    page.one("[data-field=waves] input, input[data-field=waves]").send_keys(Keys.BACKSPACE * 20, "100%")
    page.one("[aria-label='Pause in minutes']").send_keys(Keys.BACKSPACE * 3, "0", Keys.TAB)
    page.browser.find_element(By.XPATH, "//label[contains(., 'that meet terms')]").click()
    page.one("textarea").send_keys("paddock annex\nos windows")
    until(lambda: "Upgrade 3 hosts" in page.one("[data-act=start]").text, lambda: page.one("aside").text)
    assert page.accessibility_violations() == []
    page.one("[data-act=start]").click()
    for name in ("skiff-01", "skiff-02", "skiff-03"):
        page.one(f"[data-host={name}][data-step=proven]")
    page.says("ended", "h1")
    assert page.accessibility_violations() == []
    page.one("[data-act=go-back]").click()
    page.button("Take back").click()
    page.says("does not hold the agent 0.1.0")
    assert {yard.host(name)["facts"]["agent_version"] for name in ("skiff-01", "skiff-02")} == {own_version()}
