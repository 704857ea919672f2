"""The rules: what each finds, what it does not, and that findings open, change and close."""

import json
import math
import os
from dataclasses import asdict, replace
from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.findings import (
    BY_CODE,
    RULES,
    FleetSeen,
    GuessingSeen,
    HostSeen,
    PassSeen,
    Severity,
    WatchedService,
    WatchSeen,
    after,
    evaluate,
)
from paddock_core.findings.lifetime import is_quiet
from paddock_core.findings.observed import Anomaly, BackupsSeen, Failing, RefusedVersion, TokenSeen
from paddock_core.findings.rules.pass_ending import HORIZON_SECONDS as PASS_HORIZON
from paddock_core.findings.rules.token_ending import HORIZON_SECONDS as TOKEN_HORIZON
from paddock_core.link_state import FLAPPING_WINDOW, SILENT, Link
from paddock_core.proportions import Contrast
from paddock_core.standby.power import Power
from paddock_core.trend import DAY, Trend

NOW = 1_000_000.0
GB = 1024.0**3
WELL = HostSeen(
    "knot-01",
    "shoreline",
    address="10.20.7.4",
    link_since=NOW - 7200,
    kept_by="paddock-agent-knot.service",
    account="paddock",
    agent_version="0.1.0",
    oldest_agent="0.1.0",
    work_folder="/var/lib/work",
    clock=0.2,
    disk_free=80 * GB,
    disk_total=200 * GB,
    system_free=30 * GB,
    memory_free=8 * GB,
    memory=32 * GB,
    watch=WatchSeen(NOW - 20, "paddock-agent-knot.service", boot="b1", booted_at=NOW - 99_000),
    boot="b1",
)
LOST = replace(WELL, link=Link.LOST, link_since=NOW - 100, link_cause="The connection closed.")
STOPPED = replace(WELL, link=Link.STOPPED, link_since=NOW - 100, link_cause="The agent was stopped.")


def reported(**more):
    return replace(WELL.watch, **more)


def found(*hosts, passes=(), tokens=(), **more):
    return evaluate(FleetSeen(tuple(hosts), tuple(passes), tokens=tuple(tokens), **more), NOW)


def codes(*hosts, **more):
    return [one.code for one in found(*hosts, **more)]


