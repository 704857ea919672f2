from __future__ import annotations

import os
import shlex
from itertools import count
from pathlib import Path

import httpx
import pytest
from django.core.cache import cache
from django.core.signals import request_finished, request_started
from django.core.wsgi import get_wsgi_application
from django.db import close_old_connections, connection, connections
from django.db.backends.signals import connection_created
from django.test import Client
from django.utils import timezone
from people import FACTS, a_person
from rest_framework.views import APIView
from schema_answers import check_answer, operations, succeeded

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_server.cli import _parser
from paddock_server.health.actions.note_link import note_link
from paddock_server.hosts.actions.join import join
from paddock_server.hosts.actions.make_pass import make_pass
from paddock_server.hosts.models import Host, Paddock
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role
from paddock_server.process.state import State, begin
from paddock_server.storage import is_action
from paddock_server.storage.new_database import fill_new_database
from paddock_server.terminal.client import Server
from paddock_server.terminal.commands import run
from paddock_server.toolchains.actions.record_survey import record_survey

TESTS = Path(__file__).parent
NEED_ANOTHER_PROGRAM = {
    "GET /api/v1/session/second-factor/",
    "POST /api/v1/bring-ups/{id}/prove/",
    "POST /api/v1/bring-ups/{id}/ssh/go-in/",
    "POST /api/v1/bring-ups/{id}/ssh/look/",
    "POST /api/v1/hosts/{name}/folders/",
    "POST /api/v1/jobs/{id}/attempts/{number}/give-up/",
    "POST /api/v1/me/passkeys/",
    "POST /api/v1/me/recovery-codes/",
    "POST /api/v1/sign-on-providers/{id}/check/",
}
"""Operations that answer well only with a machine, an authenticator or a sign-on provider at the other end: tests/hosts
and tests/browser have those."""


def pytest_testnodedown(node):
    """What one of several processes saw."""
    succeeded.update(getattr(node, "workeroutput", {}).get("succeeded", ()))


def pytest_sessionfinish(session):
    """A run of all these tests fails where no test saw an operation of the API answer well."""
    if hasattr(session.config, "workeroutput"):
        session.config.workeroutput["succeeded"] = sorted(succeeded)
        return
    is_whole = TESTS in {Path(argument).resolve() for argument in session.config.args} and not session.shouldstop
    option = session.config.option
    missing = operations() - succeeded - NEED_ANOTHER_PROGRAM if is_whole and not (option.keyword or option.lf) else ()
    if missing:
        lines = ["No test saw these operations answer as their schema says:", *sorted(missing)]
        session.config.pluginmanager.getplugin("terminalreporter").write_line("\n  ".join(lines), red=True)
        session.exitstatus = pytest.ExitCode.TESTS_FAILED


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings_parallel_suffix):
    """The database of the tests is made as that of a new server, which takes a fifth of the time."""

    def fill(connection, **_):
        if connection is connections["default"] and not connection.introspection.table_names():
            fill_new_database()

    connection_created.connect(fill, weak=False)


@pytest.fixture(autouse=True)
def fresh(db, settings, tmp_path):
    """An empty database, folders, cache and state of the process for every test. A command that it runs here sets the
    mask of new files."""
    settings.LOGS, settings.OUTPUTS = tmp_path / "logs", tmp_path / "outputs"
    cache.clear()
    begin(State())
    mask = os.umask(0o022)
    yield
    os.umask(mask)


@pytest.fixture(autouse=True)
def views_change_nothing_but_by_actions(monkeypatch):
    """In a running server only the writer may write: a view that does so past every action fails there."""
    dispatch = APIView.dispatch

    def refuse(execute, sql, params, many, context):
        if sql.lstrip().split(" ", 1)[0] in ("INSERT", "UPDATE", "DELETE", "REPLACE") and not is_action():
            raise AssertionError(f"written outside of an action: {sql[:200]}")
        return execute(sql, params, many, context)

    def guarded(self, request, *arguments, **named):
        with connection.execute_wrapper(refuse):
            return dispatch(self, request, *arguments, **named)

    monkeypatch.setattr(APIView, "dispatch", guarded)


@pytest.fixture(autouse=True)
def answers_are_as_the_schema_says(request, monkeypatch):
    """Every answer that a test gets from the API is also held against the schema. The fuzz test does so itself, and
    what it reaches is a matter of luck."""
    if request.path.name == "test_fuzz.py":
        return
    ask = Client.request

    def checked(self, **named):
        answer = ask(self, **named)
        check_answer(named["REQUEST_METHOD"], named["PATH_INFO"], answer)
        return answer

    monkeypatch.setattr(Client, "request", checked)


@pytest.fixture
def shoreline():
    return Paddock.objects.create(name="shoreline")


@pytest.fixture
def orchard():
    return Paddock.objects.create(name="orchard")


@pytest.fixture
def administrator():
    return a_person("harbourmaster", Role.ADMINISTRATOR)


@pytest.fixture
def operator():
    return a_person("deckhand", Role.OPERATOR)


@pytest.fixture
def viewer():
    return a_person("lookout", Role.VIEWER)


_numbers = count(1)


@pytest.fixture
def new_host():
    """Makes a host that is admitted, connected and surveyed by default."""

    def make(name="", paddock=None, *, tools=(("git", "2.39.5"),), facts=FACTS, admitted=True, connected=True, **more):
        paddock = paddock or Paddock.objects.get_or_create(name="shoreline")[0]
        _, secret = make_pass(SERVER, paddock, "tests")
        host, key = join(wire.JoinRequest(secret, facts, name or f"knot-{next(_numbers):02}"), "10.0.0.7")
        if admitted:
            host.standing = Host.Standing.ADMITTED
            host.decided_at = timezone.now()
        for field, value in more.items():
            setattr(host, field, value)
        host.save()
        if connected:
            note_link(host, LinkEvent.HELLO)
        installed = [wire.FoundInstallation(tool, version, f"/usr/bin/{tool}", "/usr", True) for tool, version in tools]
        record_survey(host, wire.SurveyReport(facts=facts, installations=installed))
        host.key = key
        return host

    return make


@pytest.fixture
def typed(shoreline, capsys):
    """Types a command as harbourmaster; its exit code and what it printed."""
    a_person("harbourmaster", Role.ADMINISTRATOR)
    for signal in (request_started, request_finished):
        signal.disconnect(close_old_connections)
    token = make_token(SERVER, "harbourmaster", "terminal")[1]
    server = Server("http://testserver", f" {token[:9]} {token[9:]}\n", httpx.WSGITransport(get_wsgi_application()))

    def type_in(line):
        code = run(_parser().parse_args(shlex.split(line)), server)
        printed = capsys.readouterr()
        return code, printed.out + printed.err

    yield type_in
    for signal in (request_started, request_finished):
        signal.connect(close_old_connections)
