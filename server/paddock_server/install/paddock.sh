#!/bin/sh
# Brings this machine in as a host of @SERVER@
#
# It checks what it needs before it changes anything, installs the agent of Yellow Paddock into a folder of its own from
# that server (no other host is asked), joins with the pass in PADDOCK_PASS, and sets the agent up as a service.
# It can be run again. `sh paddock.sh --dry-run` only checks, and says what it would do.
set -eu

server=@SERVER@
version=@VERSION@
prefix=${PADDOCK_PREFIX:-/opt/paddock}
user=${PADDOCK_USER:-}
dry_run= by_hand= join=
problems=0

usage() {
    echo "usage: PADDOCK_PASS=… sh paddock.sh [--dry-run] [--by-hand] [--name NAME] [--labels A,B] [--slots N] [--user ACCOUNT]"
}
while [ $# -gt 0 ]; do
    case $1 in
        --dry-run) dry_run=yes ;;
        --by-hand) by_hand=yes ;;
        --user) user=${2:?}; shift ;;
        --name | --labels | --slots)
            case ${2:?} in *[!A-Za-z0-9.,_+/-]*) echo "$1: \"$2\" has a character that cannot be in it." >&2; exit 2 ;; esac
            join="$join $1 $2"; shift ;;
        *) usage >&2; exit 2 ;;
    esac
    shift
done

good() { echo "  ok      $1"; }
warn() { echo "  mind    $1"; [ -z "${2:-}" ] || echo "          do: $2"; }
bad() { echo "  missing $1"; [ -z "${2:-}" ] || echo "          do: $2"; problems=$((problems + 1)); }

echo "Checking this machine for $server (agent $version)"

case $(uname -s) in
    Linux) good "system: $( (. /etc/os-release && echo "$PRETTY_NAME") 2>/dev/null || uname -sr)" ;;
    Darwin) good "system: macOS $(sw_vers -productVersion)"; by_hand=yes ;;
    *) bad "system: $(uname -s) is not one that this script knows" ;;
esac
case $(uname -m) in
    x86_64 | aarch64 | arm64) good "processor: $(uname -m)" ;;
    *) bad "processor: there are no packages for $(uname -m)" ;;
esac

if [ "$(id -u)" = 0 ]; then
    good "rights: root"
elif [ -n "$by_hand" ]; then
    warn "rights: not root, so the agent is started by hand and is gone after a reboot"
    [ -n "${PADDOCK_PREFIX:-}" ] || prefix=$HOME/.local/share/yellow-paddock
else
    bad "rights: a service can only be set up by root" "run it with sudo, or with --by-hand"
fi
if [ -z "$by_hand" ]; then
    case $(cat /proc/1/comm 2>/dev/null) in
        systemd) good "service manager: systemd" ;;
        *) bad "service manager: there is no systemd here" "run it with --by-hand" ;;
    esac
    if [ -n "$user" ]; then
        if id "$user" >/dev/null 2>&1; then good "account: $user"; else
            bad "account: there is no $user here" "useradd --system --create-home --shell /bin/bash $user"
        fi
    fi
fi