CASES = {
    "does-not-wake": replace(
        STOPPED, power=Power.NOT_WAKING, power_since=NOW - 60, power_evidence=(("A magic packet was sent.", NOW - 200),)
    ),
    "does-not-power-down": replace(
        WELL,
        down_failed="Its watch did not carry the order out.",
        power_evidence=(("It was ordered to go.", NOW - 400),),
    ),
    "version-refused": replace(WELL, refused=(RefusedVersion("0.3.0", NOW - 60, "It ended at once."),)),
    "agent-behind": replace(WELL, newest_agent="0.2.0", newest_since=NOW - 15 * DAY),
    "service-stopped": replace(STOPPED, watch=reported(running="stopped", sentence="The service was stopped.")),
    "service-disabled": replace(
        STOPPED,
        watch=reported(running="stopped", starts_at_boot=False, start_type="disabled", remedy=("systemctl enable x",)),
    ),
    "service-fails": replace(
        LOST, watch=reported(running="failed", cause="no program", code="status 203", sentence="No.")
    ),
    "account-cannot-log-on": replace(
        LOST, watch=reported(running="trying again", cause="no account", account="ghost", remedy=("useradd ghost",))
    ),
    "gone-after-reboot": replace(LOST, kept_by="", watch=reported(running="missing", boot="b2", booted_at=NOW - 60)),
    "service-missing": replace(LOST, watch=reported(running="missing")),
    "started-by-hand": replace(WELL, kept_by="", watch=None),
    "agent-ended": replace(LOST, watch=reported(at=NOW - 110)),
    "agent-hung": replace(LOST, link_cause=SILENT, watch=reported(at=NOW - 10)),
    "agent-stopped": replace(STOPPED, watch=None),
    "machine-silent": replace(LOST, link_since=NOW - 400, watch=reported(at=NOW - 420)),
    "watch-silent": replace(WELL, watch=reported(at=NOW - 3000)),
    "no-watch": replace(WELL, watch=None),
    "flapping": replace(WELL, losses=(NOW - 900, NOW - 700, NOW - 500, NOW - 100)),
    "clock-off": replace(WELL, clock=-75.0),
    "disk-full": replace(WELL, disk_free=0.3 * GB),
    "disk-filling": replace(
        WELL, disk_trend=Trend(NOW, 40 * GB, -5 * GB / DAY, -6 * GB / DAY, -4 * GB / DAY, NOW - 9 * DAY)
    ),
    "memory-pressure": replace(WELL, memory_free=0.5 * GB),
    "agent-down": replace(
        LOST,
        watch=reported(
            running="failed",
            cause="ended",
            sentence="It fails.",
            diagnosis=Failing("proxy", "The proxy is dead.", ("x",), remedy="Start it."),
        ),
    ),
    "unit-broken": replace(
        WELL, watch=reported(diagnosis=Failing("masked", "The service is masked.", ("x",), remedy="Unmask it."))
    ),
    "unable-to-work": replace(WELL, failing=(Failing("closed", "The work folder is closed to paddock."),)),
    "environment-old": replace(WELL, outdated=("PATH",)),
    "agent-old": replace(WELL, agent_version="0.0.9"),
    "clone": replace(WELL, clone=Anomaly(NOW - 60, "From 10.9.9.9.")),
    "misbehaving": replace(WELL, invalid_reading=Anomaly(NOW - 5, "load was -4.")),
    "watched-service-down": replace(WELL, services=(WatchedService("tide-db", "failed", NOW - 50),)),
    "fails-here": replace(WELL, contrast=Contrast("knot-01", 14, 20, 9, 180, ("soak",), 1e-6)),
    "certificate-ending": replace(WELL, certificate_ends=NOW + 5 * DAY),
}


def test_a_host_that_is_well_has_no_finding():
    assert codes(WELL) == []


@pytest.mark.parametrize("code", CASES)
def test_each_trouble_ends_in_its_own_finding_and_no_other(code):
    (one,) = found(CASES[code])
    assert one.code == code
    assert one.title == BY_CODE[code].title
    assert one.sentence
    assert one.evidence
    assert one.remedy.sentence


def filling(days, late=None, soon=None):
    """A disk that fills within these days; ``soon`` and ``late`` bound the interval."""
    level = 40 * GB
    slope = -level / (days * DAY)
    low = -level / ((soon or days) * DAY)
    high = -level / ((late or days) * DAY)
    return replace(WELL, disk_trend=Trend(NOW, level, slope, low, high, NOW - 9 * DAY))


AWAY = replace(LOST, link_since=NOW - 400)


def ends_in(days):
    """A certificate that ends just before this many days are over, or exactly then."""
    end = NOW + days * DAY
    return replace(WELL, certificate_ends=end - 1), replace(WELL, certificate_ends=end)


