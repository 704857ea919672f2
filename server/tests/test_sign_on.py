"""Sign-on with a provider: the way in, roles from groups, and providers that lie, are slow, or are away."""

import base64
import json
import socket
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from django.contrib.auth.models import User
from django.test import Client
from joserfc import jwt
from joserfc.jwk import OctKey
from people import a_person
from rest_framework.test import APIClient

from paddock_server.logbook.models import Entry
from paddock_server.people.models import GroupRole, Identity, Role, Session, SignOnProvider
from paddock_server.sealing import seal
from paddock_server.sign_on import discovery
from paddock_server.sign_on.flow import seal_name
from paddock_standins.sign_on_provider import CLIENT, Provider, handler_of, new_key

RETURN = "http://testserver/sign-on/return"


class Moody(Provider):
    """A provider whose claims, headers and pages a test changes."""

    change = staticmethod(lambda claims: claims)
    forge = None

    def claims(self, code):
        return self.change(super().claims(code))

    def signed(self, claims):
        return self.forge(claims) if self.forge else super().signed(claims)


def started(provider):
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler_of(provider))
    provider.issuer = f"http://127.0.0.1:{server.server_port}"
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


@pytest.fixture
def away(settings, tmp_path, shoreline):
    """The provider, and how it is known here: its team are operators in shoreline."""
    settings.SECRETS_KEY = tmp_path / "secrets-key"
    settings.SIGN_ON_TIMEOUT_SECONDS = 30.0
    provider = Moody(
        "", [RETURN], "s3cret/with:odd%signs", {"ada": ["team"], "ben": ["others"], "harbourmaster": ["team"]}
    )
    server = started(provider)
    known = SignOnProvider.objects.create(
        name="Harbour ID", issuer=provider.issuer, client_id=CLIENT,
        client_secret=seal(seal_name(provider.issuer), provider.secret),
    )  # fmt: skip
    GroupRole.objects.create(provider=known, group="team", role=Role.OPERATOR, paddock=shoreline)
    provider.known = known
    yield provider
    server.shutdown()
    server.server_close()


def begin(client, known, **query):
    answer = client.get(f"/sign-on/{known.pk}/begin", query)
    assert answer.status_code == 302
    return answer.headers["Location"]


def choose(address, person):
    """What the browser does at the provider; the address to which it is sent back."""
    answer = httpx.get(f"{address}&person={person}", follow_redirects=False)
    assert answer.status_code == 303, answer.text
    return answer.headers["Location"]


def sign_on(away, person="ada", client=None, change_return=lambda address: address):
    client = client or Client()
    back = change_return(choose(begin(client, away.known), person))
    return client, client.get(back.removeprefix("http://testserver"))


def why(client, answer):
    """Why a sign-on was refused, as the log-in page says it."""
    address = answer.headers["Location"]
    assert address.startswith("/login?refused=")
    return client.get(f"/api/v1/sign-on/?{urlsplit(address).query}").json()["refused"]


def who(client):
    return client.get("/api/v1/session/").json()["name"]


def test_a_person_comes_in_with_the_roles_of_their_groups(away, shoreline):
    client, answer = sign_on(away)
    assert answer.headers["Location"] == "/"
    assert who(client) == "ada"
    own = client.get("/api/v1/me/").json()
    assert [(one["paddock"], one["role"], one["by_provider"]) for one in own["roles"]] == [
        ("shoreline", "operator", "Harbour ID")
    ]
    assert own["has_password"] is False
    assert own["sessions"][0]["method"] == "sign-on with Harbour ID"
    log_out = client.delete("/api/v1/session/").json()["provider_log_out"]
    assert log_out.startswith(f"{away.issuer}/log-out?")
    assert parse_qs(urlsplit(log_out).query)["post_logout_redirect_uri"] == ["http://testserver/login"]
    assert who(client) is None


def test_logging_out_ends_the_session_though_the_provider_is_away(away):
    client, _ = sign_on(away)
    SignOnProvider.objects.update(issuer="http://127.0.0.1:1")
    assert client.delete("/api/v1/session/").json() == {"provider_log_out": ""}
    assert who(client) is None


