"""The server below a path behind Debian's nginx with TLS, set up as docs/deploy.md has it: screens, feed, agents,
install script, webhooks. And what a client that is no proxy cannot claim."""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import http.client
import json
import os
import re
import shutil
import socket
import ssl
import subprocess
import time
import urllib.error
import urllib.request
from pathlib import Path
from urllib.parse import urlsplit

import chromium
import pytest
from authority import Authority
from page import Page
from processes import RealAgent, RealServer, command, free_port, own_environment
from waiting import until

from paddock_standins.api_client import Api

DEPLOY = Path(__file__).parents[2] / "docs" / "deploy.md"
NAME = "builds.saltmarsh.example"
NGINX = shutil.which("nginx") or "/usr/sbin/nginx"


@pytest.fixture(scope="module")
def authority(tmp_path_factory):
    return Authority(tmp_path_factory.mktemp("authority"))


@pytest.fixture(scope="module", autouse=True)
def trusts(authority):
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("SSL_CERT_FILE", str(authority.file))
        yield


class Proxy:
    """nginx with the configuration of the docs, on a port of its own."""

    def __init__(self, folder, server, authority, port, *, strips=False):
        certificate, key = authority.issue(NAME)
        text = re.search(r"```nginx\n(.*?)```", DEPLOY.read_text(), re.DOTALL)[1]
        for documented, here in [
            ("listen 443 ssl", f"listen {port} ssl"),
            (f"server_name {NAME}", f"server_name {NAME} localhost"),
            ("/etc/ssl/builds.pem", str(certificate)),
            ("/etc/ssl/builds.key", str(key)),
            ("http://127.0.0.1:8200", f"http://127.0.0.1:{server.port}" + ("/" if strips else "")),
        ]:
            assert documented in text
            text = text.replace(documented, here)
        folders = "".join(
            f"{kind}_temp_path {folder}/{kind};\n" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
        )
        file = folder / "nginx.conf"
        file.write_text(
            f"daemon off; pid {folder}/pid; error_log {folder}/error.log; events {{}}\n"
            f"http {{ access_log off;\n{folders}{text} }}"
        )
        self.url = f"https://localhost:{port}/paddock"
        self.process = subprocess.Popen([NGINX, "-p", folder, "-c", file, "-e", folder / "error.log"])
        until(self._listens, "nginx to listen")

    def _listens(self):
        with contextlib.suppress(OSError):
            urllib.request.urlopen(f"{self.url}/livez", timeout=5).close()
            return True
        return False

    def stop(self):
        self.process.terminate()
        self.process.wait(10)


@pytest.fixture(scope="module", params=["passes the path on", "strips the path"])
def behind(request, tmp_path_factory, authority):
    """A server and its proxy."""
    if not Path(NGINX).exists():
        pytest.skip("nginx is not installed: sh setup/test-tools.sh")
    port = free_port()
    settings = {"PADDOCK_URL": f"https://localhost:{port}/paddock"}
    server = RealServer(tmp_path_factory.mktemp("server"), proxies="127.0.0.1/32", name=NAME, settings=settings)
    proxy = Proxy(tmp_path_factory.mktemp("nginx"), server, authority, port, strips=request.param == "strips the path")
    server.api = Api(proxy.url, server.api._token)
    server.url = proxy.url
    yield server
    proxy.stop()
    server.stop()


def asked(url, path="", headers=None, body=None):
    request = urllib.request.Request(url + path, body, headers or {})
    try:
        with urllib.request.urlopen(request, timeout=30) as answer:
            return answer.status, answer.headers, answer.read()
    except urllib.error.HTTPError as error:
        return error.code, error.headers, error.read()


@pytest.mark.parametrize("screen", ["/", "/hosts/knot-01", "/people"])
def test_the_page_and_its_files(behind, screen):
    status, _, page = asked(behind.url, screen)
    assert status == 200
    assert '<meta name="server-path" content="/paddock" />' in page.decode()
    files = re.findall(r'(?:src|href)="([^"]+)"', page.decode())
    assert len(files) > 3
    for file in files:
        assert file.startswith("/paddock/static/"), file
        status, headers, _ = asked(behind.url.removesuffix("/paddock"), file)
        assert (status, "immutable" in headers["Cache-Control"]) == (200, "/assets/" in file), file


def test_cookies_and_promises_over_tls(behind):
    status, headers, _ = asked(behind.url, "/api/v1/session/", {"Host": NAME})
    assert status == 200
    assert headers["Strict-Transport-Security"] == "max-age=31536000"
    cookies = headers.get_all("Set-Cookie")
    assert cookies
    assert all("; Secure" in one and "Path=/paddock" in one for one in cookies), cookies
    plain = asked(f"http://127.0.0.1:{behind.port}", "/api/v1/session/")[1]
    assert "Strict-Transport-Security" not in plain
    assert not any("Secure" in one for one in plain.get_all("Set-Cookie"))