EDGES = [
    # the code, the last value that is found, the first that is not
    ("clock-off", replace(WELL, clock=30.0), replace(WELL, clock=29.9)),
    ("clock-off", replace(WELL, clock=-30.0), replace(WELL, clock=-29.9)),
    ("memory-pressure", replace(WELL, memory_free=0.0399 * 32 * GB), replace(WELL, memory_free=0.04 * 32 * GB)),
    ("disk-full", replace(WELL, disk_free=GB - 1), replace(WELL, disk_free=GB)),
    ("disk-full", replace(WELL, system_free=GB / 2 - 1), replace(WELL, system_free=GB / 2)),
    ("disk-filling", filling(13.99), filling(14.01)),
    ("disk-filling", filling(10, late=44.9), filling(10, late=45.1)),
    ("certificate-ending", *ends_in(21)),
    ("agent-hung", replace(WELL, unanswered=(NOW - 3599, NOW - 1)), replace(WELL, unanswered=(NOW - 3600, NOW - 1))),
    ("watch-silent", replace(WELL, watch=reported(at=NOW - 151)), replace(WELL, watch=reported(at=NOW - 150))),
    ("machine-silent", replace(AWAY, watch=reported(at=NOW - 420)), replace(AWAY, watch=reported(at=NOW - 150))),
]  # fmt: skip
URGENCY = [
    ("clock-off", replace(WELL, clock=300.0), replace(WELL, clock=299.9)),
    ("disk-filling", filling(1.49), filling(1.51)),
    ("certificate-ending", *ends_in(2)),
]  # fmt: skip


@pytest.mark.parametrize(("code", "within", "beyond"), EDGES, ids=str)
def test_each_limit_has_two_sides(code, within, beyond):
    assert code in codes(within)
    assert code not in codes(beyond)


@pytest.mark.parametrize(("code", "urgent", "soon"), URGENCY, ids=str)
def test_what_is_urgent_from_a_limit_on(code, urgent, soon):
    assert [one.severity for one in found(urgent) if one.code == code] == [Severity.URGENT]
    assert [one.severity for one in found(soon) if one.code == code] == [Severity.SOON]


def test_every_rule_has_a_case():
    elsewhere = {
        "network-silent", "pass-ending", "passwords-guessed", "token-ending", "backup-failed", "backup-old",
        "server-disk-filling",
    }  # fmt: skip
    assert set(BY_CODE) == set(CASES) | elsewhere
    assert len(BY_CODE) == len(RULES)


@pytest.mark.parametrize("code", CASES)
@pytest.mark.parametrize("family", ["linux", "macos", "windows"])
def test_hostile_names_are_quoted_in_what_people_copy(code, family):
    nasty = "x'; rm -rf / #"
    host = replace(CASES[code], family=family, work_folder=nasty, account=nasty)
    quoted = "'x''; rm -rf / #'" if family == "windows" else """'x'"'"'; rm -rf / #'"""
    for one in found(host):
        for command in one.remedy.commands:
            assert nasty not in command.replace(quoted, "")


def test_what_is_urgent_comes_first():
    severities = [one.severity for one in found(CASES["no-watch"], CASES["clock-off"], CASES["disk-full"])]
    assert severities == [Severity.URGENT, Severity.SOON, Severity.NOTE]


@pytest.mark.parametrize(
    ("host", "expected"),
    [
        (replace(WELL, disk_trend=Trend(NOW, 40 * GB, -1 * GB / DAY, -2 * GB / DAY, -GB / DAY / 2, 0.0)), []),
        (replace(WELL, disk_trend=Trend(NOW, 40 * GB, -5 * GB / DAY, -9 * GB / DAY, -GB / DAY / 3, 0.0)), []),
        (replace(WELL, clock=12.0), []),
        (replace(WELL, clock=math.nan, disk_free=math.nan, memory_free=math.nan), []),
        (replace(WELL, losses=(NOW - 1700, NOW - 1600, NOW - 1500, NOW - 1400)), []),
        (replace(WELL, watch=reported(at=NOW - 3000), link_since=NOW - 30), []),
        (replace(STOPPED, holding="held", watch=None), []),
        (replace(WELL, watch=reported(at=NOW - 3000), listening_since=NOW - 30), []),
        (replace(CASES["machine-silent"], listening_since=NOW - 30), ["agent-ended"]),
        (replace(STOPPED, watch=reported(at=NOW - 3000)), ["agent-stopped"]),
        (replace(WELL, kept_by="", is_admitted=False, watch=None), []),
        (replace(WELL, unanswered=(NOW - 10, NOW - 500)), ["agent-hung"]),
        (replace(WELL, unanswered=(NOW - 10, NOW - 5000)), []),
        (replace(WELL, watch=reported(starts_at_boot=False)), ["service-disabled"]),
        (replace(WELL, contrast=Contrast("knot-01", 3, 20, 9, 180, ("soak",), 1e-6)), []),
        (replace(CASES["clone"], clone=Anomaly(NOW - 7200, "")), []),
        (replace(LOST, kept_by="", watch=None), ["agent-ended"]),
        (replace(LOST, watch=reported(since=NOW - 5)), []),
    ],
)
def test_edges(host, expected):
    assert codes(host) == expected