def test_what_is_asked_of_the_provider(away):
    asked = parse_qs(urlsplit(begin(Client(), away.known, to="/board")).query)
    assert asked["code_challenge_method"] == ["S256"]
    assert len(asked["code_challenge"][0]) == 43
    assert len(asked["nonce"][0]) >= 32 and len(asked["state"][0]) >= 32
    assert asked["redirect_uri"] == [RETURN]
    other = parse_qs(urlsplit(begin(Client(), away.known)).query)
    assert not {"state", "nonce", "code_challenge"} & {key for key in asked if asked[key] == other[key]}


@pytest.mark.parametrize(
    ("to", "place"), [("/board/7", "/board/7"), ("//elsewhere.example", "/"), ("https://x.example", "/")]
)
def test_it_leads_back_to_this_server_alone(away, to, place):
    client = Client()
    back = choose(begin(client, away.known, to=to), "ada")
    assert client.get(back.removeprefix("http://testserver")).headers["Location"] == place


def test_groups_are_read_again_at_each_sign_on_and_who_has_none_is_out(away):
    first, _ = sign_on(away)
    away.people = {"ada": []}
    again, answer = sign_on(away)
    assert "None of your groups" in why(again, answer)
    assert who(again) is None
    assert who(first) is None, "the session from before has ended"
    assert not User.objects.get(username="ada").grants.exists()


def test_a_stranger_makes_no_account_and_a_local_name_is_not_taken_over(away, administrator):
    client, answer = sign_on(away, "ben")
    assert "yours: others" in why(client, answer)
    assert not User.objects.filter(username="ben").exists()
    client, answer = sign_on(away, "harbourmaster")
    assert "There is a person called harbourmaster already" in why(client, answer)
    assert not Identity.objects.exists()


def test_a_local_person_connects_an_identity(away):
    a_person("mate", Role.VIEWER)
    client = Client()
    client.post("/api/v1/session/", {"username": "mate", "password": "tide-gauge"}, "application/json")
    back = choose(begin(client, away.known, connect="", to="/me"), "ada")
    assert client.get(back.removeprefix("http://testserver")).headers["Location"] == "/me"
    assert who(client) == "mate"
    again, _ = sign_on(away)
    assert who(again) == "mate"
    assert len(again.get("/api/v1/me/").json()["roles"]) == 2
    stranger = Client()
    answer = stranger.get(f"/sign-on/{away.known.pk}/begin", {"connect": ""})
    assert "Log in first" in why(stranger, answer)


def test_who_is_disabled_stays_out(away, administrator):
    client, _ = sign_on(away)
    administrator.post("/api/v1/people/ada/disable/")
    assert who(client) is None
    again, answer = sign_on(away)
    assert "is disabled" in why(again, answer)


def claim(name, value):
    def change(claims):
        return {key: one for key, one in {**claims, name: value}.items() if one is not None}

    return change


NOW = int(time.time())
HOSTILE = [
    (claim("iss", "https://elsewhere.example"), "not valid"),
    (claim("iss", None), "not valid"),
    (claim("aud", "another-client"), "not valid"),
    (claim("aud", ["another-client", "third"]), "not valid"),
    (claim("aud", None), "not valid"),
    (claim("nonce", "of another sign-on"), "not valid"),
    (claim("nonce", None), "not valid"),
    (claim("exp", NOW - 3600), "not valid"),
    (claim("exp", None), "not valid"),
    (claim("exp", "soon"), "not valid"),
    (claim("nbf", NOW + 36000), "not valid"),
    (claim("iat", NOW + 36000), "not valid"),
    (claim("sub", None), "not valid"),
    (claim("sub", ""), "names no person"),
    (claim("sub", 7), "not valid"),
    (claim("sub", "x" * 300), "names no person"),
    (claim("azp", "another-client"), "not valid"),
    (claim("preferred_username", ["ada"]), "names no person"),
    (claim("preferred_username", "<script>"), "cannot be used"),
    (claim("groups", {"team": True}), "None of your groups"),
    (claim("groups", ["x"] * 501), "more than 500 groups"),
]


