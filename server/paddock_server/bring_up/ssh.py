"""Going into a machine over SSH, once, to start its bring-up: with the server's own key, or a password typed in for it.

The machine's key is looked at and trusted by a person first; nothing is sent to a machine with another. The script and
the pass go through the session's standard input: they stand in no command line.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
from dataclasses import dataclass

import asyncssh
from django.conf import settings

PATIENCE = 15.0
KEY_KINDS = ["ssh-ed25519", "ecdsa-sha2-nistp256", "rsa-sha2-512", "rsa-sha2-256"]
"""The first that the machine has is the one that a person is shown."""
RUN_PATIENCE = 15 * 60.0
KEY_FILE = "ssh-key"
MAX_OUTPUT_BYTES = 20_000

WRAPPER = r"""
umask 077
folder=$(mktemp -d) || exit 1
IFS= read -r PADDOCK_PASS; IFS= read -r password
export PADDOCK_PASS
cat >"$folder/paddock.sh"
umask 022
cd "$folder" || exit 1
if [ "$(id -u)" = 0 ] || [ "$1" = by-hand ] || sudo -n true 2>/dev/null || [ -z "$password" ]; then
    sh paddock.sh </dev/null
else
    printf '%s\n' "$password" | sudo -S -p '' --preserve-env=PADDOCK_PASS sh paddock.sh
fi
code=$?
rm -rf "$folder"
exit $code
"""


class SshFailed(Exception):
    """It did not work; the sentence says why, ``remedy`` what to do on the machine."""

    def __init__(self, sentence: str, *remedy: str) -> None:
        self.remedy = remedy
        super().__init__(sentence)


@dataclass(frozen=True)
class Target:
    """Where to go in, and as whom. ``key`` is the machine's key that was trusted, in OpenSSH's format."""

    address: str
    port: int
    user: str
    key: str
    password: str = ""


def own_key() -> asyncssh.SSHKey:
    """The server's key pair: made when it is first wanted, in a file that only the server's user can read."""
    file = settings.DATA / KEY_FILE
    if not file.exists():
        made = asyncssh.generate_private_key("ssh-ed25519", comment="yellow-paddock")
        with contextlib.suppress(FileExistsError):
            handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(handle, "wb") as fresh:
                fresh.write(made.export_private_key())
    return asyncssh.read_private_key(file)


def public_key() -> str:
    """The line for the machine's authorized_keys."""
    line: str = own_key().export_public_key().decode().strip()
    return line


async def find_key(address: str, port: int) -> asyncssh.SSHKey:
    """The key that the machine shows now. Raises SshFailed."""
    try:
        async with asyncio.timeout(PATIENCE):
            found = await asyncssh.get_server_host_key(address, port, server_host_key_algs=KEY_KINDS, config=None)
    except (OSError, TimeoutError, UnicodeError, asyncssh.Error) as error:
        raise _unreachable(address, port, error) from None
    if found is None:
        raise SshFailed(f"What answers at {address}, port {port}, shows no SSH key.")
    return found


def written(key: asyncssh.SSHKey) -> str:
    """The key as OpenSSH writes it, without a comment."""
    return " ".join(key.export_public_key().decode().split()[:2])


async def run_script(target: Target, script: str, secret: str, by_hand: bool) -> tuple[int, str]:
    """Runs the bring-up script on the machine; its exit code and the end of what it printed. Raises SshFailed."""
    trusted = asyncssh.import_public_key(target.key)
    login = {"password": target.password, "client_keys": None} if target.password else {"client_keys": [own_key()]}
    try:
        async with asyncio.timeout(RUN_PATIENCE):
            async with asyncssh.connect(
                target.address, target.port, username=target.user, known_hosts=([trusted], [], []), config=None,
                agent_path=None, login_timeout=PATIENCE, connect_timeout=PATIENCE, **login,
            ) as connection:  # fmt: skip
                command = f"sh -c '{_quoted(WRAPPER)}' sh {'by-hand' if by_hand else 'service'}"
                given = f"{secret}\n{target.password}\n{script}"
                done = await connection.run(command, input=given, stderr=asyncssh.STDOUT)
    except asyncssh.HostKeyNotVerifiable:
        raise SshFailed(
            f"{target.address} shows a new key. Either the machine was reinstalled, or something "
            "stands in between. Nothing was sent."
        ) from None
    except asyncssh.PermissionDenied:
        if target.password:
            raise SshFailed(f"{target.address} does not take the password of {target.user}.") from None
        raise SshFailed(
            f"{target.address} does not let {target.user} in with this server's key.",
            f"mkdir -p ~/.ssh && echo '{public_key()}' >> ~/.ssh/authorized_keys",
        ) from None
    except TimeoutError:
        raise SshFailed(f"The script on {target.address} did not end within {RUN_PATIENCE / 60:.0f} minutes.") from None
    except (OSError, UnicodeError, asyncssh.Error) as error:
        raise _unreachable(target.address, target.port, error) from None
    return done.exit_status if done.exit_status is not None else 1, str(done.stdout or "")[-MAX_OUTPUT_BYTES:]


def _quoted(script: str) -> str:
    return script.replace("'", "'\"'\"'")


def _unreachable(address: str, port: int, error: Exception) -> SshFailed:
    message = str(error) or type(error).__name__
    return SshFailed(
        f"No way in at {address}, port {port}: {message}. Is its OpenSSH server running, and the way to it open?",
        "systemctl status ssh",
    )
