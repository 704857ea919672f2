"""A throw-away Linux host with a real systemd, on an overlay of this machine's root, with a network of its own.

Needs root and namespaces. What happens inside stays inside: the overlay and all processes go with ``stop``.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import tempfile
from pathlib import Path

import pytest
from waiting import until

BOOT = r"""
set -e
mount --make-rprivate /
mkdir -p "$WORK"/upper "$WORK"/scratch "$WORK"/root
mount -t overlay overlay -o "lowerdir=/,upperdir=$WORK/upper,workdir=$WORK/scratch" "$WORK/root"
cd "$WORK/root"
mount -t proc proc proc
mount --rbind /dev dev
mount -t tmpfs tmpfs run
mount -t tmpfs tmpfs tmp
mount -t sysfs -o ro sysfs sys
mount -t tmpfs tmpfs sys/fs/cgroup
mkdir sys/fs/cgroup/unified sys/fs/cgroup/systemd
mount -t cgroup2 cgroup2 sys/fs/cgroup/unified
mount -t cgroup -o none,name=systemd systemd sys/fs/cgroup/systemd
[ -e etc/booted-before ] || rm -rf etc/systemd/system/*.wants
touch etc/booted-before
ln -sf /lib/systemd/system/multi-user.target etc/systemd/system/default.target
echo "$NAME" > etc/hostname
hostname "$NAME"
exec chroot . /usr/bin/env -i container=paddock PATH=/usr/sbin:/usr/bin:/sbin:/bin /lib/systemd/systemd
"""
PLACE = r"""
set -e
umask 022 # whatever this process has: into a host whose root is closed, its own services cannot look
for tree in unified named; do
    mkdir -p "$WORK/groups/$tree"
    [ -e "$WORK/groups/$tree/cgroup.procs" ] && continue
    [ "$tree" = unified ] && mount -t cgroup2 cgroup2 "$WORK/groups/$tree"
    [ "$tree" = named ] && mount -t cgroup -o none,name=systemd systemd "$WORK/groups/$tree"
done
for tree in unified named; do
    mkdir -p "$WORK/groups/$tree/$MARK"
    echo $$ > "$WORK/groups/$tree/$MARK/cgroup.procs"
done
exec unshare "$@"
"""
"""Control groups of the host's own: two hosts with one tree would make and remove each other's."""
TRIAL = """
mount --make-rprivate /
mount -t tmpfs tmpfs "$WORK"
mkdir "$WORK"/upper "$WORK"/scratch "$WORK"/root "$WORK"/unified "$WORK"/named
mount -t overlay overlay -o "lowerdir=/,upperdir=$WORK/upper,workdir=$WORK/scratch" "$WORK/root"
mount -t cgroup2 cgroup2 "$WORK/unified"
mount -t cgroup -o none,name=systemd systemd "$WORK/named"
ip link add trial type bridge
"""
"""What booting needs of the kernel, tried in namespaces that are gone at once."""

NAMESPACES = ["--pid", "--mount", "--uts", "--ipc", "--net", "--cgroup"]


def why_not() -> str:
    """Why this machine cannot boot such a host; "" where it can."""
    if os.geteuid() != 0:
        return "booting a systemd host needs root"
    missing = [name for name in ("unshare", "nsenter", "ip", "systemctl") if not shutil.which(name)]
    if missing or not Path("/lib/systemd/systemd").exists():
        return f"booting a systemd host needs Debian's systemd, dbus and iproute2 (missing: {', '.join(missing)})"
    with tempfile.TemporaryDirectory() as folder:
        tried = subprocess.run(
            ["unshare", *NAMESPACES, "--fork", "sh", "-ec", TRIAL],
            env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "WORK": folder},
            capture_output=True,
            text=True,
            check=False,
        )
    return f"this machine cannot boot a systemd host: {tried.stderr.strip()}" if tried.returncode else ""


_gave_up: list[str] = []
"""Why this machine boots no host, once that is known: the other tests need not wait for it again."""

WHEELS = Path(__file__).parents[2] / ".make" / "wheels"


def booted(name: str, number: int = 1, beside: SystemdHost | None = None) -> SystemdHost:
    """Such a host, for agents to be installed on; where there can be none, the test that wants it is skipped."""
    if why := why_not():
        pytest.skip(why)
    if not WHEELS.is_dir():
        pytest.skip("the packages for hosts are not gathered: make wheels")
    if _gave_up:
        pytest.skip(_gave_up[0])
    try:
        return SystemdHost(name, number, beside)
    except BootError as error:
        # Nothing of ours runs yet: it is this machine that is in the way, and the reason says how.
        _gave_up.append(f"this machine did not boot a systemd host in {TRIES} tries: {error}")
        pytest.skip(_gave_up[0])


TRIES = 3
BOOT_PATIENCE = 45.0
"""Seconds for one try: one that is not up by then does not come up."""


class BootError(Exception):
    """The host's systemd did not come up; says what it was waiting for."""


class SystemdHost:
    """One such host. ``outside`` is this side's address as the host sees it, ``inside`` its own; ``broadcast`` reaches
    all of its network, and ``hardware`` is its network card's address, also after a reboot. A host ``beside`` another
    one is in that one's network."""

    def __init__(self, name: str, number: int = 1, beside: SystemdHost | None = None) -> None:
        self.name, self._beside = name, beside
        network = beside.network if beside else _free_network(os.getpid() % 25 * 10 + number)
        self.network, self.outside, self.broadcast = network, f"{network}.1", f"{network}.255"
        self.inside = f"{network}.{3 if beside else 2}"
        self.hardware = f"52:54:00:{number:02x}:{3 if beside else 2:02x}:{os.getpid() % 256:02x}"
        mark = f"pad{os.getpid() % 10000}"
        self._mark = f"{mark}-{number}"
        self._bridge, self._here, self._there = f"{mark}b{number}", f"{mark}h{number}", f"{mark}t{number}"
        self._bridge = beside._bridge if beside else self._bridge
        self._work = tempfile.mkdtemp(prefix="paddock-host-")
        # Outside of the host's own namespaces, so that what it writes is there after a reboot.
        subprocess.run(["mount", "-t", "tmpfs", "tmpfs", self._work], check=True)
        # This side's address lives on a bridge, so that a server listens on while the host is off.
        if not beside:
            _ip("link", "add", self._bridge, "type", "bridge")
            _ip("address", "add", f"{self.outside}/24", "brd", "+", "dev", self._bridge)
            _ip("link", "set", self._bridge, "up")
        try:
            self._boot_by_and_by()
        except BaseException:
            self.stop()
            raise

    def _boot_by_and_by(self) -> None:
        """On a very busy machine a start now and then takes too long."""
        for tries_left in reversed(range(TRIES)):
            try:
                self.boot()
                return
            except BootError:
                if not tries_left:
                    raise
                self.power_off()

    def boot(self) -> None:
        """Starts the host and waits until its systemd is up. Raises BootError."""
        self._unshare = subprocess.Popen(
            ["bash", "-c", PLACE, "place", *NAMESPACES, "--fork", "--kill-child", "bash", "-c", BOOT],
            env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "WORK": self._work, "NAME": self.name, "MARK": self._mark},
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
        )
        self._pid = until(self._first_process, "the host's first process")
        try:
            until(
                lambda: self.run("systemctl is-system-running").stdout.strip() in ("running", "degraded"),
                "systemd",
                BOOT_PATIENCE,
            )
        except (AssertionError, subprocess.TimeoutExpired) as error:
            raise BootError(f"{error}. {self._what_hangs()}") from None
        self._connect()

    def _what_hangs(self) -> str:
        """The jobs that systemd waits for and its last words, for the person who has to find out why."""
        try:
            return self.run(
                "systemctl is-system-running; systemctl list-jobs --no-legend | grep running; "
                "bus=$(systemctl show --property=MainPID --value dbus); "
                "grep -h -e ^State -e ^Threads /proc/$bus/status; cat /proc/$bus/wchan /proc/$bus/stack; "
                "ls -l /proc/$bus/exe /proc/$bus/fd | cut -c 40-; cat /proc/pressure/*; "
                "journalctl --boot --no-pager --output=cat _TRANSPORT=journal _TRANSPORT=stdout | "
                "grep -v getty | tail -n 12"
            ).stdout[-4000:]
        except subprocess.TimeoutExpired:
            return "It does not answer either."

    def _first_process(self) -> int:
        assert self._unshare.poll() is None, self._unshare.stderr and self._unshare.stderr.read()
        if Path(f"/proc/{self._unshare.pid}/comm").read_text().strip() != "unshare":
            return 0  # its control groups are still being made
        children = Path(f"/proc/{self._unshare.pid}/task/{self._unshare.pid}/children").read_text().split()
        return int(children[0]) if children else 0

    def _connect(self) -> None:
        """A pair of network interfaces, one end in the host."""
        _ip("link", "add", self._here, "type", "veth", "peer", "name", self._there)
        _ip("link", "set", self._there, "address", self.hardware, "netns", str(self._pid))
        _ip("link", "set", self._here, "master", self._bridge, "up")
        done = self.run(
            f"ip link set lo up; ip address add {self.inside}/24 brd + dev {self._there}; ip link set {self._there} up"
        )
        assert done.returncode == 0, done.stderr

    def run(self, script: str, **variables: str) -> subprocess.CompletedProcess[str]:
        """Runs a shell script inside, as root. The variables stand in no list of processes."""
        enter = ["nsenter", "-t", str(self._pid), "-m", "-u", "-i", "-n", "-p", "-r", "-w"]
        return subprocess.run(
            [*enter, "/bin/sh", "-c", script],
            env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "HOME": "/root", **variables},
            capture_output=True,
            text=True,
            timeout=120,
            check=False,
        )

    def unpack(self, folder: str, archive: bytes) -> None:
        """Unpacks a tar archive inside: this side's files need not be seen there."""
        enter = ["nsenter", "-t", str(self._pid), "-m", "-p", "-r", "-w"]
        unpack = [*enter, "/bin/sh", "-c", f"mkdir -p {folder} && tar -x --no-same-owner -C {folder}"]
        subprocess.run(unpack, input=archive, check=True, capture_output=True, timeout=120)

    def is_off(self) -> bool:
        """Whether it has powered itself down: nothing of it runs any more."""
        return self._unshare.poll() is not None

    def power_off(self) -> None:
        """Ends all that runs in the host, at once, as pulling its plug would."""
        self._unshare.kill()
        self._unshare.communicate()
        subprocess.run(["ip", "link", "delete", self._here], capture_output=True, check=False)

    def stop(self) -> None:
        """Ends the host and removes what it wrote."""
        self.power_off()
        if not self._beside:
            _ip("link", "delete", self._bridge)
        for tree in ("unified", "named"):
            _remove_groups(Path(self._work, "groups", tree, self._mark))
            subprocess.run(["umount", "--lazy", f"{self._work}/groups/{tree}"], capture_output=True, check=False)
        subprocess.run(["umount", "--lazy", self._work], check=True)
        shutil.rmtree(self._work, ignore_errors=True)


def _free_network(first: int) -> str:
    """The first three numbers of an unused network. Other runs begin elsewhere, and a killed run leaves
    its bridge behind: packets for its network would go there."""
    taken = subprocess.run(["ip", "-o", "-4", "address"], check=True, capture_output=True, text=True).stdout
    numbers = ((first + i * 10) % 250 for i in range(25))
    return next(network for number in numbers if f"{(network := f'10.213.{number}')}.1/" not in taken)


def _remove_groups(top: Path) -> None:
    """Removes control groups, from the leaves up, as soon as the last process in them is gone."""
    if (top / "cgroup.kill").exists():
        (top / "cgroup.kill").write_text("1")

    def are_gone() -> bool:
        for folder, _, _ in os.walk(top, topdown=False):
            with contextlib.suppress(OSError):
                Path(folder).rmdir()
        return not top.exists()

    with contextlib.suppress(AssertionError):
        until(are_gone, "the host's control groups to be empty", 10.0)


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)
