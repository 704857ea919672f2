"""Jobs that wait, one row each in waits.yaml: the reason is true, and the first remedy lets the job run."""

from dataclasses import replace
from pathlib import Path

import pytest
import yaml

from paddock_core.errors import CoreError, TermError
from paddock_core.fit import Requirement, sheet_of
from paddock_core.fleet import Host, InstalledTool, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.reasons import ReasonKind, why_waiting
from paddock_core.remedies import Remedies, RemedyKind
from paddock_core.terms import ToolWords, parse_asked, parse_term
from paddock_core.terms.quantities import read_size
from paddock_core.verdicts import meeting_term

TABLE = yaml.safe_load((Path(__file__).parent / "waits.yaml").read_text())
CATALOGUE = ("cmake", "jdk", "maven", "git", "rust", "msvc", "xcode", "docker", "node")
PLAIN_WORDS = ToolWords({"jdk": "jdk"}, {"java": "jdk"})
WORDS = ToolWords(
    PLAIN_WORDS.schemes,
    PLAIN_WORDS.aliases,
    {name: parse_asked(terms, PLAIN_WORDS).terms for name, terms in TABLE["kits"].items()},
)
CASES = [pytest.param(case, id=case["name"]) for case in TABLE["cases"]]


def host_of(name, row):
    """A host of the table; tools are written ``NAME VERSION``, sizes as in terms."""
    tools = tuple(
        InstalledTool(tool, version, f"/opt/{tool}-{version}/bin/{tool}", plain=True, scheme=WORDS.scheme(tool))
        for tool, version in (text.split() for text in row.get("tools", []))
    )
    system, _, os_version = row["os"].partition(" ")
    given = {key: value for key, value in row.items() if key not in ("os", "tools")}
    for key in ("labels", "variables", "groups"):
        given[key] = frozenset(given.get(key, []))
    for key in ("memory", "disk_free", "disk_total"):
        given[key] = read_size(given[key]) if key in given else 0
    given["readiness"] = Readiness(given.get("readiness", "free"))
    given.setdefault("paddock", "shoreline")
    given.setdefault("arch", "x64")
    return Host(name, os=system, os_version=os_version, installations=tools, **given)


def fleet_of(case):
    rows = {name: {**row, **case.get("hosts", {}).get(name, {})} for name, row in TABLE["hosts"].items()}
    return {name: host_of(name, row) for name, row in rows.items() if name not in case.get("without", [])}


def requirement_of(case, texts):
    let_in = frozenset(case["let_in"]) if "let_in" in case else None
    return Requirement(parse_asked(texts, WORDS).terms, case.get("slots", 1), let_in=let_in)


def index_of(hosts):
    index = FleetIndex(hosts.values())
    index.set_catalogue(CATALOGUE)
    return index


def carried_out(step, case, texts, hosts):
    """The job's lines, the fleet and the fence after one remedy was followed to the letter."""
    case, texts, hosts = dict(case), list(texts), dict(hosts)
    host = hosts.get(step.place)

    def on_host(**changed):
        hosts[step.place] = replace(host, **changed)

    def with_tool(text):
        (term,) = parse_asked([f"tool {text}"], WORDS).terms
        _, _, like = step.text.rstrip(")").partition("(as on ")
        version = hosts[like].installed(term.name)[0].version if like else _some_version_in(term)
        installed = InstalledTool(term.name, version, "/opt/new", plain=True, scheme=WORDS.scheme(term.name))
        on_host(installations=(*host.installations, installed))

    match step.kind:
        case RemedyKind.CORRECT:
            if step.what:
                texts = [step.instead if _same(text, step.what) else text for text in texts]
            else:
                texts.append(step.instead)
        case RemedyKind.ADD_LABEL:
            on_host(labels=host.labels | {step.what})
        case RemedyKind.REMOVE_LABEL:
            on_host(labels=host.labels - {step.what})
        case RemedyKind.START_SERVICE | RemedyKind.WATCH_SERVICE:
            on_host(services={**host.services, step.what: "running"})
        case RemedyKind.RESUME | RemedyKind.ADMIT | RemedyKind.BRING_BACK:
            on_host(readiness=Readiness.FREE, held="", unable="", connected=True)
        case RemedyKind.LET_IN:
            case["let_in"] = [*case["let_in"], step.place]
        case RemedyKind.ADD_SLOTS:
            on_host(slots=int(step.what), free_slots=int(step.what))
        case RemedyKind.SET_VARIABLE:
            value = step.text.partition(" to ")[2].split(" ")[0] if " to " in step.text else "1"
            on_host(variables=host.variables | {step.what}, values={**host.values, step.what: value})
        case RemedyKind.JOIN_GROUP:
            on_host(groups=host.groups | {step.what})
        case RemedyKind.CLEAR_DISK:
            freed = host.disk_free + read_size(step.what)
            assert freed <= host.disk_total
            on_host(disk_free=freed * 1.05)
        case RemedyKind.INSTALL | RemedyKind.INSTALL_LIKE:
            with_tool(step.what)
        case RemedyKind.MEND_TOOL:
            mended = InstalledTool(step.what, "3.25.1", "/opt/mended", plain=True)
            on_host(installations=(*host.installations, mended), broken={})
        case RemedyKind.SURVEY:
            on_host(
                **{
                    key: value
                    for key, value in vars(host_of(host.name, case["survey_finds"])).items()
                    if key in ("installations", "variables", "groups", "display")
                },
                surveyed=True,
            )
    return case, texts, hosts


def _some_version_in(term):
    """A version that the range admits, of those that people install."""
    tried = ("25.0.1", "21.0.5", "17.0.9", "11.0.2", "3.28.0", "1.70.0", "24.0.7", "18.19.0", "16.2", "17.9")
    for version in tried:
        one = InstalledTool(term.name, version, "/x", scheme=WORDS.scheme(term.name))
        if meeting_term(term, Host("x", "p", "linux", "12", "x64", installations=(one,))):
            return version
    raise AssertionError(f"no version is known that meets {term}")


def _same(text, canonical):
    try:
        return str(parse_term(text, WORDS)) == canonical
    except TermError:
        return False


@pytest.mark.parametrize("case", CASES)
def test_the_reason_is_true_and_the_first_remedy_lets_the_job_run(case):
    if "refused" in case:
        with pytest.raises(CoreError) as refused:
            parse_asked(case["terms"], WORDS)
        message = f"{refused.value} {getattr(refused.value, 'nearest', '')}"
        assert case["refused"] in message
        return
    hosts, texts = fleet_of(case), case["terms"]
    requirement = requirement_of(case, texts)
    index = index_of(hosts)
    reason = why_waiting(requirement, index)
    assert reason.kind is ReasonKind(case["kind"]), reason.sentence
    for part in case["says"]:
        assert part in reason.sentence, reason.sentence
    near = Remedies(requirement, index, "buoy-telemetry", lambda host: "paddock-agent").near_fits(
        sheet_of(requirement, hosts.values()).rows
    )
    if "remedy" not in case:
        assert not near, f"nothing on these hosts helps, but this is offered: {near[0].text}"
        return
    assert near, "no remedy is offered"
    assert near[0].text == case["remedy"]
    state = (case, texts, hosts)
    for step in near[0].remedies:
        state = carried_out(step, *state)
    case, texts, hosts = state
    after = why_waiting(requirement_of(case, texts), index_of(hosts))
    assert after.kind in (ReasonKind.NEXT, ReasonKind.BUSY), after.sentence


def test_there_are_sixty_kinds_of_waits():
    assert len({case["name"] for case in TABLE["cases"]}) == len(TABLE["cases"]) >= 60