# Not /root/…: the service's own account could not read it.
python=
for name in python3.13 python3.12 python3.11 python3; do
    for found in $(command -v "$name" || true) "/usr/bin/$name" "/usr/local/bin/$name"; do
        real=$("$found" -c 'import sys; assert (3, 11) <= sys.version_info[:2] <= (3, 13); print(sys.base_prefix)' 2>/dev/null) || continue
        case $real in /root/* | /home/*) [ -n "$by_hand" ] || continue ;; esac
        python=$found
        break 2
    done
done
if [ -n "$python" ]; then good "Python: $("$python" --version | cut -d' ' -f2) at $python"; else
    bad "Python: 3.11, 3.12 or 3.13 is needed, where every account can read it" "apt-get install python3"
fi

parent=$prefix
while [ ! -d "$parent" ]; do parent=$(dirname "$parent"); done
free=$(df -Pk "$parent" | awk 'NR == 2 { print int($4 / 1024) }')
if [ "$free" -ge 200 ]; then good "disk: $free MB free at $parent"; else bad "disk: $free MB free at $parent, 200 MB are needed"; fi
case $prefix in
    *[!A-Za-z0-9._/+-]*) bad "folder: $prefix has a space or another character that tools stumble over" "set PADDOCK_PREFIX" ;;
    *) good "folder: $prefix" ;;
esac

if [ -n "${http_proxy:-}${https_proxy:-}${HTTP_PROXY:-}${HTTPS_PROXY:-}${all_proxy:-}" ]; then
    warn "proxy: one is set in the environment; the way to the server may lead over it" "export no_proxy=$(echo "$server" | cut -d/ -f3 | cut -d: -f1)"
fi
if [ -n "$python" ]; then
    # What the server's clock says is compared with ours: keys, leases and logs go by it.
    said=$("$python" - "$server" 2>&1 <<'PYTHON'
import email.utils, sys, time, urllib.request
try:
    with urllib.request.urlopen(sys.argv[1] + "/healthz", timeout=15) as answer:
        there = email.utils.parsedate_to_datetime(answer.headers["Date"]).timestamp()
except Exception as error:
    print("no", getattr(error, "reason", error))
else:
    print("yes", int(there - time.time()))
PYTHON
    ) || true
    case $said in
        yes*)
            good "server: answers at $server"
            ahead=${said#yes }
            if [ "${ahead#-}" -le 60 ]; then good "clock: within a minute of the server's"; else
                bad "clock: $ahead s off the server's" "set the clock, or switch on time synchronization: timedatectl set-ntp true"
            fi ;;
        *) bad "server: does not answer at $server: ${said#no }" "look at the address, the network, the proxy, and the certificate" ;;
    esac
fi
if [ -n "${PADDOCK_PASS:-}" ]; then good "pass: given"; else
    if [ -n "$dry_run" ]; then warn "pass: none given; PADDOCK_PASS has to hold one"; else
        bad "pass: PADDOCK_PASS is not set" "make one in the yard: Bring in a host"
    fi
fi

if [ "$problems" -gt 0 ]; then
    echo "Nothing was changed: $problems of the things above have to be mended first." >&2
    exit 1
fi

place=$prefix/agent-$version
home=/var/lib/paddock-agent
[ "$(id -u)" = 0 ] || home=$prefix/home
if [ -n "$dry_run" ]; then
    echo "It would: install the agent into $place; join $server; keep its key and its work in $home;"
    if [ -n "$by_hand" ]; then echo "leave it to be started by hand."; else echo "set it up as a service under the account ${user:-paddock}."; fi
    exit 0
fi

mkdir -p "$prefix"
if ! mkdir "$prefix/.at-work" 2>/dev/null; then
    echo "This script is running here already, or was cut off. If it is not running: rmdir $prefix/.at-work" >&2
    exit 1
fi
trap 'rmdir "$prefix/.at-work"; rm -rf "$prefix/.download"' EXIT
trap 'exit 1' INT TERM

if [ -e "$place/complete" ]; then
    echo "The agent $version is installed in $place already."
else
    echo "Installing the agent $version into $place"
    rm -rf "$place" "$prefix/.download"
    mkdir "$prefix/.download"
    # Debian's Python comes without pip; the server hands out that, too.
    "$python" -m venv --without-pip "$place"
    pip=$("$place/bin/python" - "$server" "$prefix/.download" <<'PYTHON'
import hashlib, json, sys, urllib.request
server, folder = sys.argv[1:]
asked = urllib.request.Request(server + "/install/simple/pip/", headers={"Accept": "application/vnd.pypi.simple.v1+json"})
found = json.load(urllib.request.urlopen(asked, timeout=30))["files"][-1]
data = urllib.request.urlopen(server + found["url"], timeout=60).read()
if hashlib.sha256(data).hexdigest() != found["hashes"]["sha256"]:
    sys.exit("pip came with the wrong hash")
with open(f"{folder}/{found['filename']}", "wb") as file:
    file.write(data)
print(file.name)
PYTHON
    )
    # The index names the hash of each file; pip refuses one that differs.
    "$place/bin/python" "$pip/pip" install --quiet --disable-pip-version-check --no-cache-dir --only-binary :all: \
        --index-url "$server/install/simple/" --trusted-host "$(echo "$server" | cut -d/ -f3)" "yellow-paddock-agent==$version"
    chmod -R a+rX "$place"
    touch "$place/complete"
fi
ln -sfn "$place" "$prefix/current"
agent=$prefix/current/bin/paddock-agent
if [ "$(id -u)" = 0 ]; then ln -sf "$agent" /usr/local/bin/paddock-agent; fi

if [ -e "$home/identity.json" ]; then
    echo "This machine has joined before; its key stays."
else
    # shellcheck disable=SC2086 # a list of options, checked above
    "$agent" join --home "$home" --server "$server" $join
fi
unset PADDOCK_PASS
if [ -n "$by_hand" ]; then
    echo "Next, whenever this machine is up: $agent run --home $home"
else
    # shellcheck disable=SC2086
    "$agent" service install --home "$home" ${user:+--user "$user"}
fi