@pytest.mark.parametrize(("change", "says"), HOSTILE)
def test_an_id_token_that_lies_lets_nobody_in(away, change, says):
    away.change = change
    client, answer = sign_on(away)
    assert says in why(client, answer)
    assert who(client) is None
    assert not User.objects.filter(username="ada").exists()
    assert Entry.objects.filter(verb="refused", noun="sign-on").count() == 1


def unsigned(claims):
    parts = ({"alg": "none"}, claims)
    return ".".join(base64.urlsafe_b64encode(json.dumps(one).encode()).decode().rstrip("=") for one in parts) + "."


def test_forged_signatures_let_nobody_in(away):
    other = new_key()
    public = away.key.as_pem(private=False)
    forgeries = {
        "none": unsigned,
        "another key": lambda claims: jwt.encode({"alg": "RS256", "kid": away.key.kid}, claims, other),
        "the client secret": lambda claims: jwt.encode({"alg": "HS256"}, claims, OctKey.import_key(away.secret)),
        "the public key as a secret": lambda claims: jwt.encode(
            {"alg": "HS256", "kid": away.key.kid}, claims, OctKey.import_key(public)
        ),
        "rubbish": lambda claims: "a.b",
        "no text": lambda claims: 7,
    }
    for name, forge in forgeries.items():
        away.forge = forge
        client, answer = sign_on(away)
        assert who(client) is None, name
        assert why(client, answer), name
    away.forge = None
    assert who(sign_on(away)[0]) == "ada"


def test_a_key_that_was_rotated_is_fetched_again(away, monkeypatch):
    assert who(sign_on(away)[0]) == "ada"
    away.rotate()
    monkeypatch.setattr(discovery, "KEYS_RETRY_SECONDS", 0.0)
    assert who(sign_on(away)[0]) == "ada"


def test_unknown_keys_do_not_make_the_server_ask_on_and_on(away):
    sign_on(away)
    away.rotate()
    client, answer = sign_on(away)
    assert "not valid" in why(client, answer), "within the pause the keys are not fetched again"


def test_an_answer_is_good_once_and_in_the_browser_that_began(away):
    client = Client()
    back = choose(begin(client, away.known), "ada").removeprefix("http://testserver")
    thief = Client()
    assert "not begun in this browser" in why(thief, thief.get(back))
    cookie = client.cookies["paddock_sign_on"].value
    assert client.get(back).headers["Location"] == "/"
    client.cookies["paddock_sign_on"] = cookie
    assert "was used already" in why(client, client.get(back))
    mixed = Client()
    begin(mixed, away.known)
    assert "belongs to another sign-on" in why(mixed, mixed.get(back))


def test_an_answer_of_another_provider_is_refused(away):
    client, answer = sign_on(away, change_return=lambda address: address.replace("iss=http", "iss=https"))
    assert "another provider" in why(client, answer)
    client, answer = sign_on(away, change_return=lambda address: address.partition("&iss=")[0])
    assert "another provider" in why(client, answer)


def test_a_refusal_of_the_provider_is_said(away):
    client = Client()
    asked = parse_qs(urlsplit(begin(client, away.known)).query)
    answer = client.get(
        "/sign-on/return", {"state": asked["state"][0], "error": "access_denied", "error_description": "not you"}
    )
    assert "did not let you in: not you" in why(client, answer)


def test_nobody_puts_words_on_the_log_in_page():
    assert Client().get("/api/v1/sign-on/?refused=Send+your+password+to+us").json()["refused"] == ""


class Odd(BaseHTTPRequestHandler):
    """Answers everything with what the test wants."""

    answer = (200, "text/html", b"<html>please log in</html>")
    pause = 0.0

    def do_GET(self):
        status, kind, body = self.answer
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        for byte in range(0, len(body), 1 if self.pause else len(body)):
            if self.server.stops.wait(self.pause):
                return
            self.wfile.write(body[byte : byte + 1] if self.pause else body)

    def log_message(self, *_):
        pass


