"""The catalogue: its files are right, its readings read what real tools print, and nothing in a file can hurt."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_agent.catalogue import Reading, built_in, read_tool
from paddock_agent.catalogue.checking import readings
from paddock_agent.catalogue.reading import MAX_LINE_LENGTH, first_match
from paddock_agent.errors import BadReading, BadTool

TOOLS = {tool.name: tool for tool in built_in()}
PRINTED = [
    ("git", "git version 2.39.5\n", "2.39.5"),
    ("git", "git version 2.39.3 (Apple Git-146)\n", "2.39.3"),
    ("git", "git version 2.47.0.windows.2\n", "2.47.0.windows.2"),
    ("git-lfs", "git-lfs/3.3.0 (Saltmarsh; linux amd64; go 1.19.8)\n", "3.3.0"),
    ("gcc", "gcc (Debian 12.2.0-14+deb12u1) 12.2.0\nCopyright (C) 2022\n", "12.2.0"),
    ("gcc", "gcc (GCC) 8.5.0 20210514 (Red Hat 8.5.0-28)\n", "8.5.0"),
    ("gcc", "gcc.exe (Rev1, Built by MSYS2 project) 13.1.0\n", "13.1.0"),
    ("gxx", "g++ (Ubuntu 11.4.0-1ubuntu1~22.04) 11.4.0\n", "11.4.0"),
    ("arm-gcc", "arm-none-eabi-gcc (Arm GNU Toolchain 13.2.rel1 (Build arm-13.7)) 13.2.1 20231009\n", "13.2.1"),
    ("clang", "Debian clang version 14.0.6\nTarget: x86_64\n", "14.0.6"),
    ("clang", "Apple clang version 16.0.0 (clang-1600.0.26.4)\n", "16.0.0"),
    ("msvc", "Microsoft (R) C/C++ Optimizing Compiler Version 19.38.33130 for x64\n", "19.38.33130"),
    ("msvc", "Microsoft (R) C/C++-Optimierungscompiler Version 19.41.34123 für x64\n", "19.41.34123"),
    ("rustc", "rustc 1.97.0-nightly (9b1f8ff42 2026-05-06)\n", "1.97.0-nightly"),
    ("go", "go version go1.21.5 linux/amd64\n", "1.21.5"),
    ("dotnet", "9.0.100-preview.1.24101.2\n", "9.0.100-preview.1.24101.2"),
    ("jdk", 'openjdk version "1.8.0_392"\nOpenJDK Runtime Environment\n', "1.8.0_392"),
    ("jdk", 'java version "21.0.1" 2023-10-17 LTS\n', "21.0.1"),
    ("kotlin", "info: kotlinc-jvm 1.9.22 (JRE 17.0.9+9)\n", "1.9.22"),
    ("cuda", "nvcc: NVIDIA (R) Cuda compiler\nCuda compilation tools, release 12.3, V12.3.107\n", "12.3.107"),
    ("python", "Python 3.13.0rc1\npath=/usr/bin/python3\nhome=/usr\n", "3.13.0rc1"),
    ("node", "v20.11.0\n", "20.11.0"),
    ("deno", "deno 1.40.2 (release, x86_64-unknown-linux-gnu)\nv8 12.0\n", "1.40.2"),
    ("ruby", "ruby 3.3.6 (2024-11-05 revision 75015d4c1f) [arm64-darwin24]\n", "3.3.6"),
    ("php", "PHP 8.2.20 (cli) (built: Jun 17 2024 13:33:14) (NTS)\n", "8.2.20"),
    ("perl", "\nThis is perl 5, version 36, subversion 0 (v5.36.0) built for x86_64-linux\n", "5.36.0"),
    ("pip", "pip 23.0.1 from /usr/lib/python3/dist-packages/pip (python 3.11)\n", "23.0.1"),
    ("uv", "uv 0.5.4 (c62c83c37 2024-11-20)\n", "0.5.4"),
    ("poetry", "Poetry (version 1.8.4)\n", "1.8.4"),
    ("cargo", "cargo 1.75.0\n", "1.75.0"),
    ("vcpkg", "vcpkg package management program version 2024-05-24-8c6e8e8\n\nSee LICENSE\n", "2024-05-24-8c6e8e8"),
    ("make", "GNU Make 4.3\nBuilt for x86_64-pc-linux-gnu\n", "4.3"),
    ("cmake", "cmake version 3.28.0-rc2\n\nCMake suite maintained\n", "3.28.0-rc2"),
    ("bazel", "bazel 7.4.0\n", "7.4.0"),
    ("maven", "Apache Maven 3.9.6 (bc0240f3c744dd6b6ec2920b3cd08dcc295161ae)\nMaven home: /opt/maven\n", "3.9.6"),
    ("gradle", "\n------------\nGradle 8.5\n------------\n\nBuild time: 2023\n", "8.5"),
    ("ant", "Apache Ant(TM) version 1.10.13 compiled on January 4 2023\n", "1.10.13"),
    (
        "scons",
        "SCons by Steven Knight et al.:\n\tSCons: v4.4.0.fc8d0ec215ee6cba8bc158ad40c099be0b598297, Sat, 30\n",
        "4.4.0.fc8d0ec215ee6cba8bc158ad40c099be0b598297",
    ),
    ("xcode", "Xcode 15.2\nBuild version 15C500b\n", "15.2"),
    ("adb", "Android Debug Bridge version 1.0.41\nVersion 35.0.2-12147458\nInstalled as /opt/adb\n", "35.0.2-12147458"),
    ("docker", "Docker version 27.3.1, build ce12230\n", "27.3.1"),
    ("podman", "podman version 4.3.1\n", "4.3.1"),
    ("kubectl", "Client Version: v1.31.2\nKustomize Version: v5.4.2\n", "1.31.2"),
    ("helm", "v3.16.2+g13654a5\n", "3.16.2+g13654a5"),
    ("chromium", "Chromium 131.0.6778.85 built on Debian GNU/Linux 12 (bookworm)\n", "131.0.6778.85"),
    ("firefox", "Mozilla Firefox 128.5.0esr\n", "128.5.0esr"),
    ("chromedriver", "ChromeDriver 131.0.6778.85 (3d81e41b6f3ac8bcae63b32e8145c9eb0cd60a2d-refs)\n", "131.0.6778.85"),
    ("bash", "GNU bash, version 5.2.15(1)-release (x86_64-pc-linux-gnu)\n", "5.2.15"),
    ("powershell", "PowerShell 7.4.6\n", "7.4.6"),
    ("gnupg", "gpg (GnuPG) 2.2.40\nlibgcrypt 1.10.1\n", "2.2.40"),
    ("openssl", "OpenSSL 1.1.1w  11 Sep 2023\n", "1.1.1w"),
    ("nsis", "v3.08\n", "3.08"),
    ("dpkg", "Debian 'dpkg-deb' package archive backend version 1.21.22 (amd64).\n", "1.21.22"),
    ("psql", "psql (PostgreSQL) 15.9 (Debian 15.9-0+deb12u1)\n", "15.9"),
    ("mysql", "mysql  Ver 15.1 Distrib 10.11.6-MariaDB, for debian-linux-gnu (x86_64)\n", "15.1"),
    ("sqlite", "3.40.1 2022-12-28 14:03:47 df5c253c0b3dd24916e4ec7cf77d3db5294cc9fd\n", "3.40.1"),
    ("rsync", "rsync  version 3.2.7  protocol version 31\n", "3.2.7"),
    ("graphviz", "dot - graphviz version 2.43.0 (0)\n", "2.43.0"),
    ("latex", "pdfTeX 3.141592653-2.6-1.40.24 (TeX Live 2022/Debian)\n", "3.141592653-2.6-1.40.24"),
    ("openssh", "OpenSSH_9.2p1 Debian-2+deb12u3, OpenSSL 3.0.15 3 Sep 2024\n", "9.2p1"),
    ("openocd", "Open On-Chip Debugger 0.12.0\nLicensed under GNU GPL v2\n", "0.12.0"),
]


def test_there_are_seventy_tools_and_more_of_every_kind():
    assert len(TOOLS) >= 70
    assert len({tool.kind for tool in TOOLS.values()}) == 12
    words = [word for tool in TOOLS.values() for word in (tool.name, *tool.aliases)]
    assert len(words) == len(set(words)), "a word means one tool"


@pytest.mark.parametrize(("name", "printed", "version"), PRINTED, ids=[f"{n}-{v}" for n, _, v in PRINTED])
def test_what_a_real_tool_prints_is_read(name, printed, version):
    assert first_match(readings(TOOLS[name].reads), printed).get("version") == version


@pytest.mark.parametrize(
    ("text", "line", "taken"),
    [
        ("Tide {version}", "  Tide \t 1.2 ", {"version": "1.2"}),
        ("Tide {version}", "Tide 1.2 beta", None),
        ("Tide {version} *", "Tide 1.2 beta", {"version": "1.2"}),
        ("*v{version}, build {build}", "x v9 v1.2, build 15C500b", {"version": "1.2", "build": "15C500b"}),
        ("home: {home}", "home: /opt/with space/x ", {"home": "/opt/with space/x"}),
        ("(.*) {version}", "(.*) 3", {"version": "3"}),
        ("(.*) {version}", "(abc) 3", None),
    ],
)
def test_a_reading_stands_for_a_whole_line(text, line, taken):
    assert Reading(text).match(line) == taken


@pytest.mark.parametrize(
    ("text", "column", "why"),
    [
        ("Tide {versoin}", 6, "unknown placeholder {versoin}"),
        ("Tide {version", 6, "stands alone"),
        ("{version} {version}", 11, "twice"),
        ("{version}-{build}", 10, "could be part of the version"),
        ("{path}{version}", 7, "nothing parts"),
        ("{path} {home}", 8, "not both"),
        ("**", 1, "reads nothing"),
        ("x" * 201, 201, "at most 200"),
    ],
)
def test_a_wrong_reading_says_where_and_why(text, column, why):
    with pytest.raises(BadReading) as caught:
        Reading(text)
    assert caught.value.column == column
    assert why in str(caught.value)


@given(st.lists(st.sampled_from(["a", "*", " ", "(", "*a", "a*a", "{version}x"]), min_size=1, max_size=40))
def test_no_reading_can_backtrack_for_ever(pieces):
    """A pattern that tried again would take longer than the age of the universe for some of these lines."""
    try:
        reading = Reading("".join(pieces))
    except BadReading:
        return
    for line in ("a" * MAX_LINE_LENGTH, "a " * (MAX_LINE_LENGTH // 2), "1" * MAX_LINE_LENGTH + "("):
        reading.match(line)


GOOD = """
name: tide-sdk
title: Tide SDK
kind: other
commands: [tide]
reads: ["tide {version}"]
linux: {folders: [/opt/tide*/bin]}
"""


def test_a_file_gives_a_tool():
    tool = read_tool(GOOD)
    assert (tool.name, tool.ask, tool.scheme) == ("tide-sdk", ["--version"], "generic")


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (("name: tide-sdk", "name: Tide SDK"), "`.name`"),
        (("kind: other", "kind: gadget"), "`.kind`"),
        (("commands: [tide]", "commands: [../tide]"), "without a folder"),
        (("commands: [tide]", "commands: []"), "`.commands`"),
        (("tide {version}", "tide {verion}"), "reads, line 1: column 6"),
        (("tide {version}", "tide"), "takes a {version}"),
        (("/opt/tide*/bin", "opt/tide"), "not an absolute path"),
        (("linux: {", "amiga: {"), "amiga"),
        (("linux: {folders: [/opt/tide*/bin]}", ""), "on no system"),
        (("title: Tide SDK", "seconds: 1000"), "`.seconds`"),
        (("title: Tide SDK", "title: [" * 5000), "not valid YAML"),
        (("title: Tide SDK", "title: &a [x, *a]"), "no anchors"),
        (("title: Tide SDK", "title: x\nlocale: 'C; rm -rf'"), "`.locale`"),
        (("title: Tide SDK", "title: x\naliases: [tide-sdk]"), "its own name"),
    ],
)
def test_a_wrong_file_says_what_is_wrong(change, why):
    assert change[0] in GOOD
    with pytest.raises(BadTool) as caught:
        read_tool(GOOD.replace(*change))
    assert why in str(caught.value)


def test_a_file_that_is_too_large_or_no_yaml_is_refused():
    for text in ("x" * 70_000, "\x00", "just words", "- a\n- b"):
        with pytest.raises(BadTool):
            read_tool(text)


def test_adding_a_tool_is_one_file():
    folder = Path(__file__).parents[1] / "paddock_agent" / "catalogue" / "tools"
    assert {file.stem for file in folder.glob("*.yaml")} == set(TOOLS)
