"""Where the time of a bring-up goes, from pasting the command on a prepared Linux host to the first heartbeat.

``make bench`` runs it where a systemd host can be booted (root, namespaces). The parts are shares of the whole in the
same run; the last line compares the whole with the package installation alone, by hand with the same wheels.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "support"))

from processes import RealServer
from systemd_host import SystemdHost, why_not
from waiting import until

RUNS = 5
PARTS = ("script fetched", "machine checked", "agent installed", "joined", "service set up", "first heartbeat")
BY_HAND = """
rm -rf /opt/by-hand && /usr/bin/python3 -m venv --without-pip /opt/by-hand &&
PIP_CONFIG_FILE=/dev/null /opt/by-hand/bin/python {wheels}/{pip}/pip --isolated install --quiet --no-cache-dir \
    --disable-pip-version-check --only-binary :all: --no-index --find-links {wheels} yellow-paddock-agent
"""


def one_run(host: SystemdHost, server: RealServer) -> list[float]:
    """Seconds of each part, in order. The host is bare before and after."""
    made = server.make_sheet()
    sheet, command = made["sheet"], made["command"]["run"]
    began = time.time()
    done = host.run(f"cd /root && {command}")
    assert done.returncode == 0, done.stdout + done.stderr
    until(lambda: server.steps(sheet)["connect"]["state"] == "done", "the first heartbeat")
    at = {name: step["at"] for name, step in server.steps(sheet).items()}
    ends = [at[step] for step in ("fetch", "preflight", "install", "join", "service", "connect")]
    left = host.run("/usr/local/bin/paddock-agent leave && rm -rf /opt/paddock /root/paddock.sh")
    assert left.returncode == 0, left.stderr
    # The agent calls while its service is still being watched to start: no part is less than nothing.
    return [max(0.0, end - start) for start, end in zip([began, *ends], ends, strict=False)]


def by_hand(host: SystemdHost) -> float:
    """Seconds of the package installation alone, from a folder on the host itself."""
    wheels = Path(__file__).parents[1] / ".make" / "wheels"
    pip = next(wheels.glob("pip-*.whl")).name
    began = time.time()
    done = host.run(BY_HAND.format(wheels=wheels, pip=pip))
    assert done.returncode == 0, done.stderr
    return time.time() - began


def main() -> int:
    if why := why_not():
        print(f"Left out: {why}")
        return 0
    host = SystemdHost("dunlin-01", 9)
    try:
        with tempfile.TemporaryDirectory() as folder:
            server = RealServer(Path(folder), grace=1, bind=host.outside)
            try:
                # One after the other, so that what else this machine does meets both.
                pairs = [(one_run(host, server), by_hand(host)) for _ in range(RUNS)]
            finally:
                server.stop()
    finally:
        host.stop()
    runs = [run for run, _ in pairs]
    whole = statistics.median(sum(run) for run in runs)
    alone = statistics.median(seconds for _, seconds in pairs)
    ratio = statistics.median(sum(run) / seconds for run, seconds in pairs)
    print(f"{'part':<20}{'median':>9}{'share':>8}")
    for i, part in enumerate(PARTS):
        median = statistics.median(run[i] for run in runs)
        print(f"{part:<20}{median * 1000:>6.0f} ms{median / whole:>8.0%}")
    print(f"{'whole':<20}{whole * 1000:>6.0f} ms")
    print(f"package installation alone, by hand: {alone * 1000:.0f} ms; the whole is {ratio:.2f} times that")
    return 0


if __name__ == "__main__":
    sys.exit(main())
