#!/bin/sh
# Brings this machine in as a host of the server named below.
#
# It checks what it needs before it changes anything, installs the agent of Yellow Paddock into a folder of its own from
# that server (no other host is asked), joins with the pass in PADDOCK_PASS, and has the agent kept running.
# It can be run again: key, name and labels stay, and jobs that run end first (--now loses them). `sh paddock.sh --dry-run` only checks, and says what it would do.
set -eu
# Where root makes files for itself alone, the service could not read its own program. The key is kept apart.
umask 022
#@HEAD@

usage() {
    echo "usage: PADDOCK_PASS=… sh paddock.sh [--dry-run] [--by-hand] [--name NAME] [--labels A,B] [--slots N]"
    echo "           [--user ACCOUNT] [--work FOLDER] [--prefix FOLDER] [--now]"
}
dry_run=
now=
for word in "$@"; do [ "$word" != --dry-run ] || dry_run=yes; done
given=$*
while [ $# -gt 0 ]; do
    case $1 in
        --dry-run) ;;
        --now) now=--now ;;
        --by-hand) export PADDOCK_SUPERVISOR='by hand' ;;
        --name | --labels | --slots | --user | --work | --prefix)
            case ${2:?} in *[!A-Za-z0-9._,/+:@-]*) echo "$1: \"$2\" has a character that cannot be in it." >&2; exit 2 ;; esac
            export "PADDOCK_$(echo "${1#--}" | tr '[:lower:]' '[:upper:]')=$2"
            shift ;;
        *) usage >&2; exit 2 ;;
    esac
    shift
done
by_hand=; [ "${PADDOCK_SUPERVISOR:-service}" != 'by hand' ] || by_hand=yes

if [ "$(id -u)" != 0 ] && [ -z "$by_hand" ] && [ -z "$dry_run" ] && command -v sudo >/dev/null; then
    echo "A service is set up by root: going on through sudo."
    kept=PADDOCK_PASS,PADDOCK_ACCOUNT_PASSWORD,PADDOCK_NAME,PADDOCK_LABELS,PADDOCK_SLOTS,PADDOCK_USER,PADDOCK_WORK
    kept=$kept,PADDOCK_SUPERVISOR,PADDOCK_PREFIX,PADDOCK_AGENT_HOME,SSL_CERT_FILE,http_proxy,https_proxy,no_proxy
    # shellcheck disable=SC2086 # words without spaces, checked above
    exec sudo --preserve-env=$kept sh "$0" $given
fi
prefix=${PADDOCK_PREFIX:-/opt/paddock}
[ "$(id -u)" = 0 ] || [ -n "${PADDOCK_PREFIX:-}" ] || prefix=$HOME/.local/share/yellow-paddock
export PADDOCK_PREFIX="$prefix"

# Reports steps before Python is found. The sheet's code is not a secret, and the words are fixed.
tell_missing() {
    [ -n "${PADDOCK_SHEET:-}" ] || return 0
    found=$(echo "$2" | tr -d '"\134' | tr '\n' ' ' | cut -c1-300)
    check=$(printf '{"name":"%s","mark":"missing","found":"%s","remedy":["%s"]}' "$1" "$found" "$3")
    printf '{"sheet":"%s","step":"preflight","mark":"failed","hostname":"%s","found":"%s: %s","checks":[%s]}' \
        "$PADDOCK_SHEET" "$(uname -n | cut -d. -f1)" "$1" "$found" "$check" |
        curl -fsS -m 10 -H 'Content-Type: application/json' --data-binary @- "$PADDOCK_SERVER/agent/v1/bring-up" >/dev/null 2>&1 || true
}
missing() {
    echo "  missing $1: $2"
    echo "          do: $3"
    echo "Nothing was changed." >&2
    tell_missing "$1" "$2" "$3"
    exit 1
}

