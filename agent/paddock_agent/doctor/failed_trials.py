"""Why a part of the trial of work failed, and what mends it: from the system's own message and the facts beside it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

from ..system.drop_ins import is_drop_in_of
from . import commands as make
from .diagnosis import Diagnosis
from .unit_settings import SANDBOX

READ_ONLY_KINDS = frozenset({"squashfs", "iso9660", "erofs", "cramfs"})
FEW_INODES = 1000
LEAST_ROOM = 64 * 1024 * 1024
TEMPORARY_FOLDERS = ("/tmp", "/var/tmp")  # noqa: S108 - for commands that people copy
OF_THE_SYSTEM = frozenset({"bin", "boot", "dev", "etc", "lib", "lib64", "proc", "root", "run", "sbin", "sys", "usr"})
"""Folders below the root that no remedy gives to an account, nor anything in them."""
SHARED = frozenset({"home", "media", "mnt", "opt", "srv", "tmp", "var"})
"""Those that many accounts use: only what lies in them may be given; of /var, only what lies one deeper."""


NUMBERS_OF_DEVICES = {
    "/dev/null": ("1", "3"),
    "/dev/zero": ("1", "5"),
    "/dev/full": ("1", "7"),
    "/dev/random": ("1", "8"),
    "/dev/urandom": ("1", "9"),
    "/dev/tty": ("5", "0"),
}
"""Major and minor number of the devices that every program may use (null(4), random(4), tty(4)). A host may name any
file as a device: no command is made for others."""


@dataclass(frozen=True)
class Part:
    """One part that failed; see ``system.trials.FailedTrial``."""

    name: str
    why: str
    facts: Mapping[str, str]

    @property
    def error(self) -> str:
        """The name of the error number, as ENOSPC; "" where there is none."""
        found = re.search(r"\(([A-Z][A-Z0-9]+)\)", self.why)
        return found.group(1) if found else ""

    @property
    def folder(self) -> str:
        return self.facts.get("folder", "")

    @property
    def options(self) -> frozenset[str]:
        return frozenset(self.facts.get("mount options", "").split(","))

    def taking_away(self, service: str) -> list[tuple[str, int, str]]:
        """File, line number and setting of the lines in the drop-ins of its service that take something away."""
        lines = [value for name, value in self.facts.items() if name.startswith("unit line ")]
        found = [re.fullmatch(r"(/[^:]+):([0-9]{1,6}):((\w+)=.*)", line) for line in lines]
        return [
            (one[1], int(one[2]), one[3])
            for one in found
            if one and one[4] in SANDBOX and is_drop_in_of(one[1], service)
        ]

    def number(self, fact: str) -> float:
        """A fact as a number; infinite where it is not known."""
        text = self.facts.get(fact, "")
        return float(text) if text.isdecimal() else float("inf")


@dataclass(frozen=True)
class Agent:
    """Whose host it is: the account and the service of its agent ("" where it was started by hand)."""

    account: str
    service: str = ""
    family: str = "linux"


def explain(failed: Sequence[Part], agent: Agent) -> list[Diagnosis]:
    """One diagnosis for each cause: parts that fail for the same one, as a disk that several folders lie on, share
    theirs."""
    found: dict[tuple[str, str], Diagnosis] = {}
    for part in failed:
        one = explain_part(part, agent)
        where = part.facts.get("mount", "") if one.cause in _OF_A_MOUNT else part.name
        key = (one.cause, "" if one.cause in _OF_THE_SERVICE else where)
        found.setdefault(key, one)
    return list(found.values())


_OF_A_MOUNT = frozenset({"disk full", "no inodes", "read-only", "quota"})
_OF_THE_SERVICE = frozenset({"device", "mask", "override", "file size", "open files", "processes", "tasks"})


def explain_part(part: Part, agent: Agent) -> Diagnosis:
    """The cause of one failure: the first that its facts bear out."""
    if agent.family != "linux":
        return _as_it_is(part, agent)
    for rule in (_device, _shell, _room, _read_only, _limits, _network, _folder_rules):
        if one := rule(part, agent):
            return one
    return _as_it_is(part, agent)


def _found(part: Part, cause: str, sentence: str, remedy: str, commands: Sequence[str] = ()) -> Diagnosis:
    return Diagnosis(cause, sentence, _evidence(part), remedy=remedy, commands=tuple(commands))


def _evidence(part: Part) -> tuple[str, ...]:
    facts = part.facts
    shown = [f"The trial of the {part.name}: {part.why}."]
    if facts.get("nearest"):
        kind, owner, mode = (facts.get(name, "?") for name in ("kind", "owner", "mode"))
        shown.append(f"{facts['nearest']}: a {kind} of {owner}, mode {mode}.")
    if facts.get("mount"):
        shown.append(f"It lies on {facts['mount']} ({facts.get('mount type', '?')}: {facts.get('mount options', '')}).")
    shown += [f"{name}: {value}" for name, value in facts.items() if name.startswith(("limit", "tasks", "proxy"))]
    return tuple(shown)


def _environment_file(agent: Agent) -> str:
    return f"/etc/paddock-agent/{agent.service.removesuffix('.service')}.env"


def _as_it_is(part: Part, agent: Agent) -> Diagnosis:
    if lines := part.taking_away(agent.service):
        return _removed(part, agent, lines)
    return Diagnosis(
        f"{part.name} fails",
        f"The trial of the {part.name} failed: {part.why}.",
        _evidence(part),
        "Why, the system does not say.",
        remedy=f"Look at the {part.name} on the machine, as the account {agent.account}.",
    )


def _removed(part: Part, agent: Agent, lines: Sequence[tuple[str, int, str]]) -> Diagnosis:
    """No fact of the part explains it, and lines were added to the service's unit that take something away from it."""
    shown = "; ".join(f"{file} line {number}: {setting}" for file, number, setting in lines)
    removed = make.without_lines([(file, number) for file, number, _ in lines])
    return Diagnosis(
        "override",
        f"The trial of the {part.name} failed: {part.why}. The service's unit was changed, and may forbid it: {shown}.",
        _evidence(part),
        "Whether that is the cause: nothing else explains it.",
        remedy="Take the lines out, unless they were meant; then who wrote them has to correct them.",
        commands=(*removed, "systemctl daemon-reload", *make.restart(agent.service)) if agent.service else (),
    )


