"""What a person copies into the machine's shell, and what that machine needs before it."""

from __future__ import annotations

from dataclasses import dataclass

from ..install.scripts import Script, script_for


@dataclass(frozen=True)
class Command:
    """``run`` does it all; ``look`` runs the checks alone, and changes nothing. ``shell`` is where it goes."""

    shell: str
    run: str
    look: str
    sha256: str


PREREQUISITES = {
    "linux": [
        "Linux with glibc 2.28 or newer (Debian 10, Ubuntu 18.10, RHEL 8, or later), on x64 or arm64",
        "systemd; without it the agent can only be started by hand",
        "Python 3.11, 3.12 or 3.13 where every account can read it (/usr, /usr/local); pip and venv are not needed",
        "curl, to fetch the script; root, or sudo",
        "200 MB of disk at /opt, and what your builds need in the work folder",
        "a network route to this server, and a clock at most a minute off from the server's",
    ],
    "macos": [
        "macOS 11 or newer, on x64 or arm64",
        "Python 3.11, 3.12 or 3.13 where every account can read it; the 3.9 of the developer tools is too old",
        "an account that may use sudo",
        "200 MB of disk at /opt, and what your builds need in the work folder",
        "a network route to this server, and a clock at most a minute off from the server's",
    ],
    "windows": [
        "Windows 10 version 1607, Server 2016, or newer, on x64",
        "Windows PowerShell 5.1, opened as administrator; the command bypasses the script policy for itself only",
        "Python 3.11, 3.12 or 3.13, installed for all users, with its launcher (py)",
        "200 MB of disk in Program Files, and what your builds need in the work folder",
        "a network route to this server, and a clock at most a minute off from the server's",
    ],
}  # fmt: skip


def command_for(server: str, code: str, secret: str, system: str, choices: dict[str, str]) -> Command:
    """The command for one sheet, or one batch. The pass goes through the environment: what stands on a command line
    stands in the list of processes."""
    script = script_for(server, system, code, choices)
    if system == "windows":
        return _powershell(script, secret)
    check = "sha256sum -c -" if system == "linux" else "shasum -a 256 -c -"
    fetch = f"curl -fsSo paddock.sh '{script.address}' && echo '{script.sha256}  paddock.sh' | {check}"
    return Command(
        "a shell",
        f"export PADDOCK_PASS='{secret}'; {fetch} && sh paddock.sh",
        f"export PADDOCK_PASS='{secret}'; {fetch} && sh paddock.sh --dry-run",
        script.sha256,
    )


def _powershell(script: Script, secret: str) -> Command:
    # A group policy overrules what the command line asks for, and says only that scripts are disabled.
    policy = (
        "'MachinePolicy', 'UserPolicy' | ForEach-Object { if ('AllSigned', 'Restricted' -contains "
        '(Get-ExecutionPolicy -Scope $_)) { throw "A group policy ($_) lets only signed scripts run here. Ask its '
        "administrator to set 'Turn on Script Execution' to 'Allow all scripts' for this machine.\" } }; "
    )
    fetch = (
        f"{policy}$env:PADDOCK_PASS = '{secret}'; "
        f"Invoke-WebRequest -UseBasicParsing '{script.address}' -OutFile paddock.ps1; "
        f"if ((Get-FileHash paddock.ps1).Hash -ne '{script.sha256.upper()}') "
        "{ throw 'paddock.ps1 did not come whole' }; "
    )
    run = "powershell -NoProfile -ExecutionPolicy Bypass -File paddock.ps1"
    return Command("PowerShell, opened as administrator", fetch + run, f"{fetch}{run} -DryRun", script.sha256)