echo "Checking this machine for $PADDOCK_SERVER (agent $PADDOCK_VERSION)"
# Not one in /root or a person's folder: the service's own account could not read it.
python=
for name in python3.13 python3.12 python3.11 python3; do
    for found in $(command -v "$name" || true) "/usr/bin/$name" "/usr/local/bin/$name" "/opt/homebrew/bin/$name"; do
        real=$("$found" -c 'import sys; assert (3, 11) <= sys.version_info[:2] <= (3, 13); print(sys.base_prefix)' 2>/dev/null) || continue
        case $real in /root/* | /home/* | /Users/*) [ -n "$by_hand" ] || continue ;; esac
        python=$found
        break 2
    done
done
case $(uname -s) in Darwin) how='brew install python@3.12' ;; *) how='apt-get install python3' ;; esac
[ -n "$python" ] || missing Python "none of 3.11, 3.12, 3.13 is where every account can read it" "$how"

scratch=$(mktemp -d)
lock=
trap 'rm -rf "$scratch" ${lock:+"$lock"}' EXIT
trap 'exit 1' INT TERM
"$python" - "$PADDOCK_SERVER/install/files" "$scratch" "$PADDOCK_WHEEL" "$PADDOCK_WHEEL_SHA256" "$PADDOCK_PIP" "$PADDOCK_PIP_SHA256" \
    2>"$scratch/why" <<'PYTHON' || missing server "$(tail -n 1 "$scratch/why")" "look at the address, the network, the proxy; a certificate of your own is named by SSL_CERT_FILE"
import hashlib, sys, urllib.request
server, folder, *files = sys.argv[1:]
for name, wanted in zip(files[::2], files[1::2]):
    try:
        data = urllib.request.urlopen(f"{server}/{name}", timeout=60).read()
    except OSError as error:
        sys.exit(f"{server} does not hand out {name}: {getattr(error, 'reason', error)}")
    if hashlib.sha256(data).hexdigest() != wanted:
        sys.exit(f"{name} came with the wrong hash")
    with open(f"{folder}/{name}", "wb") as file:
        file.write(data)
PYTHON

# The agent's own code checks the rest, straight from its package.
agents_own() { PYTHONPATH="$scratch/$PADDOCK_WHEEL" "$python" -m "$@"; }
if ! agents_own paddock_agent.preflight; then
    echo "Nothing was changed: what is missing above has to be mended first." >&2
    exit 1
fi
place=$prefix/agent-$PADDOCK_VERSION
home=${PADDOCK_AGENT_HOME:-$(agents_own paddock_agent.preflight.home "$prefix")}
if [ -n "$dry_run" ]; then
    echo "It would: install the agent into $place; join $PADDOCK_SERVER; keep its key in $home;"
    if [ -n "$by_hand" ]; then echo "leave it to be started by hand."; else echo "set it up as a service, and start it."; fi
    exit 0
fi

mkdir -p "$prefix"
if ! mkdir "$prefix/.at-work" 2>/dev/null; then
    other=$(cat "$prefix/.at-work/pid" 2>/dev/null || echo none)
    if kill -0 "$other" 2>/dev/null; then
        echo "This script is running here already (process $other). Wait for it to end." >&2
        exit 1
    fi
    echo "An earlier run was cut off; going on after it."
fi
lock=$prefix/.at-work
echo $$ >"$lock/pid"

install_agent() {
    # Debian's Python comes without pip; the server hands out that, too. The index names the hash of each file. What this
    # machine's own settings of pip say, of other indexes above all, does not count here.
    # Only over plain HTTP is there nothing to verify the server by.
    case $PADDOCK_SERVER in
        https:*) set -- ${SSL_CERT_FILE:+--cert "$SSL_CERT_FILE"} ;;
        *) set -- --trusted-host "$(echo "$PADDOCK_SERVER" | cut -d/ -f3)" ;;
    esac
    rm -rf "$place" && "$python" -m venv --without-pip "$place" &&
        PIP_CONFIG_FILE=/dev/null "$place/bin/python" "$scratch/$PADDOCK_PIP/pip" --isolated install --quiet \
            --disable-pip-version-check --no-cache-dir --only-binary :all: \
            --index-url "$PADDOCK_SERVER/install/simple/" "$@" \
            "yellow-paddock-agent==$PADDOCK_VERSION" &&
        chmod -R a+rX "$place" && echo "$PADDOCK_WHEEL_SHA256" >"$place/complete"
}
if [ -e "$place/complete" ]; then
    echo "The agent $PADDOCK_VERSION is installed in $place already."
else
    echo "Installing the agent $PADDOCK_VERSION into $place"
    agents_own paddock_agent.steps install begun
    if ! install_agent >"$scratch/log" 2>&1; then
        cat "$scratch/log" >&2
        rm -rf "$place"
        echo "The agent could not be installed; what was there before is as it was." >&2
        agents_own paddock_agent.steps install failed - <"$scratch/log"
        exit 1
    fi
fi
ln -sfn "$place" "$prefix/current"
agents_own paddock_agent.steps install "done" "$place"
agent=$prefix/current/bin/paddock-agent
if [ "$(id -u)" = 0 ]; then mkdir -p /usr/local/bin && ln -sf "$agent" /usr/local/bin/paddock-agent; fi

if [ -e "$home/identity.json" ]; then
    echo "This machine has joined before; its key stays."
    agents_own paddock_agent.steps known "$home" || true
else
    "$agent" join --home "$home"
fi
unset PADDOCK_PASS
if [ -n "$by_hand" ]; then
    echo "Next, whenever this machine is up: $agent run --home $home"
    exit 0
fi
at_login=; [ "${PADDOCK_SUPERVISOR:-service}" != log-in ] || at_login=--at-login
# shellcheck disable=SC2086 # options, or none
"$agent" service install --home "$home" $at_login $now