def test_stopped_on_purpose_is_a_note_and_a_watch_that_may_can_start_it():
    (one,) = found(replace(CASES["service-stopped"], watch=reported(running="stopped", on_purpose=True)))
    assert one.severity is Severity.NOTE
    (one,) = found(replace(CASES["service-stopped"], watch_may_start=True))
    assert (one.severity, one.remedy.action) == (Severity.URGENT, "request start")


def lost(number, network="10.20.7", at=NOW - 100, paddock="shoreline"):
    name = f"knot-{number:02}"
    return replace(
        LOST, name=name, address=f"{network}.{number}", link_since=at, paddock=paddock, watch=reported(at=at - 9)
    )


def test_several_hosts_of_one_network_at_once_are_one_finding_about_the_network():
    hosts = [lost(i, at=NOW - 100 + i) for i in range(1, 6)]
    (one,) = found(*hosts, replace(WELL, name="avocet-01", address="10.99.0.1"))
    assert (one.code, one.about, one.paddock) == ("network-silent", "10.20.7.0/24", "shoreline")
    assert one.hosts == tuple(host.name for host in hosts)
    mixed = [lost(1), lost(2, paddock="orchard"), lost(3)]
    assert found(*mixed)[0].paddock == ""


def test_what_is_not_the_network_stays_with_the_hosts():
    assert codes(lost(1), lost(2)) == ["agent-ended"] * 2
    assert codes(*(lost(i, at=NOW - 1000 * i) for i in range(1, 5))).count("network-silent") == 0
    present = [replace(WELL, name=f"dunlin-{i}", address=f"10.20.7.{i}") for i in range(100, 110)]
    assert "network-silent" not in codes(*present, *(lost(i) for i in range(1, 4)))
    failed = replace(lost(4), watch=reported(running="failed", cause="no program"))
    assert codes(lost(1), lost(2), lost(3), failed) == ["network-silent", "service-fails"]
    assert "network-silent" not in codes(*(replace(lost(i), address="127.0.0.1") for i in range(5)))


@pytest.mark.parametrize(
    ("one", "expected"),
    [
        (PassSeen("image", "shoreline", NOW + DAY, 40, True), ["pass-ending"]),
        (PassSeen("image", "shoreline", NOW + DAY, 40, False), []),
        (PassSeen("one machine", "shoreline", NOW + DAY, 1, True), []),
        (PassSeen("image", "shoreline", NOW + 30 * DAY, 40, True), []),
        (PassSeen("image", "shoreline", NOW - 1, 40, True), []),
    ],
)
def test_passes(one, expected):
    assert codes(passes=[one]) == expected


@pytest.mark.parametrize(
    ("token", "expected"),
    [
        (TokenSeen("ci", "tide-ci", NOW + TOKEN_HORIZON - 1, NOW - DAY, "10.0.0.7"), ["token-ending"]),
        (TokenSeen("ci", "tide-ci", NOW + TOKEN_HORIZON, NOW - DAY, "10.0.0.7"), []),
        (TokenSeen("ci", "tide-ci", NOW + DAY, NOW - 30 * DAY, "10.0.0.7"), []),
        (TokenSeen("ci", "tide-ci", NOW + DAY, 0.0, ""), []),
        (TokenSeen("ci", "tide-ci", NOW, NOW - DAY, "10.0.0.7"), []),
    ],
)
def test_tokens(token, expected):
    assert codes(tokens=[token]) == expected


