"""Commands for a host's own system, for people to copy. What comes from a host is quoted: it may be anything."""

from __future__ import annotations

import shlex

START = "paddock-agent service start"
INSTALL = "paddock-agent service install"
RESTART = "paddock-agent service restart"
WATCH = "paddock-agent watch install"
REPORT = "paddock-agent watch report"


WINDOWS_LAUNCHER = r"& 'C:\Program Files\Paddock\paddock-agent.cmd' "
"""Where the bring-up puts the agent's command on Windows. Its folder is on the PATH of new sessions only."""


def on_host(family: str, command: str, service: str = "") -> str:
    """A command of the agent as it works in any session on a host of this family. ``service`` names the agent that is
    meant, where several run on the machine."""
    if not command.startswith("paddock-agent "):
        return command
    if service and "--" not in command:
        command = f"{command} --service {quoted(service, family)}"
    return WINDOWS_LAUNCHER + command.removeprefix("paddock-agent ") if family == "windows" else command


def quoted(text: str, family: str) -> str:
    """One word of a command line: for a POSIX shell, or PowerShell.

    >>> quoted("a'; rm -rf /", "windows"), quoted("/var/lib/work", "linux")
    ("'a''; rm -rf /'", '/var/lib/work')
    """
    if family == "windows":
        doubled = text.replace("'", "''")
        return f"'{doubled}'"
    return shlex.quote(text)


def read_log(family: str, service: str) -> str:
    """Shows the last lines of the agent's service in the system's log."""
    name = quoted(service or "paddock-agent", family)
    match family:
        case "macos":
            return "tail -n 50 /usr/local/var/paddock-agent/service.log"
        case "windows":
            return (
                "Get-WinEvent -LogName System -MaxEvents 200 | Where-Object Message -like "
                f"('*' + {name} + '*') | Select-Object -First 20"
            )
        case _:
            return f"journalctl --unit {name} --lines 50 --no-pager" if service else "journalctl --lines 50 --no-pager"


def start_service(family: str, service: str) -> str:
    """Starts any service."""
    name = quoted(service, family)
    match family:
        case "macos":
            return f"sudo launchctl kickstart system/{name}"
        case "windows":
            return f"Start-Service -Name {name}"
        case _:
            return f"sudo systemctl start {name}"


def show_service(family: str, service: str) -> str:
    """Says how any service is."""
    name = quoted(service, family)
    match family:
        case "macos":
            return f"launchctl print system/{name}"
        case "windows":
            return f"Get-Service -Name {name} | Format-List *"
        case _:
            return f"systemctl status {name}"


def set_clock(family: str) -> tuple[str, ...]:
    """Has the system keep its clock right by itself, now."""
    match family:
        case "macos":
            return (
                "sudo systemsetup -setusingnetworktime on",
                "sudo sntp -sS $(sudo systemsetup -getnetworktimeserver | awk '{print $NF}')",
            )
        case "windows":
            return ("Set-Service -Name W32Time -StartupType Automatic", "Start-Service W32Time", "w32tm /resync /force")
        case _:
            return ("sudo timedatectl set-ntp true", "timedatectl timesync-status")


def biggest_folders(family: str, folder: str) -> str:
    """Lists what takes the most room under a folder."""
    place = quoted(folder, family)
    if family == "windows":
        return (
            f"Get-ChildItem {place} -Directory | Select-Object Name, @{{n='MB'; e={{[int]((Get-ChildItem $_.FullName "
            "-Recurse -File | Measure-Object Length -Sum).Sum / 1MB)}}}} | Sort-Object MB -Descending"
        )
    return f"sudo du -xh -d 2 {place} | sort -rh | head -20"


def biggest_processes(family: str) -> str:
    """Lists what takes the most memory."""
    if family == "windows":
        return "Get-Process | Sort-Object WorkingSet64 -Descending | Select-Object -First 15 Name, Id, WorkingSet64"
    return "ps aux -m | head -15" if family == "macos" else "ps aux --sort=-rss | head -15"


def own_folder(family: str, folder: str, account: str) -> tuple[str, ...]:
    """Makes a folder that an account can work in."""
    place, owner = quoted(folder, family), quoted(account, family)
    if family == "windows":
        return (
            f"New-Item -ItemType Directory -Force {place}",
            f"icacls {place} /grant ({owner} + ':(OI)(CI)F')",
        )
    return (f"sudo mkdir -p {place}", f"sudo chown -R {owner} {place}")
