"""The checks that look at the machine alone."""

from __future__ import annotations

import re
from collections.abc import Awaitable, Callable

from ..doctor.failed_trials import Agent, Part, explain_part
from ..errors import CommandFailed
from ..limits import default_slots, folder_trouble
from ..machine import answer_of, processor_of, system_of
from ..services import manager_of
from ..system import System
from ..system.paths import paths_of, variable
from ..system.port import Family
from ..units import disk_size, memory_size
from .outcome import Check
from .plan import WATCH_HOMES, Plan

OLDEST: dict[Family, tuple[int, ...]] = {"linux": (), "macos": (11,), "windows": (10, 0, 14393)}
OLDEST_NAMES = {"macos": "macOS 11", "windows": "Windows 10 version 1607, or Server 2016"}
PROCESSORS: dict[Family, tuple[str, ...]] = {
    "linux": ("x64", "arm64"),
    "macos": ("x64", "arm64"),
    "windows": ("x64",),
}
OLDEST_C_LIBRARY = (2, 28)
PYTHONS = ((3, 11), (3, 12), (3, 13))
PROGRAM_BYTES = 200 * 1024**2
WORK_BYTES = 2 * 1024**3
PROXY_VARIABLES = ("https_proxy", "http_proxy", "all_proxy", "HTTPS_PROXY", "HTTP_PROXY", "ALL_PROXY")


async def machine_checks(system: System, plan: Plan) -> list[Check]:
    """The checks, in the order in which a person would mend them. One that breaks is a check that failed."""
    found: list[Check] = []
    for check in _CHECKS:
        try:
            made = await check(system, plan)
        except CommandFailed as error:
            made = Check(check.__name__.strip("_").replace("_", " "), "mind", f"could not be looked at: {error}")
        if made:
            found.append(made)
    return found


async def system_(system: System, plan: Plan) -> Check:
    """Which system, whether it is the one that was expected, and new enough."""
    name, version = await system_of(system)
    if plan.system and plan.system != system.family:
        return Check(
            "system",
            "missing",
            name,
            f"The sheet expects {plan.system}.",
            ("copy the command from a sheet for this system",),
        )
    numbers = tuple(int(part) for part in re.findall(r"\d+", version)[:3])
    if OLDEST[system.family] and numbers < OLDEST[system.family]:
        return Check("system", "missing", name, f"The oldest that will do is {OLDEST_NAMES[system.family]}.")
    if system.family == "linux":
        answer = await answer_of(system, ["getconf", "GNU_LIBC_VERSION"])
        library = tuple(int(part) for part in re.findall(r"\d+", answer)[:2])
        if library < OLDEST_C_LIBRARY:
            return Check(
                "system", "missing", f"{name}, C library {answer or 'other than glibc'}",
                "The agent's packages need glibc 2.28 or newer, as in Debian 10 or any later one.",
            )  # fmt: skip
    return Check("system", "ok", name)


async def processor(system: System, plan: Plan) -> Check:
    """Whether there are packages for it, and it is the one that was expected."""
    arch = await processor_of(system)
    if arch not in PROCESSORS[system.family]:
        return Check(
            "processor",
            "missing",
            arch or "not known",
            f"There are packages for {' and '.join(PROCESSORS[system.family])}.",
        )
    if plan.arch and plan.arch != arch:
        return Check("processor", "mind", arch, f"The sheet says {plan.arch}; the machine knows better.")
    return Check("processor", "ok", arch)


