"""Causes that lie between the agent and its server: name, route, proxy, certificate, clock, key."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from . import commands as make
from .diagnosis import Diagnosis, Possibility
from .evidence import Check, Evidence
from .rules_of_unit import environment_files, is_running, last_lines, repair, unit_line


def server_rules(evidence: Evidence) -> Diagnosis | None:
    """The first step on the way to the server that fails, as tried from the host under the agent's account."""
    for name, explain in (
        ("connection", _connection),
        ("certificate", _certificate),
        ("answer", _answer),
        ("server knows the key", _key),
    ):
        if failed := evidence.failed(name):
            return explain(evidence, failed)
    return None


def _known(evidence: Evidence, failed: Check) -> tuple[str, ...]:
    return (
        f"Tried from this machine as {evidence.account}: {failed.detail}.",
        unit_line(evidence),
        *last_lines(evidence, 2),
    )


def _connection(evidence: Evidence, failed: Check) -> Diagnosis:
    if failed.facts.get("proxy"):
        return _proxy(evidence, failed)
    host = urlsplit(evidence.server).hostname or evidence.server
    if "name lookup" in failed.detail:
        return _name(evidence, failed, host)
    if "ECONNREFUSED" in failed.detail:
        return Diagnosis(
            "refused",
            f"{evidence.server} refuses connections: nothing listens there, or a firewall turns this machine away.",
            _known(evidence, failed),
            "Whether the server is down or a firewall answers for it.",
            _moved(evidence),
            "If the server answers others, look at the firewall between. If it has moved, tell the agent: "
            f"`{' '.join(repair(evidence, '--server', 'URL'))}`.",
        )
    return Diagnosis(
        "no route",
        f"No connection to {evidence.server} can be made from this machine: {failed.detail}.",
        _known(evidence, failed),
        "Where on the way the packets are lost.",
        _routes(evidence, host),
        "Look at this machine's network: address, route, firewall. A person must.",
    )


def _moved(evidence: Evidence) -> tuple[Possibility, ...]:
    address = evidence.server
    return (
        Possibility(
            "The server is stopped, or listens at another address now.", make.words("curl", "-sS", f"{address}/healthz")
        ),
        Possibility("A firewall on this machine turns its own packets away.", "nft list ruleset"),
    )


def _routes(evidence: Evidence, host: str) -> tuple[Possibility, ...]:
    return (
        Possibility(
            "This machine has no route there.",
            make.words("ip", "route", "get", host) if _is_number(host) else "ip route",
        ),
        Possibility("A firewall drops the packets.", "nft list ruleset"),
        Possibility("The server's machine is down.", make.words("ping", "-c", "3", host)),
    )


def _is_number(host: str) -> bool:
    return bool(re.fullmatch(r"[0-9.]+|[0-9a-f:]+", host))


USUAL_SOURCES = ("files", "dns", "resolve", "myhostname", "mdns", "mdns4", "mdns4_minimal", "sss", "ldap", "winbind")


def _name(evidence: Evidence, failed: Check, host: str) -> Diagnosis:
    sources = failed.facts.get("sources of names")
    if sources is not None and not set(sources.split()) & set(USUAL_SOURCES):
        return Diagnosis(
            "name",
            f"The name {host} of the server does not resolve on this machine: /etc/nsswitch.conf line "
            f"{failed.facts.get('sources line')} has names looked up in {sources or 'nothing'} alone.",
            _known(evidence, failed),
            remedy="Have names looked up in /etc/hosts and by DNS, and start the agent again.",
            commands=(
                make.words("sed", "-i", "s/^hosts:.*/hosts: files dns/", "/etc/nsswitch.conf"),
                *make.restart(evidence.service),
            ),
        )
    return Diagnosis(
        "name",
        f"The name {host} of the server does not resolve on this machine.",
        _known(evidence, failed),
        "Whether the name service is wrong, or the name.",
        (
            Possibility("The machine's name service does not answer.", "cat /etc/resolv.conf"),
            Possibility(
                "The name is missing in the name service or in /etc/hosts.", make.words("getent", "hosts", host)
            ),
        ),
        "A person must correct the name service or /etc/hosts. The agent connects as soon as the name resolves.",
    )


def _proxy(evidence: Evidence, failed: Check) -> Diagnosis:
    proxy, name = failed.facts["proxy"], failed.facts.get("proxy variable", "")
    named_by = name or "from its environment"
    sentence = f"The agent reaches its server through the proxy {proxy} ({named_by}), and that does not work."
    files = environment_files(evidence)
    removed = [*make.without_variable(name, files)]
    for_all = evidence.unit.get("ManagerEnvironment", "").split()
    names = [one for one in for_all if one.lower() == name.lower() and one.isidentifier()]
    if failed.facts.get("direct") == "yes" and names:
        return Diagnosis(
            "proxy",
            f"{sentence} It is set for every service of this machine. Without it the server answers.",
            _known(evidence, failed),
            "Whether other services need it.",
            remedy="Start the agent's service without it; for the others it stays.",
            commands=(
                *make.drop_in(evidence.service, "Service", [f"UnsetEnvironment={' '.join(names)}"]),
                *make.restart(evidence.service),
            ),
        )
    if failed.facts.get("direct") == "yes" and removed:
        lines = [
            one
            for one in evidence.overrides
            if one.key == "Environment" and one.value.strip("\"'").startswith(f"{name}=")
        ]
        removed += [make.without_line(one.file, one.line) for one in lines]
        return Diagnosis(
            "proxy",
            f"{sentence} Without the proxy the server answers.",
            _known(evidence, failed),
            remedy="Take the proxy out of the service's environment, and start it again.",
            commands=(*removed, "systemctl daemon-reload", *make.restart(evidence.service)),
        )
    return Diagnosis(
        "proxy",
        sentence,
        _known(evidence, failed),
        remedy=f"Start the proxy, or name another in {', '.join(files) or 'the service environment'}. Without it the "
        f"server does not answer either ({failed.facts.get('direct', 'not tried')}). A person must.",
    )


