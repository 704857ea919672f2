"""The tools that the survey looks for, as data: how each is found, asked, and read.

Places are looked at in this order: each folder of ``PATH``, the homes named by environment variables, then the known
folders of the system. ``*`` stands for part of a name.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from re import Pattern


@dataclass(frozen=True)
class Tool:
    """One tool.

    ``commands`` are patterns of file names, of which those without ``[`` are what people type; ``ask`` are the
    arguments that make it say its version; ``version`` finds it in what was printed (group 1), on either stream.
    ``says_path`` and ``says_home`` find what the tool itself says of its place, where it does; ``beside`` must lie in
    the same folder for the tool to be whole (a JDK has a compiler). ``home_variables`` name its home in the
    environment, and in a job that is bound to it; ``folders`` are known places for each system.
    """

    name: str
    commands: tuple[str, ...]
    ask: tuple[str, ...]
    version: Pattern[str]
    says_path: Pattern[str] | None = None
    says_home: Pattern[str] | None = None
    beside: str | None = None
    home_variables: tuple[str, ...] = ()
    folders: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def _tool(name: str, commands: str, ask: str, version: str, **rest: object) -> Tool:
    return Tool(name, tuple(commands.split()), tuple(ask.split()), re.compile(version, re.MULTILINE), **rest)  # type: ignore[arg-type]


_PYTHON_ANSWER = (
    "import sys;p=getattr(sys,'_base_executable',None) or sys.executable;"
    "print('Python '+sys.version.split()[0]);print('path='+p);print('home='+getattr(sys,'base_prefix',sys.prefix))"
)

TOOLS: tuple[Tool, ...] = (
    _tool(
        "git",
        "git",
        "--version",
        r"^git version (\d[\w.]*)",
        folders={"windows": (r"C:\Program Files\Git\cmd",)},
    ),
    Tool(
        "python",
        ("python3", "python3.[0-9]", "python3.[0-9][0-9]", "python"),
        ("-E", "-s", "-c", _PYTHON_ANSWER),
        re.compile(r"^Python (\d[\w.+]*)", re.MULTILINE),
        says_path=re.compile(r"^path=(.+)$", re.MULTILINE),
        says_home=re.compile(r"^home=(.+)$", re.MULTILINE),
        folders={
            "linux": ("~/.pyenv/versions/*/bin", "/opt/python*/bin", "/usr/local/bin"),
            "macos": ("/opt/homebrew/bin", "/Library/Frameworks/Python.framework/Versions/*/bin"),
            "windows": (r"C:\Python*", r"C:\Tools\python*", r"C:\Program Files\Python*"),
        },
    ),
    _tool(
        "node",
        "node",
        "--version",
        r"^v(\d+\.\d+\.\d+\S*)",
        folders={
            "linux": ("/opt/node*/bin", "~/.nvm/versions/node/*/bin"),
            "macos": ("/opt/homebrew/bin", "/opt/homebrew/opt/node@*/bin"),
            "windows": (r"C:\Program Files\nodejs", r"C:\Tools\node*"),
        },
    ),
    _tool(
        "npm",
        "npm",
        "--version",
        r"^(\d+\.\d+\.\d+\S*)$",
        folders={
            "linux": ("/opt/node*/bin",),
            "macos": ("/opt/homebrew/bin",),
            "windows": (r"C:\Program Files\nodejs", r"C:\Tools\node*"),
        },
    ),
    _tool(
        "jdk",
        "java",
        "-XshowSettings:properties -version",
        r'^(?:openjdk|java) version "([^"]+)"',
        says_home=re.compile(r"^\s*java\.home = (.+?)\s*$", re.MULTILINE),
        beside="javac",
        home_variables=("JAVA_HOME",),
        folders={
            "linux": ("/usr/lib/jvm/*/bin", "/opt/jdk*/bin", "/opt/java/*/bin", "~/.sdkman/candidates/java/*/bin"),
            "macos": ("/Library/Java/JavaVirtualMachines/*/Contents/Home/bin",),
            "windows": (r"C:\Tools\jdk*\bin", r"C:\Program Files\Java\*\bin"),
        },
    ),
    _tool(
        "maven",
        "mvn",
        "--version",
        r"^Apache Maven (\d\S*)",
        says_home=re.compile(r"^Maven home: (.+?)\s*$", re.MULTILINE),
        home_variables=("M2_HOME", "MAVEN_HOME"),
        folders={
            "linux": ("/opt/*maven*/bin", "/usr/share/maven/bin"),
            "macos": ("/opt/homebrew/bin", "/opt/*maven*/bin"),
            "windows": (r"C:\Tools\*maven*\bin",),
        },
    ),
    _tool(
        "gcc",
        "gcc gcc-[0-9] gcc-[0-9][0-9]",
        "--version",
        r"^\S*gcc\S* \(.*\) (\d+\.\d+\.\d+)",
        folders={"linux": ("/opt/gcc*/bin",), "windows": (r"C:\Tools\mingw*\bin",)},
    ),
    _tool(
        "cmake",
        "cmake",
        "--version",
        r"^cmake version (\d\S*)",
        folders={
            "linux": ("/opt/cmake*/bin",),
            "macos": ("/opt/homebrew/bin", "/Applications/CMake.app/Contents/bin"),
            "windows": (r"C:\Program Files\CMake\bin", r"C:\Tools\cmake*\bin"),
        },
    ),
    _tool("make", "make gmake", "--version", r"^GNU Make (\d\S*)"),
    _tool(
        "cargo",
        "cargo",
        "--version",
        r"^cargo (\d\S*)",
        folders={
            "linux": ("~/.cargo/bin",),
            "macos": ("~/.cargo/bin",),
            "windows": (r"~\.cargo\bin",),
        },
    ),
    _tool(
        "perl",
        "perl",
        "-v",
        r"^This is perl .*\(v(\d[\d.]*)\)",
        folders={"windows": (r"C:\Strawberry\perl\bin",)},
    ),
)

HOME_VARIABLES: dict[str, tuple[str, ...]] = {tool.name: tool.home_variables for tool in TOOLS}