def configuration(**more):
    return lambda issuer: json.dumps(
        {"issuer": issuer, "authorization_endpoint": f"{issuer}/a", "token_endpoint": f"{issuer}/t",
         "jwks_uri": f"{issuer}/k", **more}
    ).encode()  # fmt: skip


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        ((200, "text/html", b"<html>please log in</html>"), "is not a JSON object but text/html"),
        ((200, "application/json", b"[]"), "is not a JSON object"),
        ((200, "application/json", b"[" * 100_000), "is not a JSON object"),
        ((200, "application/json", b"{" + b" " * 600_000 + b"}"), "larger than 512 KiB"),
        ((500, "application/json", b"{}"), "status 500"),
        ((302, "text/plain", b"elsewhere"), "is not a JSON object"),
        ((200, "application/json", configuration(issuer="https://elsewhere.example")), "calls itself"),
        ((200, "application/json", configuration(token_endpoint="http://10.0.0.1/token")), "has to be an https"),
        ((200, "application/json", configuration(authorization_endpoint="javascript:alert(1)")), "has to be an https"),
        ((200, "application/json", configuration(jwks_uri=7)), "has no jwks_uri"),
    ],
)
def test_a_provider_with_odd_answers(away, administrator, answer, says):
    server = ThreadingHTTPServer(("127.0.0.1", 0), type("Handler", (Odd,), {}))
    server.stops = threading.Event()
    issuer = f"http://127.0.0.1:{server.server_port}"
    status, kind, body = answer
    server.RequestHandlerClass.answer = (status, kind, body(issuer) if callable(body) else body)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    SignOnProvider.objects.update(issuer=issuer)
    check = administrator.post(f"/api/v1/sign-on-providers/{away.known.pk}/check/")
    assert (check.status_code, says in check.json()["detail"]) == (409, True), check.json()
    client = Client()
    assert says in why(client, client.get(f"/sign-on/{away.known.pk}/begin"))
    assert says in SignOnProvider.objects.get().trouble
    server.shutdown()
    server.server_close()


def test_a_provider_that_answers_byte_by_byte_or_not_at_all(away, administrator, settings):
    settings.SIGN_ON_TIMEOUT_SECONDS = 0.3
    server = ThreadingHTTPServer(
        ("127.0.0.1", 0), type("Handler", (Odd,), {"pause": 0.02, "answer": (200, "x", b"x" * 10_000)})
    )
    server.stops = threading.Event()
    threading.Thread(target=server.serve_forever, daemon=True).start()
    SignOnProvider.objects.update(issuer=f"http://127.0.0.1:{server.server_port}")
    check = administrator.post(f"/api/v1/sign-on-providers/{away.known.pk}/check/")
    assert "did not come within 0.3 s" in check.json()["detail"]
    server.stops.set()
    server.shutdown()
    server.server_close()
    with socket.socket() as silent:
        silent.bind(("127.0.0.1", 0))
        silent.listen()
        SignOnProvider.objects.update(issuer=f"http://127.0.0.1:{silent.getsockname()[1]}")
        check = administrator.post(f"/api/v1/sign-on-providers/{away.known.pk}/check/")
        assert "did not come within" in check.json()["detail"]
    check = administrator.post(f"/api/v1/sign-on-providers/{away.known.pk}/check/")
    assert "cannot be reached" in check.json()["detail"]


def test_a_local_administrator_comes_in_while_the_provider_is_away(away, administrator):
    SignOnProvider.objects.update(issuer="http://127.0.0.1:1")
    client = Client()
    answer = client.post(
        "/api/v1/session/", {"username": "harbourmaster", "password": "tide-gauge"}, "application/json"
    )
    assert answer.json()["role"] == "administrator"


PROVIDERS = "/api/v1/sign-on-providers/"