def _device(part: Part, agent: Agent) -> Diagnosis | None:
    device = part.facts.get("device", "")
    if device not in NUMBERS_OF_DEVICES or part.error not in ("EACCES", "EPERM", "ENOENT", "ENXIO", "ENODEV"):
        return None
    kind, owner, mode = (part.facts.get(f"device {name}", "?") for name in ("kind", "owner", "mode"))
    there = "Nothing is there" if kind == "nothing" else f"There is a file of {owner}, mode {mode}"
    there += {"device": "", "no device": ", that is not a device"}.get(kind, "")
    sentence = f"The account {agent.account} cannot use {device}. {there}."
    if kind == "device":
        remedy, commands = "Let every account use it.", [make.words("chmod", "666", device)]
    elif source := part.facts.get("device mount"):
        remedy = f"Take away what is mounted over it ({source}), and restart the agent: it has its own view of mounts."
        commands = [make.words("umount", "-l", device), *(make.restart(agent.service) if agent.service else ())]
    else:
        made = make.words("mknod", "-m", "666", device, "c", *NUMBERS_OF_DEVICES[device])
        remedy, commands = "Make the device again.", [make.words("rm", "-f", device), made]
    return _found(part, "device", sentence, remedy, commands)


def _shell(part: Part, agent: Agent) -> Diagnosis | None:
    if part.name != "shell":
        return None
    path = part.facts.get("PATH", "")
    sentence = f"The agent has no shell on its PATH, which is {path or 'empty'}: no script can start."
    if not agent.service:
        return _found(part, "shell", sentence, "Start the agent with the PATH of a log-in.")
    file = _environment_file(agent)
    return _found(
        part,
        "shell",
        sentence,
        "Take the PATH out of the service's environment: it then has the system's own.",
        [*make.without_variable("PATH", [file]), *make.restart(agent.service)],
    )


