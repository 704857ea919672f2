"""What the fleet says of a pipeline file: no host fits, only one does, a term excludes nothing, a tool is not named."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..fit import Fitting, Requirement
from ..fleet_index import FleetIndex
from ..fleet_index import count as count_bits
from ..reasons import ReasonKind, why_waiting
from ..remedies import meant_name
from ..shells import implied_terms, other_shell, scripts_of
from ..terms import Read, ToolTerm, ToolWords, asked, parse_term, read_line
from .calls import tools_called
from .wanted import Level, PipelineFile, Pointer, Remark, WantedJob


def remarks_on(
    file: PipelineFile,
    index: FleetIndex,
    words: ToolWords,
    commands: Mapping[str, str],
    reach: frozenset[str] | None = None,
    let_in: frozenset[str] | None = None,
) -> list[Remark]:
    """All remarks on a file without mistakes, in the order of its jobs. ``commands`` give the tool behind a command."""
    found: list[Remark] = []
    for job in file.jobs:
        read = [(pointer, read_line(line, words)) for pointer, line in job.lines]
        found += [Remark(Level.NOTE, pointer, note) for pointer, one in read for note in one.notes]
        scripts = scripts_of(job.script, job.shell, job.steps)
        implied = tuple(parse_term(text, words) for text in implied_terms(shell for _, shell in scripts))
        terms = dict.fromkeys((*(one.term for _, one in read if not one.prefers), *implied))
        requirement = Requirement(tuple(terms), job.slots, reach, let_in)
        found += _on_fit(job, read, requirement, index)
        found += _on_script(job, read, commands)
        found += _on_shells(job, requirement, index)
    return list(dict.fromkeys(found))


def _on_fit(
    job: WantedJob, read: Sequence[tuple[Pointer, Read]], requirement: Requirement, index: FleetIndex
) -> list[Remark]:
    at: Pointer = ("jobs", job.name)
    fitting = Fitting(requirement, index)
    fits = count_bits(fitting.fits)
    if fits == 0:
        reason = why_waiting(requirement, index)
        terms = [(pointer, one) for pointer, one in read if not one.prefers]
        pointer = terms[reason.term][0] if reason.term is not None and reason.term < len(terms) else at
        if reason.kind is ReasonKind.TOO_MANY_SLOTS and not job.waits_for_new_host:
            sentence = f"{reason.sentence} The server refuses the job, unless it sets `waits_for_new_host: true`."
            return [Remark(Level.MISTAKE, (*at, "slots"), sentence)]
        return [Remark(Level.WARNING, pointer, f"No host fits now. {reason.sentence}", None, reason.nearest)]
    found = []
    if fits == 1:
        (only,) = index.hosts_in(fitting.fits)
        found.append(
            Remark(Level.WARNING, at, f"Only one host fits: {only.name}. The job waits whenever that host is away.")
        )
    everyone = count_bits(fitting.admitted)
    for pointer, one in read:
        holds = count_bits(fitting.admitted & index.holds(one.term))
        if one.prefers and holds == 0:
            meant = meant_name(one.term, index.words(requirement.reach))
            hint = f' Did you mean "{meant}"?' if meant else ""
            found.append(Remark(Level.WARNING, pointer, f"No host meets this preference, so it has no effect.{hint}"))
        elif holds == everyone and everyone > 1:
            sentence = "excludes none of them, so it has no effect" if one.prefers else "excludes none of them"
            found.append(Remark(Level.NOTE, pointer, f"`{one.term}` holds on all {everyone} hosts now: it {sentence}."))
    return found


def _on_shells(job: WantedJob, requirement: Requirement, index: FleetIndex) -> list[Remark]:
    """Scripts that look as if they were written for another shell than they run in."""
    systems = sorted({host.os for host in index.hosts_in(Fitting(requirement, index).fits)})
    at: Pointer = ("jobs", job.name)
    places = [(*at, "steps", i) for i, step in enumerate(job.steps) if step.script] or [(*at, "script")]
    found = []
    for place, (script, shell) in zip(places, scripts_of(job.script, job.shell, job.steps), strict=True):
        if look := other_shell(script, shell, systems):
            runs_in = shell or f"the usual shell of its host ({', '.join(systems) or 'of any system'})"
            sentence = f"Line {look.line} looks like {look.family} (`{look.sign}`), but the script runs in {runs_in}."
            found.append(Remark(Level.WARNING, place, f"{sentence} If so, write `shell: {look.shell}`."))
    return found


def _on_script(job: WantedJob, read: Sequence[tuple[Pointer, Read]], commands: Mapping[str, str]) -> list[Remark]:
    named = {one.name for _, line in read if not line.prefers for one in asked(line.term) if isinstance(one, ToolTerm)}
    at: Pointer = ("jobs", job.name, "script")
    scripts = [((*at[:2], "steps", i), one.script) for i, one in enumerate(job.steps)] or [(at, job.script)]
    found: dict[str, Remark] = {}
    for place, script in scripts:
        for tool, line in tools_called(script, commands).items():
            sentence = (
                f"Line {line} of the script calls {tool}, and no term names it. Add `tool {tool}`, so that the job "
            )
            found.setdefault(tool, Remark(Level.WARNING, place, sentence + "runs where it is installed."))
    if any(step.checkout for step in job.steps):
        sentence = "A step checks out with Git, and no term names it. Add `tool git`: the job then runs where Git is."
        found.setdefault("git", Remark(Level.WARNING, (*at[:2], "steps"), sentence))
    return [remark for tool, remark in found.items() if tool not in named]