def test_the_client_secret_is_sealed_and_never_shown(administrator, settings, tmp_path):
    settings.SECRETS_KEY = tmp_path / "secrets-key"
    body = {"name": "ID", "issuer": "https://id.saltmarsh.example", "client_id": "x", "client_secret": "very secret"}
    made = administrator.post(PROVIDERS, body, format="json").json()
    assert (made["has_secret"], "very secret" in json.dumps(made)) == (True, False)
    assert b"very secret" not in bytes(SignOnProvider.objects.get().client_secret)
    same = administrator.put(f"{PROVIDERS}{made['id']}/", {**body, "client_secret": None}, format="json").json()
    assert same["has_secret"]
    other = {**body, "issuer": "https://other.saltmarsh.example", "client_secret": None}
    moved = administrator.put(f"{PROVIDERS}{made['id']}/", other, format="json")
    assert (moved.status_code, "client secret again" in moved.json()["detail"]) == (400, True)
    for issuer in ("http://id.saltmarsh.example", "ftp://x", "https://", "id.saltmarsh.example", "http://[::1"):
        assert administrator.post(PROVIDERS, {**body, "name": "n", "issuer": issuer}, format="json").status_code == 409
    assert administrator.post(PROVIDERS, body, format="json").status_code == 409


def mapping(administrator, known, roles, version=1, **more):
    body = {"roles": roles, "version": version, **more}
    return administrator.put(f"{PROVIDERS}{known.pk}/mapping/", body, format="json")


TEAM = {"group": "team", "role": "viewer", "paddock": ""}


def test_a_mapping_says_beforehand_whom_it_locks_out_and_is_at_once(away, administrator):
    client, _ = sign_on(away)
    look = administrator.post(f"{PROVIDERS}{away.known.pk}/mapping/preview/", {"roles": []}, format="json").json()
    assert [one["name"] for one in look["locked_out"]] == ["ada"], look
    unseen = mapping(administrator, away.known, [])
    assert (unseen.status_code, "locks out ada" in unseen.json()["detail"]) == (409, True)
    assert mapping(administrator, away.known, [TEAM]).status_code == 200
    assert client.get("/api/v1/session/").json()["role"] == "viewer"
    late = mapping(administrator, away.known, [], version=1, locked_out=["ada"])
    assert (late.status_code, "since you looked" in late.json()["detail"]) == (409, True)
    assert mapping(administrator, away.known, [], version=2, locked_out=["ada"]).status_code == 200
    assert who(client) is None
    assert not Session.objects.filter(user__username="ada").exists()


@pytest.mark.parametrize(
    "roles",
    [
        [{**TEAM, "group": " "}],
        [{**TEAM, "paddock": "nowhere"}],
        [TEAM, {**TEAM, "role": "operator"}],
        [{**TEAM, "role": "captain"}],
        [{**TEAM, "group": "x" * 201}],
        [{**TEAM, "group": f"g{n}"} for n in range(501)],
    ],
)
def test_a_mapping_that_makes_no_sense_changes_nothing(away, administrator, roles):
    assert mapping(administrator, away.known, roles).status_code == 400
    assert GroupRole.objects.count() == 1


def test_a_mapping_that_would_leave_no_administrator_is_refused(away, administrator):
    away.people = {"ada": ["chiefs"]}
    chiefs = {"group": "chiefs", "role": "administrator", "paddock": ""}
    assert mapping(administrator, away.known, [chiefs]).status_code == 200
    sign_on(away)
    User.objects.filter(username="harbourmaster").update(is_active=False)
    ada = APIClient()
    ada.force_authenticate(User.objects.get(username="ada"))
    answer = mapping(ada, away.known, [], version=2, locked_out=["ada"])
    assert (answer.status_code, "no administrator" in answer.json()["detail"]) == (409, True)


def test_deleting_a_provider_ends_its_sessions_and_roles(away, administrator):
    client, _ = sign_on(away)
    assert administrator.delete(f"{PROVIDERS}{away.known.pk}/").status_code == 204
    assert who(client) is None
    assert not User.objects.get(username="ada").grants.exists()


