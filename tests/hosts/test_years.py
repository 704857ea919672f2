"""A server over the years, on a real systemd host: installed with TLS, run by people of a sign-on provider, with a host
and jobs, backed up, upgraded to a version with another database, and restored under its agent."""

from __future__ import annotations

import re
import ssl
from http.server import ThreadingHTTPServer
from threading import Thread

import httpx
import pytest
from authority import Authority
from installed_server import DATA, HOME, ROOT, installed, setup
from waiting import until

from paddock_standins.sign_on_provider import Provider, handler_of

PASSWORD = "a long enough secret"
PEOPLE = {"soundings": ["harbour-office"], "tidewaiter": ["harbour-office"], "visitor": []}
PASSPHRASE = "brackish water at the third gauge"
CERTIFICATE, KEY, AUTHORITY = "/etc/yellow-paddock/server.pem", "/etc/yellow-paddock/server.key", "/etc/saltmarsh.pem"
LAST_MIGRATION = max(
    file.stem for file in (ROOT / "server" / "paddock_server" / "housekeeping" / "migrations").glob("0*.py")
)
MIGRATION = f"""from django.db import migrations, models

class Migration(migrations.Migration):
    dependencies = [("housekeeping", "{LAST_MIGRATION}")]
    operations = [migrations.AddField("storagesample", "of_next_version", models.IntegerField(default=0))]
"""


@pytest.fixture(scope="module")
def host():
    with installed("curlew-10", 8) as real:
        yield real


@pytest.fixture(scope="module")
def authority(tmp_path_factory):
    return Authority(tmp_path_factory.mktemp("authority"))


@pytest.fixture(scope="module")
def provider(host, authority):
    """On this machine, with TLS, where the server and the browsers both reach it."""
    server = ThreadingHTTPServer((host.outside, 0), handler_of(Provider("", [], "")))
    made = Provider(
        f"https://{host.outside}:{server.server_port}", [f"https://{host.inside}:8443/sign-on/return"], "secret", PEOPLE
    )
    server.RequestHandlerClass = handler_of(made)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(*authority.issue(host.outside, label="provider"))
    server.socket = context.wrap_socket(server.socket, server_side=True)
    Thread(target=server.serve_forever, daemon=True).start()
    yield made
    server.shutdown()
    server.server_close()


def succeed(host, command):
    done = host.run(command)
    assert done.returncode == 0, f"{command}\n{done.stdout}{done.stderr}"
    return done.stdout


def as_server(host, command):
    """Runs paddock as the server's account, with its settings."""
    return succeed(
        host, f"runuser -u yellow-paddock -- env PADDOCK_CONFIG=/etc/yellow-paddock/paddock.toml "
        f"PADDOCK_BACKUP_PASSPHRASE='{PASSPHRASE}' {HOME}/bin/paddock {command}"
    ).strip()  # fmt: skip


class Person:
    """Somebody at a browser."""

    def __init__(self, url, authority):
        self.url = url
        context = ssl.create_default_context(cafile=authority.file)
        self.client = httpx.Client(base_url=url, verify=context, timeout=30, follow_redirects=True)

    def ask(self, method, path, **body):
        headers = {"X-CSRFToken": self.client.cookies.get("paddock_csrf", ""), "Referer": self.url}
        answer = self.client.request(method, f"/api/v1/{path}", headers=headers, **({"json": body} if body else {}))
        assert answer.status_code < 300, answer.text
        return answer.json() if answer.content else None

    def sign_on(self, name):
        """Through the provider's page, as the browser does it."""
        page = self.client.get("/sign-on/1/begin?to=/")
        assert "Who are you?" in page.text, page.text
        back = self.client.get(str(page.url.copy_set_param("person", name)))
        assert back.status_code == 200, back.text
        return self.ask("GET", "session/")

    def job(self, script, pipeline="tide-tables"):
        return self.ask("POST", "jobs/", name="soak", pipeline=pipeline, terms=[], script=script)["id"]

    def state(self, number):
        return self.ask("GET", f"jobs/{number}/")["state"]

    def passes(self, script):
        number = self.job(script)
        until(lambda: self.state(number) == "passed", f"job {number} to pass")
        return number


def is_up(person):
    try:
        return person.client.get("/readyz").status_code == 200
    except httpx.HTTPError:
        return False