# ---- room and mounts -----------------------------------------------------------------------------------------------


def _room(part: Part, agent: Agent) -> Diagnosis | None:
    mount = part.facts.get("mount", part.folder)
    if part.error == "EDQUOT":
        return _found(
            part,
            "quota",
            f"The account {agent.account} has used up its quota on {mount}.",
            "Raise the quota, or delete files of that account. Only a person can decide which.",
        )
    if part.error != "ENOSPC":
        return None
    if part.number("free inodes") < FEW_INODES and part.number("free") > LEAST_ROOM:
        return _found(
            part,
            "no inodes",
            f"{mount} has no inodes left: no further file can be made there, though there is room.",
            f"Delete small files on {mount}. This lists the folders with the most; a person must choose: "
            + make.words("du", "--inodes", "-x", "-d", "3", mount),
        )
    return _found(
        part,
        "disk full",
        f"{mount} is full.",
        f"Delete files on {mount}, or the work folders of ended jobs. This lists what is large; a person must choose: "
        + make.words("du", "-xh", "-d", "2", mount),
    )


def _read_only(part: Part, agent: Agent) -> Diagnosis | None:
    mount, kind = part.facts.get("mount", ""), part.facts.get("mount type", "")
    if part.error == "EROFS" or (part.error and "ro" in part.options and mount):
        if kind in READ_ONLY_KINDS:
            return _found(
                part,
                "read-only",
                f"{mount} is a {kind} file system, which is always read-only.",
                f"Move the {part.name} to another disk.",
            )
        return _found(
            part,
            "read-only",
            f"{mount} is mounted read-only.",
            "Mount it for writing, and restart the agent. If that fails, its disk has errors: `dmesg` says which.",
            _remounted(mount, "rw", agent),
        )
    if part.name == "running files" and part.error in ("EACCES", "EPERM") and "noexec" in part.options and mount:
        return _found(
            part,
            "noexec",
            f"{mount} is mounted with noexec: no program can be run from there, so no build can run.",
            "Mount it without noexec and restart the agent. Take noexec out of its line in /etc/fstab, if any.",
            _remounted(mount, "exec", agent),
        )
    return None


def _remounted(mount: str, option: str, agent: Agent) -> list[str]:
    """The service has its own view of the mounts, which a changed option reaches only with its next start."""
    started = make.restart(agent.service) if agent.service else ()
    return [make.words("mount", "-o", f"remount,{option}", mount), *started]


# ---- limits --------------------------------------------------------------------------------------------------------


def _limits(part: Part, agent: Agent) -> Diagnosis | None:
    if part.error == "EMFILE":
        limit = part.facts.get("limit of open files", "?")
        return _raised(
            part, agent, "open files", f"The agent may have only {limit} files open at a time.", ["LimitNOFILE=65536"]
        )
    if part.error == "EFBIG":
        sentence = "The agent may write no files of that length: its service has a limit for it (LimitFSIZE)."
        return _raised(part, agent, "file size", sentence, ["LimitFSIZE=infinity"])
    if part.error == "ENFILE":
        return _found(
            part,
            "open files",
            "The machine has as many files open as its kernel allows.",
            "Raise the kernel's limit.",
            ["sysctl -w fs.file-max=1000000"],
        )
    if part.name in ("processes", "survey") and (part.error in ("EAGAIN", "ENOMEM") or "thread" in part.why):
        tasks, most = part.number("tasks in the service"), part.number("limit of tasks")
        if most != float("inf") and tasks + 16 >= most:
            return _raised(
                part,
                agent,
                "tasks",
                f"The agent's service may have only {most:g} tasks and has {tasks:g}.",
                ["TasksMax=8192"],
            )
        limit = part.facts.get("limit of processes", "")
        if limit.isdecimal():
            return _raised(
                part,
                agent,
                "processes",
                f"The account {agent.account} may have only {limit} processes.",
                ["LimitNPROC=infinity"],
            )
        if part.error == "ENOMEM":
            return _found(
                part,
                "memory",
                "There is not enough memory to start a process.",
                "End what takes the memory: `ps aux --sort=-rss` lists it. A person must choose.",
            )
    return None


