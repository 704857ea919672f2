"""People, roles and tokens at a terminal."""

import json

import pytest
from django.contrib.auth.models import User
from people import a_person

from paddock_server.access.actions.service_accounts import add_service_account
from paddock_server.cli import main
from paddock_server.hosts.models import Paddock
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Grant, Role, Token


def test_a_person_from_invitation_to_the_end(typed):
    code, output = typed("people invite boatswain --role operator --paddock shoreline --hours 5")
    assert (code, "http://testserver/welcome#paddock-link-" in output) == (0, True)
    assert "boatswain  person, invited, never seen: operator in shoreline" in typed("people list")[1]
    assert typed("roles give boatswain administrator --paddock shoreline --days 3")[0] == 0
    assert "administrator in shoreline until" in typed("roles list boatswain")[1]
    assert typed("roles take boatswain --paddock shoreline") == (0, "boatswain is without a role in shoreline now.\n")
    assert "/welcome#" in typed("people reset boatswain --passkeys-too")[1]
    assert typed("people disable boatswain") == (0, "boatswain is disabled.\n")
    assert typed("people enable boatswain") == (0, "boatswain is enabled.\n")
    assert typed("people delete boatswain") == (0, "boatswain is deleted.\n")
    assert not User.objects.filter(username="boatswain").exists()


def test_tokens_of_service_accounts(typed):
    add_service_account(SERVER, "tide-ci", Role.OPERATOR, None, team="gauges")
    code, output = typed("tokens make nightly --account tide-ci --scope jobs --paddock shoreline --days 30")
    assert (code, output.startswith("paddock-token-")) == (0, True)
    made = Token.objects.get(name="nightly")
    assert (made.scope, made.paddocks) == ("jobs", ["shoreline"])
    assert "tide-ci: nightly (jobs, shoreline), ends" in typed("tokens list")[1]
    assert typed(f"tokens revoke {made.pk}") == (0, f"Token {made.pk} is revoked.\n")
    assert typed(f"tokens revoke {made.pk}")[0] == 1


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("people disable harbourmaster", "You cannot disable yourself"),
        ("people disable none-such", "No person called none-such"),
        ("people invite harb0urmaster", "looks like harbourmaster"),
        ("roles take harbourmaster", "would leave no administrator"),
        ("roles give harbourmaster viewer --paddock nowhere", "nowhere"),
        ("tokens revoke 99", "No token 99"),
    ],
)
def test_what_is_refused_is_said_with_exit_code_1(typed, line, says):
    code, output = typed(line)
    assert (code, says in output) == (1, True), output


def test_the_review_goes_to_a_file(typed):
    code, output = typed("people list --csv")
    assert code == 0
    assert output.splitlines()[0].startswith("account,kind,state,owner,paddock,role")


def test_names_with_slashes_reach_no_other_address(typed):
    code, _ = typed("people disable ../jobs/1/cancel")
    assert code == 1


def test_rescue_on_the_server_itself(capsys):
    a_person("second", Role.VIEWER)
    User.objects.filter(username="second").update(is_active=False)
    assert main(["rescue", "second", "--url", "http://paddock.saltmarsh.example/"]) == 0
    output = capsys.readouterr().out
    assert "http://paddock.saltmarsh.example/welcome#paddock-link-" in output
    user = User.objects.get(username="second")
    assert (user.is_active, Grant.objects.filter(user=user, role="administrator", paddock=None).exists()) == (
        True,
        True,
    )
    assert main(["rescue", "two words"]) == 1
    assert "no spaces" in capsys.readouterr().err
    assert not Paddock.objects.exists()


def test_programs_get_json(typed, operator):
    code, output = typed("people list --json")
    assert (code, {person["name"] for person in json.loads(output)}) == (0, {"harbourmaster", "deckhand"})
    made = json.loads(typed("people invite boatswain --json")[1])
    assert made["link"].startswith("http://testserver/welcome#paddock-link-")
    assert json.loads(typed("people disable boatswain --json")[1]) == {"name": "boatswain", "done": "disable"}
    assert json.loads(typed("roles take boatswain --json")[1])["role"] is None
    assert json.loads(typed("roles list boatswain --json")[1]) == []
    tokens = json.loads(typed("tokens list --json")[1])
    assert [token["name"] for token in tokens] == ["terminal"]
    found = json.loads(typed("fit 'os linux' --json")[1])
    assert (found["fits"], found["all_hosts"]) == (0, 0)


def test_all_pages_of_a_list_are_read(typed, monkeypatch):
    for number in range(7):
        make_token(SERVER, "harbourmaster", f"token {number}")
    monkeypatch.setattr("paddock_server.terminal.client.PAGE_SIZE", 3)
    assert len(json.loads(typed("tokens list --json")[1])) == 8