def test_a_shared_key_among_the_providers_keys_signs_nothing(away):
    shared = OctKey.generate_key(256, {"kid": "shared"})
    keys = away.keys()
    away.keys = lambda: {"keys": [shared.as_dict(private=True), *keys["keys"]]}
    away.forge = lambda claims: jwt.encode({"alg": "HS256", "kid": "shared"}, claims, shared)
    client, answer = sign_on(away)
    assert "'HS256', which is not accepted" in why(client, answer)
    away.forge = None
    assert who(sign_on(away)[0]) == "ada"


@pytest.mark.parametrize(
    "keys",
    [
        {},
        {"keys": []},
        {"keys": [7, None]},
        {"keys": [{"kty": "RSA"}]},
        {"keys": [{"kty": "RSA", "n": "!", "e": "AQAB"}]},
    ],
)
def test_keys_that_are_none_let_nobody_in(away, keys):
    away.keys = lambda: keys
    client, answer = sign_on(away)
    assert why(client, answer)
    assert who(client) is None


@pytest.mark.parametrize(
    "header",
    [{"alg": "RS256", "crit": ["x"], "x": 1}, {"alg": "RS256", "b64": False, "crit": ["b64"]}, {"alg": ["RS256"]}],
)
def test_strange_headers_let_nobody_in(away, header):
    def forge(claims):
        _, claims_part, signature = Provider.signed(away, claims).split(".")
        head = base64.urlsafe_b64encode(json.dumps({**header, "kid": away.key.kid}).encode()).decode().rstrip("=")
        return f"{head}.{claims_part}.{signature}"

    away.forge = forge
    client, answer = sign_on(away)
    assert why(client, answer)
    assert who(client) is None


@pytest.mark.parametrize(
    "change",
    [
        claim("aud", [CLIENT]),
        claim("exp", NOW + 3600.5),
        claim("azp", CLIENT),
        claim("groups", "team"),
        claim("nbf", NOW),
    ],
)
def test_honest_variants_are_let_in(away, change):
    away.change = change
    assert who(sign_on(away)[0]) == "ada"


@pytest.mark.parametrize(
    "change",
    [
        lambda address: address.partition("&state=")[0],
        lambda address: address.replace("code=", "kode="),
        lambda address: address.replace("code=", f"code={'x' * 5000}"),
        lambda address: address.replace("code=", "code=x"),
        lambda address: address.replace("state=", "state=x"),
        lambda address: address.replace("state=", "state=%00"),
    ],
)
def test_answers_that_were_changed_on_the_way(away, change):
    client, answer = sign_on(away, change_return=change)
    assert why(client, answer)
    assert who(client) is None


def test_a_cookie_of_ones_own_making_begins_nothing(away):
    client = Client()
    back = choose(begin(client, away.known), "ada").removeprefix("http://testserver")
    client.cookies["paddock_sign_on"] = client.cookies["paddock_sign_on"].value[:-2] + "xx"
    assert "not begun in this browser" in why(client, client.get(back))


def test_a_provider_that_was_switched_off_in_between(away):
    client = Client()
    back = choose(begin(client, away.known), "ada").removeprefix("http://testserver")
    SignOnProvider.objects.update(is_on=False)
    assert "not there any more" in why(client, client.get(back))
    assert client.get("/api/v1/sign-on/").json()["providers"] == []
    answer = client.get(f"/sign-on/{away.known.pk}/begin")
    assert "not there any more" in why(client, answer)


def test_another_person_with_a_name_that_looks_the_same_makes_no_second_account(away):
    away.people = {"ada": ["team"], "\u0430\u0434\u0430": ["team"], "ADA": ["team"], "Ada": ["team"]}
    assert who(sign_on(away)[0]) == "ada"
    for person in ("ADA", "Ada"):
        client, answer = sign_on(away, person)
        assert "looks like ada" in why(client, answer), person
    assert User.objects.filter(username__iexact="ada").count() == 1