def _raised(part: Part, agent: Agent, cause: str, sentence: str, lines: Sequence[str]) -> Diagnosis:
    if not agent.service:
        return _found(part, cause, sentence, "Raise the limit in the shell that starts the agent, then start it again.")
    return _found(
        part,
        cause,
        sentence,
        "Raise the limit of the service, and restart it.",
        [*make.drop_in(agent.service, "Service", lines), *make.restart(agent.service)],
    )


# ---- network -------------------------------------------------------------------------------------------------------


def _network(part: Part, agent: Agent) -> Diagnosis | None:
    if part.name != "server":
        return None
    address = part.facts.get("address", "the server")
    if "name lookup" in part.why:
        name = part.why.partition(":")[0]
        remedy = f"Correct the name service, or add the name to /etc/hosts. Test with: getent hosts {name}"
        return _found(part, "name", f"The name {name} does not resolve on this machine.", remedy)
    if proxy := part.facts.get("proxy"):
        named_by = part.facts.get("proxy variable", "the environment")
        remedy = "Start the proxy, or take it out of the environment of the agent's service."
        return _found(part, "proxy", f"The proxy {proxy} does not answer; {named_by} names it.", remedy)
    return _found(
        part,
        "server away",
        f"No connection can be made to {address}: {part.why}.",
        "Look at the network and the firewall between this machine and the server.",
    )


# ---- folders -------------------------------------------------------------------------------------------------------


def _folder_rules(part: Part, agent: Agent) -> Diagnosis | None:
    folder, facts = part.folder, part.facts
    if part.name == "work folder path":
        return _found(
            part,
            "path",
            f"The work folder has a path that builds cannot use: {part.why}",
            "Give the agent another work folder: `paddock-agent repair --work FOLDER`.",
        )
    if not folder:
        return None
    if one := _named_by_variable(part, agent, folder, facts):
        return one
    if not _may_be_given(folder):
        return _found(
            part,
            "system folder",
            f"The {part.name} {folder} does not work for the account {agent.account}: {part.why}.",
            f"{folder} belongs to the system, so no command here gives it away. A person must choose another folder "
            "for the account, or mend this one.",
        )
    for rule in (_not_a_folder, _immutable, _closed_above, _missing, _closed):
        if one := rule(part, agent, folder, facts):
            return one
    return None


def _named_by_variable(part: Part, agent: Agent, folder: str, facts: Mapping[str, str]) -> Diagnosis | None:
    """A variable of the service names something that cannot be the folder: the variable is what is wrong."""
    name = facts.get("variable", "")
    cannot_be = part.error == "ENOTDIR" or facts.get("kind") == "file" or not _may_be_given(folder)
    if not name or not agent.service or not cannot_be:
        return None
    file = _environment_file(agent)
    return _found(
        part,
        "environment",
        f"The variable {name} of the agent's service names {folder} as the {part.name}, and it does not work: "
        f"{part.why}.",
        f"Take the variable out of the service's environment; or correct it there, in {file}.",
        [*make.without_variable(name, [file]), *make.restart(agent.service)],
    )


def _may_be_given(folder: str) -> bool:
    """Whether a remedy may give a folder, with all in it, to the agent's account: never one that holds the system or
    belongs to other accounts."""
    if folder in TEMPORARY_FOLDERS:
        return True  # these are given back to root
    if not folder.startswith("/"):
        return False
    names = PurePosixPath(folder).parts[1:]
    if not names or ".." in names or names[0] in OF_THE_SYSTEM:
        return False
    return len(names) > (2 if names[0] == "var" else 1 if names[0] in SHARED else 0)