def _certificate(evidence: Evidence, failed: Check) -> Diagnosis:
    if evidence.failed("clock") or "not yet valid" in failed.detail:
        return _clock(evidence, failed)
    return Diagnosis(
        "certificate",
        f"The server's certificate is not trusted on this machine: {failed.detail}",
        _known(evidence, failed),
        remedy="Put the certificate of your own authority into a file that every account can read, and name it by "
        f"SSL_CERT_FILE in {', '.join(environment_files(evidence)) or 'the service environment'}. If it has expired, "
        "the server needs a new one. A person must.",
    )


def _clock(evidence: Evidence, failed: Check) -> Diagnosis:
    return Diagnosis(
        "clock",
        "The machine's clock is wrong, so the server's certificate does not count for it.",
        _known(evidence, failed),
        remedy="Have the machine keep its clock by itself.",
        commands=("timedatectl set-ntp true", *make.restart(evidence.service)),
    )


def _answer(evidence: Evidence, failed: Check) -> Diagnosis:
    if failed.facts.get("proxy"):
        return _proxy(evidence, failed)
    if "no server of ours" in failed.detail:
        return Diagnosis(
            "another server",
            f"What answers at {evidence.server} is another program.",
            _known(evidence, failed),
            remedy=f"Tell the agent the right address: `{' '.join(repair(evidence, '--server', 'URL'))}`.",
        )
    if one := _scheme(evidence, failed):
        return one
    return Diagnosis(
        "server in trouble",
        f"The server does not answer as it should: {failed.detail}.",
        _known(evidence, failed),
        remedy="A person must look at the server: its log says more.",
    )


def _scheme(evidence: Evidence, failed: Check) -> Diagnosis | None:
    """The address says TLS and the server speaks none, or the other way round."""
    speaks_tls, scheme = failed.facts.get("speaks TLS"), urlsplit(evidence.server).scheme
    if (scheme, speaks_tls) not in (("https", "no"), ("http", "yes")):
        return None
    other = "http" if scheme == "https" else "https"
    address = evidence.server.replace(f"{scheme}://", f"{other}://", 1)
    wrong = "TLS, and what listens there does not" if scheme == "https" else "no TLS, and what listens there wants it"
    warning = " Without TLS the key crosses the network unprotected." if other == "http" else ""
    return Diagnosis(
        "scheme",
        f"The agent's address of the server is {evidence.server}. By that it speaks {wrong}.",
        _known(evidence, failed),
        "Which of the two is meant.",
        (Possibility(f"The server is at {address}.", make.words("curl", "-sS", f"{address}/healthz")),),
        f"If it is at {address}, tell the agent: `{' '.join(repair(evidence, '--server', address))}`.{warning} If not, "
        "the server lacks its certificate. A person must decide.",
    )


def _key(evidence: Evidence, failed: Check) -> Diagnosis:
    return Diagnosis(
        "key refused",
        f"The server at {evidence.server} does not know this agent's key: the host was retired or turned away, "
        "or it is another server.",
        _known(evidence, failed),
        remedy="If it should come back, a person must make an entry pass and run the bring-up command on the machine.",
    )


def is_heard(evidence: Evidence) -> bool:
    """Whether the server says that the agent is connected."""
    found = evidence.check("connected")
    return bool(found and found.ok)


def starting_rules(evidence: Evidence) -> Diagnosis | None:
    """The service manager is still at starting it."""
    return Diagnosis(
        "starting",
        f"The service is being started ({evidence.unit.get('SubState', '')}).",
        (unit_line(evidence),),
        "Whether it will be up.",
        remedy="Wait a minute.",
    )


def process_rules(evidence: Evidence) -> Diagnosis | None:
    """The agent's process is there, all that it needs works, and it is not connected."""
    if not is_running(evidence) or is_heard(evidence):
        return None
    state, age = evidence.process.get("state", ""), _seconds(evidence.process.get("age", ""))
    known = (
        f"Process {evidence.process.get('pid')}: state {state}, {age:.0f} s old.",
        unit_line(evidence),
        *last_lines(evidence),
    )
    again = make.restart(evidence.service)
    if state in ("T", "t"):
        return Diagnosis(
            "stopped process",
            "The agent's process was stopped by a signal (SIGSTOP) and does nothing.",
            known,
            remedy="Restart the agent.",
            commands=again,
        )
    if age < YOUNG:
        return Diagnosis(
            "starting",
            f"The agent was started {age:.0f} s ago and has not connected yet.",
            known,
            "Whether it will.",
            remedy="Wait a minute.",
        )
    if state == "D":
        return Diagnosis(
            "waits for a disk",
            "The agent's process waits for a disk or a network file system that does not answer.",
            known,
            remedy="Look at the mounts: a person must bring the file server back or unmount it.",
        )
    return Diagnosis(
        "hangs",
        "The agent's process is alive and old enough, all that it needs works, and it does not connect: it hangs.",
        known,
        "What it waits for.",
        remedy="Restart the agent.",
        commands=again,
    )


def _seconds(text: str) -> float:
    """A number that a host sent; 0 where it is none."""
    return float(text) if text.isdecimal() and len(text) < MAX_DIGITS else 0.0


MAX_DIGITS = 12
YOUNG = 30.0
"""Seconds that an agent may take to connect."""