async def script_policy(system: System, plan: Plan) -> Check | None:
    """Windows: whether scripts may be run. What a domain has set cannot be set aside for one session."""
    if system.family != "windows":
        return None
    listed = await answer_of(
        system, ["powershell", "-NoProfile", "-Command", "Get-ExecutionPolicy -List | ConvertTo-Csv -NoTypeInformation"]
    )
    policies = dict(re.findall(r'"(\w+)","(\w+)"', listed))
    imposed = [policies.get(scope, "Undefined") for scope in ("MachinePolicy", "UserPolicy")]
    if strict := next((one for one in imposed if one in ("Restricted", "AllSigned")), ""):
        return Check(
            "script policy", "missing", f"{strict}, set by a group policy",
            "Jobs run as scripts; a policy of the domain is stronger than the session's own.",
            ("ask who keeps the domain's policies for RemoteSigned on this machine",),
        )  # fmt: skip
    local = policies.get("LocalMachine", "Undefined")
    if local in ("Undefined", "Restricted", "AllSigned"):
        return Check(
            "script policy", "ok", f"{local}; set aside for this session alone",
            "", ("Set-ExecutionPolicy -Scope Process -ExecutionPolicy Bypass",),
        )  # fmt: skip
    return Check("script policy", "ok", local)


async def rights(system: System, plan: Plan) -> Check:
    """Setting up a service changes the system."""
    who = "an administrator" if system.family == "windows" else "root"
    if system.is_privileged():
        return Check("rights", "ok", who if system.account() == who else f"{system.account()}, {who}")
    if plan.supervisor == "by hand":
        return Check(
            "rights", "mind", system.account(), f"Not {who}: the agent is started by hand, and is gone after a reboot."
        )
    how = "open PowerShell with “Run as administrator”" if system.family == "windows" else "run it with sudo"
    return Check("rights", "missing", system.account(), f"Only {who} can set up a service.", (how,))


async def service_manager(system: System, plan: Plan) -> Check | None:
    """What is to keep the agent running."""
    if plan.supervisor == "by hand":
        return None
    if plan.supervisor == "log-in" and system.family != "macos":
        return Check(
            "service manager", "missing", plan.supervisor, "Starting at log-in is for macOS.", ("choose a service",)
        )
    manager = manager_of(system)
    if absent := await manager.why_absent():
        return Check(
            "service manager",
            "missing",
            absent,
            "Nothing here can keep the agent running.",
            ("sh paddock.sh --by-hand",),
        )
    return Check("service manager", "ok", manager.title)


async def account(system: System, plan: Plan) -> Check | None:
    """The account that was named has to be there; the service's own is made."""
    if plan.supervisor == "by hand":
        return None
    if not plan.account:
        return Check("account", "ok", "one of its own, made for the service")
    manager = manager_of(system)
    if not await manager.why_absent() and (trouble := await manager.account_trouble(plan.account)):
        return Check(
            "account", "missing", plan.account, trouble.sentence[0].upper() + trouble.sentence[1:] + ".", trouble.remedy
        )
    if plan.account in ("root", "LocalSystem"):
        return Check(
            "account", "mind", plan.account, "Every job could then change the whole machine. One of its own is safer."
        )
    return Check("account", "ok", plan.account)


async def python(system: System, plan: Plan) -> Check:
    """The Python that runs this is the one that the agent will be installed with."""
    version, path = system.python()
    if tuple(version[:2]) not in PYTHONS:
        return Check("Python", "missing", f"{'.'.join(map(str, version))} at {path}", "3.11, 3.12 or 3.13 is needed.")
    if plan.supervisor != "by hand" and re.match(r"/root/|/home/|/Users/|[A-Z]:\\Users\\", path):
        return Check(
            "Python", "missing", f"{'.'.join(map(str, version))} at {path}",
            "It lies in a person's own folder, which the service's account cannot read.",
        )  # fmt: skip
    return Check("Python", "ok", f"{'.'.join(map(str, version))} at {path}")


async def disk(system: System, plan: Plan) -> Check:
    """Room for the program, and some for builds."""
    free, work = system.disk(plan.prefix).free, system.disk(plan.work_folder).free
    found = f"{disk_size(free)} free at {plan.prefix}, {disk_size(work)} at {plan.work_folder}"
    if free < PROGRAM_BYTES:
        return Check(
            "disk",
            "missing",
            found,
            f"{disk_size(PROGRAM_BYTES)} are needed for the program.",
            ("make room, or name another folder with --prefix",),
        )
    if work < WORK_BYTES:
        return Check("disk", "mind", found, "Builds will want more than that.")
    return Check("disk", "ok", found)