def _not_a_folder(part: Part, agent: Agent, folder: str, facts: Mapping[str, str]) -> Diagnosis | None:
    if part.error != "ENOTDIR" and facts.get("kind") != "file":
        return None
    place = facts.get("nearest", folder)
    return _found(
        part,
        "a file in the way",
        f"{place} is a file, where the {part.name} {folder} has to be a folder.",
        "Move the file away and make the folder.",
        [make.words("mv", place, f"{place}.moved-away"), *_own(part, folder, agent)],
    )


def _immutable(part: Part, agent: Agent, folder: str, facts: Mapping[str, str]) -> Diagnosis | None:
    if "immutable" not in facts.get("attributes", ""):
        return None
    place = facts.get("nearest", folder)
    return _found(
        part,
        "immutable",
        f"{place} is marked immutable: no account can make a file in it.",
        "Take the mark off.",
        [make.words("chattr", "-i", place)],
    )


def _missing(part: Part, agent: Agent, folder: str, facts: Mapping[str, str]) -> Diagnosis | None:
    if target := facts.get("leads to", ""):
        place = facts.get("nearest", folder)
        return _found(
            part,
            "missing",
            f"The {part.name} {folder} is not there: {place} is a link to {target}, which does not exist.",
            "Bring back what the link leads to; or take the link away and make the folder, as these commands do.",
            [make.words("rm", place), *_own(part, folder, agent)],
        )
    if folder == facts.get("nearest", folder) and part.error != "ENOENT":
        return None
    return _found(
        part,
        "missing",
        f"The {part.name} {folder} does not exist, and the account {agent.account} cannot make it.",
        "Make it.",
        _own(part, folder, agent),
    )


def _closed_above(part: Part, agent: Agent, folder: str, facts: Mapping[str, str]) -> Diagnosis | None:
    above = facts.get("closed at", "")
    if part.error not in ("EACCES", "EPERM") or not above or above == folder:
        return None
    sentence = f"The account {agent.account} cannot pass {above}, which lies above the {part.name} {folder}."
    if above == "/root":
        return _found(part, "closed above", sentence, f"Choose a {part.name} elsewhere: {above} stays closed.")
    return _found(part, "closed above", sentence, "Let it pass.", [make.words("chmod", "a+x", above)])


def _closed(part: Part, agent: Agent, folder: str, facts: Mapping[str, str]) -> Diagnosis | None:
    if part.error not in ("EACCES", "EPERM"):
        return None
    if facts.get("may write") == "yes":
        return _masked(part, agent, facts.get("mask", ""))
    return _found(
        part,
        "closed",
        f"The {part.name} {folder} is closed to the account {agent.account}: it belongs to "
        f"{facts.get('owner', 'another account')} with mode {facts.get('mode', '?')}.",
        "Give it to the agent's account.",
        _own(part, folder, agent),
    )


def _masked(part: Part, agent: Agent, mask: str) -> Diagnosis | None:
    """New files are made without permissions for their own owner."""
    if not re.fullmatch(r"[0-7]{3,5}", mask) or not int(mask, 8) & 0o700:
        return None
    sentence = f"The agent makes files with the mask {mask}, so it may not read what it makes itself."
    if not agent.service:
        return _found(part, "mask", sentence, "Start the agent with another mask: `umask 022`.")
    return _found(
        part,
        "mask",
        sentence,
        "Give the service the usual mask, or take the line UMask= out of its unit.",
        [*make.drop_in(agent.service, "Service", ["UMask=0022"]), *make.restart(agent.service)],
    )


def _own(part: Part, folder: str, agent: Agent) -> list[str]:
    made = make.words("mkdir", "-p", folder)
    if part.name == "temporary folder" and folder in TEMPORARY_FOLDERS:
        return [made, make.words("chown", "root:root", folder), make.words("chmod", "1777", folder)]
    return [
        made,
        make.words("chown", "-R", f"{agent.account}:", folder),
        make.words("chmod", "u+rwx", folder),
    ]