BACKUPS = BackupsSeen(DAY, NOW - 10 * DAY, NOW - DAY, NOW - DAY)
FAILED = replace(
    BACKUPS, last_tried_at=NOW - 60, trouble="The backup to /mnt failed: No space left.", failing_since=NOW - 7200
)


@pytest.mark.parametrize(
    ("backups", "expected"),
    [
        (None, []),
        (BACKUPS, []),
        (replace(BACKUPS, last_made_at=NOW - 2 * DAY), []),
        (replace(BACKUPS, last_made_at=NOW - 2 * DAY - 1), ["backup-old"]),
        (replace(BACKUPS, last_made_at=0.0, last_tried_at=0.0), ["backup-old"]),
        (replace(BACKUPS, last_made_at=0.0, scheduled_since=NOW - 2 * DAY), []),
        (replace(BACKUPS, last_made_at=NOW + 90 * DAY), []),
        (FAILED, ["backup-failed"]),
        (replace(FAILED, last_made_at=NOW - 30 * DAY), ["backup-failed"]),
        (replace(FAILED, last_made_at=0.0), ["backup-failed"]),
    ],
)
def test_backups(backups, expected):
    assert codes(backups=backups) == expected


def server_disk(days, spread=0.0):
    """A trend that fills the disk in ``days``; ``spread`` widens its interval."""
    rate = -1e10 / (days * DAY)
    return Trend(NOW, 1e10, rate, rate * (1 + spread), rate / (1 + spread), NOW - 21 * DAY)


@pytest.mark.parametrize(
    ("trend", "expected"),
    [
        (None, []),
        (server_disk(13.9), [Severity.SOON]),
        (server_disk(14.1), []),
        (server_disk(1.4), [Severity.URGENT]),
        (server_disk(1.6), [Severity.SOON]),
        (server_disk(13, spread=3), []),
        (replace(server_disk(20), at=NOW - 7 * DAY), [Severity.SOON]),
        (replace(server_disk(5), at=NOW - 7 * DAY), [Severity.URGENT]),
    ],
)
def test_the_disk_of_the_server(trend, expected):
    assert [one.severity for one in found(server_disk=trend)] == expected


hosts = st.builds(
    replace,
    st.sampled_from([*CASES.values(), WELL]),
    name=st.sampled_from(["knot-01", "knot-02", "knot-03", "knot-04"]),
    clock=st.floats(),
    disk_free=st.floats(),
    memory_free=st.floats(),
    link=st.sampled_from(list(Link)),
    link_since=st.floats(0, 2 * NOW),
    unanswered=st.lists(st.floats(0, 2 * NOW), max_size=3).map(tuple),
)


@given(st.lists(hosts, max_size=6, unique_by=lambda host: host.name))
def test_nothing_that_a_host_can_be_breaks_a_rule_and_keys_are_unique(fleet):
    keys = [one.key for one in found(*fleet)]
    assert len(keys) == len(set(keys))


def test_findings_open_change_and_close():
    (first,) = found(CASES["clock-off"])
    opened = after({}, [first])
    assert (opened.opened, opened.changed, opened.closed) == ((first,), (), ())
    (worse,) = found(replace(WELL, clock=-900.0))
    changed = after({first.key: first}, [worse])
    assert (changed.opened, changed.changed, changed.closed) == ((), (worse,), ())
    assert after({first.key: first}, [first]) == after({}, [])
    assert after({first.key: first}, []).closed == (first.key,)


def test_a_person_can_put_a_finding_aside():
    assert is_quiet(NOW, True, None)
    assert is_quiet(NOW, False, NOW + 1)
    assert not is_quiet(NOW, False, NOW - 1)
    assert not is_quiet(NOW, False, None)