def test_a_wrong_name_is_refused(behind):
    assert asked(behind.url, "/api/v1/session/", {"Host": "elsewhere.example"})[0] == 400


def test_links_lead_back_to_the_proxy(behind):
    page = behind.api.get("/api/v1/logbook/?page_size=1")
    assert page["next"] is None or page["next"].startswith(behind.url), page["next"]
    invited = behind.api.post("/api/v1/people/", {"name": f"pilot-{behind.port}", "role": "viewer"})
    assert invited["link"].startswith(f"{behind.url}/welcome#"), invited
    assert behind.api.get("/api/v1/bring-up-choices/")["server"] == behind.url


def test_an_agent_comes_in_and_runs_a_job(behind, tmp_path):
    agent = RealAgent(behind, tmp_path, "knot-01")
    try:
        agent.come_in()
        assert behind.host("knot-01")["address"] == "127.0.0.1"
        job = behind.submit("echo over TLS")
        until(lambda: behind.job(job)["state"] == "passed", "the job to pass")
        assert b"over TLS" in behind.api.get_bytes(f"/api/v1/jobs/{job}/log/?attempt=1")
    finally:
        agent.stop()


def test_the_install_script_installs_over_tls(behind, tmp_path, authority):
    """By hand and into a folder of its own, so that nothing of this machine changes."""
    sheet = behind.make_sheet(supervisor="by hand", work_folder=str(tmp_path / "work"))
    paste = sheet["command"]["run"]
    assert f"'{behind.url}/install/paddock.sh?sheet=" in paste
    environment = {
        "PATH": os.defpath, "HOME": str(tmp_path), "SSL_CERT_FILE": str(authority.file),
        "PADDOCK_PREFIX": str(tmp_path / "opt"), "PADDOCK_AGENT_HOME": str(tmp_path / "home"),
    }  # fmt: skip
    done = subprocess.run(
        ["sh", "-c", f"cd {tmp_path} && {paste}"], env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert json.loads((tmp_path / "home" / "identity.json").read_text())["server"] == behind.url
    distrusts = {**environment, "SSL_CERT_FILE": "/dev/null", "PADDOCK_PREFIX": str(tmp_path / "other")}
    refused = subprocess.run(
        ["sh", "-c", f"cd {tmp_path} && sh paddock.sh"], env=distrusts, capture_output=True, text=True, check=False
    )
    assert refused.returncode != 0
    assert "CERTIFICATE_VERIFY_FAILED" in refused.stdout + refused.stderr


def test_a_webhook(behind):
    source = behind.api.post(
        "/api/v1/sources/", {"url": "https://git.saltmarsh.example/tide.git", "ref": "main", "path": "paddock.yaml"}
    )
    address = behind.url + source["hook"]
    body, stamp = json.dumps({"ref": "refs/heads/other"}).encode(), str(int(time.time()))
    mac = hmac.new(source["secret"].encode(), stamp.encode() + b"." + body, hashlib.sha256).hexdigest()
    signed = {
        "Content-Type": "application/json", "Paddock-Timestamp": stamp, "Paddock-Signature": f"sha256={mac}",
    }  # fmt: skip
    assert asked(address, "", signed, body)[0] == 200
    assert asked(address, "", {**signed, "Paddock-Signature": "sha256=00"}, body)[0] == 403


def test_the_screens_and_their_feed(behind, tmp_path):
    if not chromium.is_there():
        pytest.skip("Chromium and ChromeDriver are not installed: sh setup/test-tools.sh")
    browser = chromium.start(tmp_path, more=["--ignore-certificate-errors"])
    try:
        page = Page(browser, behind.url)
        page.log_in()
        page.says("shoreline")
        assert browser.current_url.rstrip("/") == behind.url
        behind.api.post("/api/v1/paddocks/", {"name": "saltflat"})
        page.says("saltflat")
        browser.get(f"{behind.url}/people")
        page.says("harbourmaster")
    finally:
        browser.quit()


def refused_log_in(way, path, claim):
    """The cookies of the first answer."""
    way.request("GET", f"{path}/api/v1/session/", headers=claim)
    first = way.getresponse()
    first.read()
    cookies = first.headers.get_all("Set-Cookie")
    token = re.search(r"paddock_csrf=([^;]+)", cookies[0])[1]
    headers = {"Content-Type": "application/json", "Cookie": f"paddock_csrf={token}", "X-CSRFToken": token, **claim}
    if path:
        headers["Origin"] = f"https://localhost:{way.port}"
    body = json.dumps({"username": f"stranger-{abs(hash(str(claim)))}", "password": "wrong"})
    way.request("POST", f"{path}/api/v1/session/", body, headers)
    answer = way.getresponse()
    assert answer.status in (400, 401, 403), answer.read()
    return cookies


@pytest.mark.parametrize(
    "claim",
    [
        {"X-Forwarded-For": "10.9.8.7", "X-Forwarded-Proto": "https"},
        {"X-Forwarded-For": "127.0.0.1, 10.9.8.7"},
        {"Forwarded": "for=10.9.8.7;proto=https"},
        {"X-Forwarded-Host": "elsewhere.example"},
        {"X-Real-IP": "10.9.8.7"},
        {"X_Forwarded_For": "10.9.8.7"},
    ],
)
def test_who_is_no_proxy_cannot_claim_an_address(behind, claim):
    """From another address of this machine, past the proxy."""
    way = http.client.HTTPConnection("127.0.0.1", behind.port, timeout=30, source_address=("127.0.0.2", 0))
    cookies = refused_log_in(way, "", claim)
    assert not any("Secure" in one for one in cookies)
    line = json.dumps(behind.api.get("/api/v1/logbook/?verb=refused")["results"][0])
    assert ("127.0.0.2" in line, "10.9.8.7" in line) == (True, False), line


def test_a_client_of_the_proxy_cannot_claim_an_address_either(behind):
    port, context = urlsplit(behind.url).port, ssl.create_default_context()
    way = http.client.HTTPSConnection("localhost", port, timeout=30, source_address=("127.0.0.3", 0), context=context)
    refused_log_in(way, "/paddock", {"X-Forwarded-For": "10.9.8.6", "X-Forwarded-Proto": "http"})
    line = json.dumps(behind.api.get("/api/v1/logbook/?verb=refused")["results"][0])
    assert ("127.0.0.3" in line, "10.9.8.6" in line) == (True, False), line


def test_tls_of_its_own_and_a_renewed_certificate(tmp_path, authority):
    certificate, key = authority.issue("127.0.0.1", label="own")
    settings = {"PADDOCK_CERTIFICATE": str(certificate), "PADDOCK_CERTIFICATE_KEY": str(key)}
    server = RealServer(tmp_path / "data", settings=settings)
    agent = RealAgent(server, tmp_path / "agent", "knot-02")

    def serial():
        with ssl.create_default_context().wrap_socket(
            socket.create_connection(("127.0.0.1", server.port), 10), server_hostname="127.0.0.1"
        ) as there:
            return there.getpeercert()["serialNumber"]

    try:
        agent.come_in()
        before = serial()
        key.write_bytes(authority.issue("elsewhere", label="other")[1].read_bytes())
        until(lambda: "the one before stays" in server.log(), "the server to refuse the pair")
        assert serial() == before
        authority.issue("127.0.0.1", label="own")
        until(lambda: serial() != before, "the renewed certificate")
        assert server.host("knot-02")["link"] == "connected"
        lines = server.api.get("/api/v1/logbook/?thing=knot-02")["results"]
        assert not any(one["verb"] == "noted lost" for one in lines)
        with pytest.raises(OSError):
            urllib.request.urlopen(f"http://127.0.0.1:{server.port}/livez", timeout=10)
    finally:
        agent.stop()
        server.stop()


@pytest.mark.parametrize(
    ("settings", "says"),
    [
        ({"PADDOCK_CERTIFICATE": "/nowhere.pem", "PADDOCK_CERTIFICATE_KEY": "/nowhere.key"}, "cannot be read"),
        ({"PADDOCK_CERTIFICATE_KEY": "/nowhere.key"}, "belong together"),
        ({"PADDOCK_PROXIES": "10.0.0.1/8"}, "PADDOCK_PROXIES is '10.0.0.1/8'"),
        ({"PADDOCK_PROXIES": "proxy.example"}, "PADDOCK_PROXIES is"),
        ({"PADDOCK_URL": "builds.example"}, "PADDOCK_URL is"),
        ({"PADDOCK_URL": "https://builds.example/a b"}, "PADDOCK_URL is"),
        ({"PADDOCK_PORT": "http"}, "PADDOCK_PORT is 'http'"),
        ({"PADDOCK_LEASE": "-1"}, "PADDOCK_LEASE is '-1'"),
    ],
)
def test_a_server_does_not_start_with_wrong_settings(tmp_path, settings, says):
    done = command({**own_environment(PADDOCK_DATA=str(tmp_path)), **settings}, "serve")
    assert (done.returncode, says in done.stderr) == (1, True), done.stderr
    assert "Traceback" not in done.stderr
