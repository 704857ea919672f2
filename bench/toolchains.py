"""What surveys and the toolchains' screen cost the server: ``make bench``, or ``python bench/toolchains.py [HOSTS]``.

Two thousand hosts with a hundred tools each: taking in a survey that changed nothing and one that did, against the
bare saving of a host; the columns of the fleet, against the bare encoding of their answer; and in a real browser, from
typing into the filter to the next frame.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "support"))

TOOLS = 100
SEED_PASSWORD = "tide-gauge-bench"


def report(number: int, changed: bool = False):
    """A survey of host ``number``: three versions of each tool over the fleet."""
    from paddock_agent import wire

    facts = wire.Facts(os=("linux", "macos", "windows")[number % 3], os_version="12", arch="x64", cores=8)
    installed = [
        wire.FoundInstallation(f"tool-{t:03}", f"{1 + (number + t) % 3}.{t}{'.9' if changed and t == 7 else ''}",
                          f"/opt/tool-{t:03}/bin/tool", f"/opt/tool-{t:03}", True, "evidence", 0, "output")
        for t in range(TOOLS)
    ]  # fmt: skip
    details = wire.Details(build="6.1", variables=[f"VARIABLE_{i}" for i in range(40)], groups=["build"])
    return wire.SurveyReport(facts=facts, installations=installed, details=details, because="daily")


def timed(work, items) -> list[float]:
    times = []
    for item in items:
        began = time.perf_counter()
        work(item)
        times.append(time.perf_counter() - began)
    return times


def measure_server(size: int) -> None:
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import transaction

    from paddock_server import secret
    from paddock_server.access.actions.add_user import add_user
    from paddock_server.hosts.models import Host, Paddock
    from paddock_server.people.actor import COMMAND_LINE, SERVER
    from paddock_server.people.models import Role
    from paddock_server.tool_reports.queries import columns
    from paddock_server.toolchains.actions.record_survey import record_survey

    call_command("migrate", verbosity=0)
    paddocks = [Paddock.objects.create(name=name) for name in ("shoreline", "workshop", "orchard", "annex")]
    Host.objects.bulk_create(
        Host(name=f"knot-{i:04}", paddock=paddocks[i % 4], standing="admitted", key_digest=secret.digest(f"key-{i}"))
        for i in range(size)
    )
    add_user(COMMAND_LINE, "meter", SEED_PASSWORD, Role.ADMINISTRATOR, None)
    hosts = list(Host.objects.select_related("paddock"))

    def bare(host) -> None:
        with transaction.atomic():
            host.save(update_fields=["facts", "surveyed_at"])

    def fresh(number: int):
        return Host.objects.select_related("paddock").get(pk=hosts[number].pk)

    first = timed(lambda n: record_survey(fresh(n), report(n)), range(size))
    same = timed(lambda n: record_survey(fresh(n), report(n)), range(0, size, 10))
    other = timed(lambda n: record_survey(fresh(n), report(n, True)), range(0, size, 10))
    saved = timed(bare, [hosts[n] for n in range(0, size, 10)])
    base = statistics.median(saved)
    for name, times in (("first survey", first), ("unchanged", same), ("one version changed", other)):
        middle = statistics.median(times)
        print(f"{name}: {middle * 1000:.1f} ms, {middle / base:.1f} times a bare save of {base * 1000:.2f} ms")
    cold, took, _ = timed(lambda actor: columns(actor), [SERVER] * 3)
    answer = columns(SERVER)
    (encoding,) = timed(json.dumps, [answer])
    size_of = len(json.dumps(answer, separators=(",", ":")))
    print(f"columns of {size} hosts x {TOOLS} tools: {took:.2f} s ({cold:.2f} s the first time)")
    print(f"that is {took / encoding:.0f} times their bare encoding")
    print(f"their answer: {size_of / 1e6:.2f} MB, {size_of / size / TOOLS:.1f} bytes a cell")


FRAMES = """
const done = arguments[arguments.length - 1];
const field = document.querySelector('[aria-label="Part of a host\\'s name"]');
const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
const times = [];
const texts = ['1', '12', '123', '12', '1', '', '5', '55', '5', '', '7', ''];
function next() {
    if (!texts.length) return done(times);
    const began = performance.now();
    set.call(field, texts.shift());
    field.dispatchEvent(new Event('input', { bubbles: true }));
    // The work is done in microtasks and before the frame is drawn; the message comes after it was.
    requestAnimationFrame(() => { const channel = new MessageChannel();
        channel.port1.onmessage = () => { times.push(performance.now() - began); setTimeout(next, 50); };
        channel.port2.postMessage(0); });
}
next();
"""
EMPTY = """
const done = arguments[arguments.length - 1];
const before = performance.now(); let frames = 0; const last = before + 500;
(function frame() {
    frames++;
    if (performance.now() < last) requestAnimationFrame(frame);
    else done((performance.now() - before) / frames);
})();
"""


def measure_browser(data: Path) -> None:
    import chromium
    from heartbeats import free_port, wait_for
    from page import Page

    port = free_port()
    environment = {**os.environ, "PADDOCK_DATA": str(data)}
    server = subprocess.Popen([Path(sys.executable).parent / "paddock", "serve", "--port", str(port)], env=environment,
                              stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip
    wait_for(port)
    with tempfile.TemporaryDirectory() as folder:
        browser = chromium.start(Path(folder))
        browser.set_script_timeout(120)
        page = Page(browser, f"http://127.0.0.1:{port}")
        browser.get(f"{page.url}/login")
        page.one("input[name=username]").send_keys("meter")
        page.one("input[name=password]").send_keys(SEED_PASSWORD + "\n")
        page.one("nav a")
        empty = browser.execute_async_script(EMPTY)
        print(f"an empty frame of this browser: {empty:.1f} ms")
        for view, there in (("tools", "[data-tool-row]"), ("hosts", ".grid td")):
            browser.get(f"{page.url}/toolchains?view={view}")
            page.one(there)
            times = browser.execute_async_script(FRAMES)
            middle, most = statistics.median(times), max(times)
            print(f"filter to frame, {view}: median {middle:.0f} ms, most {most:.0f} ms, {middle / empty:.1f} frames")
        browser.quit()
    server.terminate()
    server.wait(60)


def main() -> None:
    size = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    with tempfile.TemporaryDirectory(prefix="paddock-bench-") as folder:
        os.environ["PADDOCK_DATA"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "paddock_server.settings"
        measure_server(size)
        measure_browser(Path(folder))


if __name__ == "__main__":
    main()