def test_guessing_of_passwords_is_said_with_whom_it_is_about():
    guessing = (
        GuessingSeen("harbourmaster", True, 9, NOW - 60, NOW),
        GuessingSeen("10.0.0.9", False, 40, NOW - 60, NOW),
    )
    account, address = evaluate(FleetSeen((), (), guessing), NOW)
    assert "for harbourmaster" in account.sentence
    assert "from 10.0.0.9" in address.sentence
    assert "PADDOCK_PROXIES" in address.remedy.sentence
    assert account.key != address.key
    assert (account.hosts, account.paddock) == ((), "")


def test_two_parts_that_fail_for_the_same_cause_are_two_findings():
    twice = tuple(Failing("closed", f"{folder} is closed.", remedy="Open it.") for folder in ("/srv", "/tmp"))
    assert [one.about for one in found(replace(WELL, failing=twice))] == ["closed", "closed 2"]


@pytest.mark.parametrize(
    ("more", "command"),
    [
        ({}, "paddock-agent service start"),
        ({"shares_machine": True}, "paddock-agent service start --service paddock-agent-knot.service"),
        ({"family": "windows"}, r"& 'C:\Program Files\Paddock\paddock-agent.cmd' service start"),
        (
            {"family": "windows", "shares_machine": True},
            r"& 'C:\Program Files\Paddock\paddock-agent.cmd' service start --service 'paddock-agent-knot.service'",
        ),
    ],
)
def test_commands_of_the_agent_name_what_they_are_for_and_work_in_any_session(more, command):
    stopped = replace(STOPPED, watch=reported(at=NOW - 110), **more)
    (one,) = [finding for finding in found(stopped) if finding.code == "agent-stopped"]
    assert one.remedy.commands[0] == command


def test_a_service_that_does_not_exist_is_not_started():
    gone = replace(WELL, services=(WatchedService("chartdb", "missing", NOW - 60),))
    (one,) = found(gone)
    assert one.remedy.commands == ("systemctl status chartdb",)


GUESSING = GuessingSeen("10.0.0.9", False, 40, NOW - 60, NOW)
SITUATIONS = {
    **{f"{code}, {family}": [replace(CASES[code], family=family)] for code in CASES for family in ("linux", "windows")},
    **{f"{code}, macos": [replace(CASES[code], family="macos")] for code in ("disk-full", "clock-off", "agent-ended")},
    **{
        f"{code}, held": [replace(CASES[code], holding="held")]
        for code in ("flapping", "clone", "fails-here", "disk-full", "misbehaving")
    },
    "rate_limited": [replace(WELL, rate_limited=Anomaly(NOW - 5, "40 a second."))],
    "a watch that is not believed": [replace(WELL, rejected_report=Anomaly(NOW - 5, "a date of 1970."))],
    "two versions that went back": [
        replace(
            WELL,
            refused=(RefusedVersion("0.3.0", NOW - 9000, "It hung."), RefusedVersion("0.3.1", NOW - 60, "It hung.")),
        )
    ],
    "an agent of no version": [replace(WELL, agent_version="")],
    "a service that is missing": [replace(WELL, services=(WatchedService("tide-db", "missing", NOW - 50),))],
    "the system's own disk": [replace(WELL, system_free=0.2 * GB)],
    "a watch that may start": [
        replace(STOPPED, watch_may_start=True, watch=reported(running="stopped", sentence="The service was stopped."))
    ],
    "flapping, by restarts": [replace(CASES["flapping"], watch=reported(restarts=9))],
    "a network": [lost(i) for i in range(1, 6)],
    "an old report of the watch": [replace(STOPPED, watch=reported(at=NOW - 3000))],
}
REVIEWED = Path(__file__).with_name("findings.yaml")