async def folders(system: System, plan: Plan) -> Check:
    """The work folder and the program's: length, characters, and whether they can be made."""
    for option, folder in (("--work", plan.work_folder), ("--prefix", plan.prefix)):
        if option == "--prefix" and system.family == "windows":
            continue  # the system's own place for programs has a space in it
        if trouble := folder_trouble(folder, system.family):
            return Check("folders", "missing", folder, trouble, (f"name another folder with {option}",))
    for folder in (plan.work_folder, plan.home):
        if shut := system.why_not_writable(folder):
            return Check("folders", "missing", folder, f"It cannot be made: {shut}.")
    for folder in dict.fromkeys((plan.work_folder, plan.home, plan.prefix, *_written_to(system, plan))):
        if failed := await _tried(system, folder, runs=folder in (plan.work_folder, plan.prefix)):
            return failed
    return Check("folders", "ok", f"{plan.work_folder} for work, {plan.prefix} for the program")


def _written_to(system: System, plan: Plan) -> tuple[str, ...]:
    """Where setting up a service writes besides its own folders."""
    if system.family != "linux" or plan.supervisor == "by hand" or not system.is_privileged():
        return ()
    return ("/usr/local/bin", "/etc/systemd/system", "/etc/paddock-agent", WATCH_HOMES[system.family])


async def _tried(system: System, folder: str, runs: bool) -> Check | None:
    """Really writes, and runs a file where that is needed, in ``folder`` or the nearest one above it that exists."""
    place, paths = folder, paths_of(system)
    while system.changed_at(place) is None and paths.dirname(place) != place:
        place = paths.dirname(place)
    if system.changed_at(place) is None:
        return None
    for failed in await system.try_work(place, "", quick=True):
        if failed.part == "running files" and not runs:
            continue
        part = Part(failed.part, failed.why, failed.facts)
        found = explain_part(part, Agent(system.account(), "", system.family))
        return Check("folders", "missing", folder, found.sentence, found.commands)
    return None


async def slots(system: System, plan: Plan) -> Check:
    """How many jobs at a time the machine is good for."""
    hardware = system.hardware()
    usual = default_slots(hardware.cores, hardware.memory)
    has = f"{hardware.cores} cores and {memory_size(hardware.memory)} of memory are good for {usual}"
    if plan.slots > usual:
        return Check(
            "slots", "mind", f"{plan.slots} asked for", f"{has[0].upper()}{has[1:]}: jobs will slow one another down."
        )
    return Check("slots", "ok", f"{plan.slots or usual}; {has}")


async def proxy(system: System, plan: Plan) -> Check | None:
    """A proxy in the environment takes the way to the server, too."""
    set_ = next((value for name in PROXY_VARIABLES if (value := variable(system, name))), "")
    if not set_:
        return None
    host = plan.server.partition("://")[2].split("/")[0].split(":")[0]
    exempt = variable(system, "no_proxy") or variable(system, "NO_PROXY")
    if host and host in re.split(r"[,\s]+", exempt):
        return Check("proxy", "ok", f"one is set; {host} is exempt")
    how = f"$env:NO_PROXY = '{host}'" if system.family == "windows" else f"export no_proxy={host}"
    # The address of a proxy may hold a password.
    return Check("proxy", "mind", "one is set in the environment", f"The way to {host} leads over it.", (how,))


_CHECKS: tuple[Callable[[System, Plan], Awaitable[Check | None]], ...] = (
    system_, processor, script_policy, rights, service_manager, account, python, disk, folders, slots, proxy,
)  # fmt: skip