def test_a_server_from_its_installation_to_its_restore(host, authority, provider):
    # Installed with TLS. The account may not read the key at first: what setup prints is done as it is printed.
    certificate, key = authority.issue(host.inside)
    for file, place in ((certificate, CERTIFICATE), (key, KEY), (authority.file, AUTHORITY)):
        succeed(
            host, f"mkdir -p /etc/yellow-paddock && cat > {place} <<'END'\n{file.read_text()}END\nchmod 600 {place}"
        )
    succeed(host, f"chmod 644 {AUTHORITY}")
    options = f"--port 8443 --certificate {CERTIFICATE} --certificate-key {KEY}"
    for _ in range(2):
        code, output = setup(host, options)
        assert (code, "cannot read" in output) == (1, True), output
        succeed(host, re.search(r"(chgrp .*?)\. Then", output)[1])
    code, output = setup(host, options)
    assert code == 0, output + host.run("journalctl -u yellow-paddock -n 40 --no-pager").stdout
    link = re.search(r"(https\S+)/welcome#(paddock-link-\S+)", output)
    assert link and link[1] == f"https://{host.inside}:8443", output

    # The first administrator, a provider, and two administrators who sign on with it.
    first = Person(link[1], authority)
    first.ask("GET", "session/")
    assert first.ask("POST", "links/accept/", link=link[2], password=PASSWORD)["role"] == "administrator"
    drop_in = "/etc/systemd/system/yellow-paddock.service.d"
    more = f"[Service]\\nEnvironment=SSL_CERT_FILE={AUTHORITY}\\n"
    # Backups by a schedule, into a folder that the hardened service could not write before.
    succeed(host, "echo 'backup_folder = \"/mnt/backups\"' >> /etc/yellow-paddock/paddock.toml")
    succeed(host, f"mkdir -p {drop_in} /mnt/backups && chown yellow-paddock /mnt/backups")
    succeed(host, f"printf '{more}' > {drop_in}/own.conf && systemctl daemon-reload")
    code, output = setup(host, options)
    assert (code, "now: write the unit" in output) == (0, True), output
    until(lambda: is_up(first), "the server to be back")
    scheduled = until(lambda: first.ask("GET", "server/")["backups"]["runs"], "the scheduled backup", 60)
    assert scheduled[0]["trouble"] == ""
    made = first.ask(
        "POST", "sign-on-providers/", name="Harbour ID", issuer=provider.issuer, client_id=provider.client,
        client_secret="secret",
    )  # fmt: skip
    first.ask("POST", f"sign-on-providers/{made['id']}/check/")
    mapped = [{"group": "harbour-office", "role": "administrator", "paddock": ""}]
    first.ask("PUT", f"sign-on-providers/{made['id']}/mapping/", roles=mapped, version=made["version"])
    people = [Person(link[1], authority) for _ in range(2)]
    for person, name in zip(people, ("soundings", "tidewaiter"), strict=True):
        session = person.sign_on(name)
        assert (session["name"], session["role"]) == (name, "administrator"), session
    one, other = people

    # A host, by the command of its sheet, and a job.
    one.ask("POST", "paddocks/", name="shoreline", pipelines=["*"])
    sheet = one.ask("POST", "bring-ups/", paddock="shoreline", system="linux", arch="x64", server=link[1])
    paste = f"cd /root && export SSL_CERT_FILE={AUTHORITY} && {sheet['command']['run']}"
    succeed(host, paste)
    name = until(lambda: next(iter(one.ask("GET", "hosts/")["results"]), None), "the host at the gate")["name"]
    other.ask("POST", f"hosts/{name}/admit/", as_asked=True)
    before = one.passes("echo before the backup")

    # A backup of the living server, and a job that it does not know.
    backup = as_server(host, "backup /mnt/backups").splitlines()[-1]
    assert "is whole" in as_server(host, f"restore --check {backup}")
    unknown = one.passes("echo after the backup")

    # An upgrade to a version with another database.
    packages = f"{HOME}/lib/python3.11/site-packages/paddock_server"
    model = f"{packages}/housekeeping/models.py"
    succeed(host, f"cp -a {packages} /root/earlier")
    succeed(host, f"cat > {packages}/housekeeping/migrations/0099_next.py <<'END'\n{MIGRATION}END")
    column = "of_next_version = models.IntegerField(default=0)"
    succeed(host, f"sed -i 's/^    total = models.BigIntegerField()/&\\n    {column}/' {model}")
    succeed(host, "systemctl restart yellow-paddock")
    until(lambda: is_up(one), "the upgraded server")
    copy = succeed(host, f"ls {DATA}/before-upgrade/*.sqlite3").split()
    assert len(copy) == 1
    assert "was upgraded" in succeed(host, "journalctl -u yellow-paddock --no-pager")
    assert one.state(unknown) == "passed", "the sessions, and all that was recorded, are still there"
    one.passes("echo on the next version")

    # Back to the version of before is refused until the copy is put back: docs/upgrade.md.
    succeed(host, f"systemctl stop yellow-paddock && rm -rf {packages} && mv /root/earlier {packages}")
    refused = host.run("systemctl start yellow-paddock")
    assert refused.returncode != 0
    assert "is of a later version than this program" in succeed(host, "journalctl -u yellow-paddock --no-pager")
    database = f"{DATA}/paddock.sqlite3"
    succeed(host, f"cp {copy[0]} {database} && rm -f {database}-wal {database}-shm && chown yellow-paddock: {database}")
    succeed(host, "systemctl reset-failed yellow-paddock && systemctl start yellow-paddock")
    until(lambda: is_up(one), "the earlier version on its copy")
    assert one.state(unknown) == "passed"

    # A restore under the agent: what the backup does not know is gone, and nothing runs twice.
    succeed(host, "systemctl stop yellow-paddock")
    as_server(host, f"restore {backup} --replace")
    succeed(host, "systemctl start yellow-paddock")
    until(lambda: is_up(one), "the restored server")
    until(lambda: one.ask("GET", f"hosts/{name}/")["link"] == "connected", "the agent to be back")
    assert one.state(before) == "passed"
    after = one.passes("echo after the restore")
    assert after > unknown, "no number comes twice"
    with pytest.raises(AssertionError, match="404"):
        one.state(unknown)
    *before_it, last = one.ask("GET", f"jobs/{after}/")["attempts"]
    assert last["started_at"]
    assert not any(one["started_at"] for one in before_it), "an offer may not reach the agent, but nothing runs twice"