def as_written(findings):
    """Findings as the file has them: whatever says nothing is left out, and moments are seconds from now."""
    written = []
    for one in findings:
        shown = {name: value for name, value in asdict(one).items() if value}
        shown["since"] = round(one.since - NOW, 3)
        shown["evidence"] = [f"{each.text} ({round(each.at - NOW) if each.at else 'always'})" for each in one.evidence]
        shown["remedy"] = {name: value for name, value in asdict(one.remedy).items() if value}
        written.append(json.loads(json.dumps(shown)))
    return written


def test_every_finding_says_what_was_reviewed():
    """The words, the evidence and the remedies of all rules, as a person has read them. Whoever changes one writes the
    file again with PADDOCK_REVIEW=1, and reads what it changed."""
    written = {name: as_written(found(*hosts)) for name, hosts in SITUATIONS.items()}
    token = TokenSeen("nightly", "tide-ci", NOW + DAY, NOW - 60, "10.20.7.9")
    written["a token"] = as_written(found(tokens=[token]))
    written["a pass"] = as_written(found(passes=[PassSeen("image", "shoreline", NOW + DAY, 40, True)]))
    written["failed backups"] = as_written(found(backups=FAILED))
    written["old backups"] = as_written(found(backups=replace(BACKUPS, last_made_at=NOW - 5 * DAY)))
    written["the server's disk"] = as_written(found(server_disk=server_disk(9)))
    written["guessing"] = as_written(evaluate(FleetSeen((), (), (GUESSING,)), NOW))
    if os.environ.get("PADDOCK_REVIEW"):
        REVIEWED.write_text(yaml.safe_dump(written, sort_keys=True, allow_unicode=True, width=110))
    reviewed = yaml.safe_load(REVIEWED.read_text())
    assert set(written) == set(reviewed)
    for name, findings in written.items():
        assert findings == reviewed[name], name


def test_a_loss_at_the_edge_of_the_window_counts():
    for before, times in ((FLAPPING_WINDOW, 5), (FLAPPING_WINDOW + 1, 4)):
        (one,) = found(replace(WELL, losses=(NOW - before, *CASES["flapping"].losses)))
        assert f"was lost {times} times" in one.sentence


@pytest.mark.parametrize(("restarts", "is_named"), [(2, False), (3, True)])
def test_restarts_of_the_service_explain_losses_where_there_are_as_many(restarts, is_named):
    (one,) = found(replace(CASES["flapping"], watch=reported(restarts=restarts)))
    assert ("started the agent" in one.sentence) is is_named


def test_a_pass_that_ends_at_the_edge_is_not_told_of_yet():
    assert codes(passes=[PassSeen("image", "shoreline", NOW + PASS_HORIZON, 40, True)]) == []
    assert codes(passes=[PassSeen("image", "shoreline", NOW + PASS_HORIZON - 1, 40, True)]) == ["pass-ending"]


def test_an_open_finding_keeps_the_time_since_when_it_first_held():
    short = replace(WELL, memory_free=0.01 * WELL.memory)
    (first,) = found(short)
    opened = replace(first, since=NOW - 500.0)
    reconnected = replace(short, memory_free=0.02 * WELL.memory, link_since=NOW - 1.0)
    (change,) = after({first.key: opened}, found(reconnected)).changed
    assert (change.since, "of memory are free" in change.sentence) == (NOW - 500.0, True)


@pytest.mark.parametrize("power", [Power.ASLEEP, Power.WAKING])
def test_a_host_that_is_off_on_purpose_is_in_no_trouble(power):
    """Whatever the rules found before it went, also where its goodbye was lost."""
    for case in CASES.values():
        away = replace(case, link=Link.LOST, power=power)
        assert [one.code for one in found(away) if one.code != "certificate-ending"] == []
    several = [
        replace(WELL, name=f"curlew-{n}", address=f"10.0.0.{n}", link=Link.LOST, link_since=NOW - 60, power=power)
        for n in range(5)
    ]
    assert codes(*several) == []
