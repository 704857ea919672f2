#!/bin/sh
# What the tests need beside Python and Node.js, from Debian's packages where it is missing: Chromium and ChromeDriver for
# the screens; systemd, dbus, iproute2 and OpenSSH for the hosts with a real service manager; nginx for the server behind a proxy; a JDK and Maven, whose order of
# versions ours is compared with.
set -eu
cd "$(dirname "$0")/.."

missing=
command -v chromium >/dev/null && command -v chromedriver >/dev/null || missing="$missing chromium chromium-driver"
browser=$missing
[ -x /lib/systemd/systemd ] || missing="$missing systemd"
command -v dbus-daemon >/dev/null || missing="$missing dbus"
[ -x /usr/sbin/sshd ] || missing="$missing openssh-server"
command -v ip >/dev/null || missing="$missing iproute2"
command -v javac >/dev/null || missing="$missing default-jdk-headless"
command -v mvn >/dev/null || missing="$missing maven"
command -v nginx >/dev/null || [ -x /usr/sbin/nginx ] || missing="$missing nginx-light"
# What the builds of a C and a Maven project need, without a network.
command -v cmake >/dev/null || missing="$missing cmake"
command -v cc >/dev/null && command -v make >/dev/null || missing="$missing build-essential"
for plugin in compiler resources jar; do
    [ -d "/usr/share/maven-repo/org/apache/maven/plugins/maven-$plugin-plugin" ] || missing="$missing libmaven-$plugin-plugin-java"
done
[ -d /usr/share/maven-repo/org/junit ] || missing="$missing junit5"
[ -n "$missing" ] || exit 0

if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    # shellcheck disable=SC2086 # a list of packages
    exec sh setup/debian.sh $missing
fi
if [ -n "$browser" ]; then
    echo "The browser tests need Chromium and ChromeDriver. As root: apt-get install$browser" >&2
    exit 1
fi
echo "Tests on a real systemd host, or against a JDK and Maven, are left out: they need root, and the packages$missing."
