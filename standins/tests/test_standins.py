"""The stand-in hosts: they answer like the real commands, and the agent's own code works on them."""

from pathlib import Path

import pytest
from offers import able, recording, script_offer
from waiting import soon

from paddock_agent import wire
from paddock_agent.attempts import Attempts
from paddock_agent.catalogue import built_in
from paddock_agent.errors import CommandFailed
from paddock_agent.facts import gather_facts
from paddock_agent.survey import survey, watched_folders
from paddock_standins.answer import Answer
from paddock_standins.description import Description, all_hosts
from paddock_standins.simulated import SimulatedSystem

HOSTS = {one.name: one for one in all_hosts() if not one.is_bare}

FOUND = {
    "bramley-01": ("macos", "13.6.7", "x64", {"jdk 11.0.23", "cmake 3.27.9", "make 3.81"}),
    "curlew-01": ("linux", "11", "x64", {"jdk 11.0.25", "maven 3.6.3", "gcc 10.2.1", "node 18.20.4", "python 3.9.2"}),
    "curlew-02": ("linux", "22.04", "arm64", {"gcc 11.4.0", "gcc 13.2.0", "cargo 1.75.0"}),
    "dinghy-01": ("windows", "10.0.22631.3447", "arm64", {"git 2.41.0.windows.3", "cmake 3.26.4", "gcc 13.1.0"}),
    "ketch-01": ("windows", "10.0.20348.2461", "x64", {"jdk 17.0.9", "jdk 21.0.5", "maven 3.9.6", "npm 10.5.0"}),
    "russet-01": ("macos", "14.5", "arm64", {"jdk 17.0.11", "jdk 21.0.3", "python 3.9.6", "python 3.12.3"}),
    "sloop-01": ("windows", "10.0.20348.2461", "x64", {"git 2.45.1.windows.1"}),
    "dunlin-01": ("linux", "12", "x64", {"git 2.39.5", "make 4.3"}),
    "dunlin-02": ("linux", "12", "x64", {"git 2.39.5", "make 4.3"}),
    "pippin-01": ("macos", "14.5", "arm64", {"git 2.39.3"}),
    "skiff-01": ("windows", "10.0.20348.2461", "x64", {"git 2.45.1.windows.1"}),
    "skiff-02": ("windows", "10.0.20348.2461", "x64", {"git 2.45.1.windows.1"}),
}


def test_there_are_twelve_or_more_hosts_of_each_system_in_four_paddocks():
    families = [one.family for one in all_hosts()]
    assert all(families.count(family) >= 12 for family in ("windows", "macos", "linux"))
    assert {one.paddock for one in all_hosts()} == {"shoreline", "workshop", "orchard", "annex"}
    assert set(FOUND) < set(HOSTS)


BROKEN = {
    "plover-02": [("jdk", "ended with exit code 1: java: error while loading shared libraries")],
    "godwit-02": [("cmake", "leads in a circle")],
    "laxton-02": [("ninja", "did not answer within")],
    "dinghy-04": [("jdk", "the registry names it (JavaHome of HKLM")],
}
NEWER = sorted(set(HOSTS) - set(FOUND) - {"russet-02", "bramley-02", "dinghy-02", "ketch-02"})


@pytest.mark.parametrize("name", NEWER)
async def test_a_host_has_what_its_file_lists_and_what_is_broken_there_is_found_broken(name):
    result = await survey(SimulatedSystem(HOSTS[name]), built_in(), patience=0.05)
    assert len(result.installations) >= 10
    wanted = BROKEN.get(name, [])
    assert len(result.broken) == len(wanted)
    for broken, (tool, why) in zip(result.broken, wanted, strict=True):
        assert broken.tool == tool
        assert why in broken.why


async def test_a_tool_beside_the_path_is_found_and_is_not_what_a_plain_command_gets():
    result = await survey(SimulatedSystem(HOSTS["knot-01"]), built_in())
    maven = {one.version: one.plain for one in result.installations if one.tool == "maven"}
    assert maven == {"3.9.9": False}


async def test_a_compiler_that_speaks_german_on_the_error_stream_is_read():
    result = await survey(SimulatedSystem(HOSTS["ketch-03"]), built_in())
    (one,) = [one for one in result.installations if one.tool == "msvc"]
    assert (one.version, one.exit_code) == ("19.41.34123", 2)
    assert "Optimierungscompiler" in one.output


async def test_what_is_installed_or_removed_in_a_terminal_changes_folders_and_is_found():
    system = SimulatedSystem(HOSTS["knot-02"])
    folders = watched_folders(system, built_in())
    before = {folder: system.changed_at(folder) for folder in folders}
    system.install("jdk 21.0.5 in /opt/jdk-21/bin")
    assert {folder for folder in folders if system.changed_at(folder) != before[folder]} == {"/opt"}
    found = await survey(system, built_in())
    assert "21.0.5" in {one.version for one in found.installations if one.tool == "jdk"}
    assert system.remove("/opt/jdk-21") == 2
    with pytest.raises(ValueError, match="should be as: jdk"):
        system.install("jdk in /opt")


@pytest.mark.parametrize("name", FOUND)
async def test_the_agent_learns_what_a_stand_in_is_and_has(name):
    os, version, arch, tools = FOUND[name]
    system = SimulatedSystem(HOSTS[name])
    facts = await gather_facts(system, HOSTS[name].work_folder)
    assert (facts.os, facts.os_version, facts.arch) == (os, version, arch)
    result = await survey(system, built_in())
    assert tools <= {f"{one.tool} {one.version}" for one in result.installations}
    homes = {one.tool: one.home for one in result.installations}
    assert all(homes.values())


async def test_clang_under_the_name_of_gcc_is_no_gcc_and_a_java_that_fails_is_broken():
    on_mac = await survey(SimulatedSystem(HOSTS["russet-01"]), built_in())
    assert "gcc" not in {one.tool for one in on_mac.installations}
    on_windows = await survey(SimulatedSystem(HOSTS["dinghy-01"]), built_in())
    assert [one.tool for one in on_windows.broken] == ["jdk"]


class Sent(list):
    def of(self, kind):
        return [one for one in self if isinstance(one, kind)]


async def ran(host: str, script: str, home: Path, **more):
    sent = Sent()
    attempts = Attempts(
        SimulatedSystem(HOSTS[host]), HOSTS[host].work_folder, home, *recording(sent), lambda _: [], able
    )
    attempts.accept(script_offer(script, "7-1", job=7, pipeline="p", **more))
    await soon(lambda: sent.of(wire.AttemptEnded))
    return sent.of(wire.AttemptEnded)[0], b"".join(one.data for one in sent.of(wire.LogChunk)).decode(), sent


@pytest.mark.parametrize(
    ("host", "script", "code", "log"),
    [
        ("russet-01", "# a comment\n\nhostname; \npwd", 127, "line 3: hostname;: command not found\n"),
        ("russet-01", "whoami\npwd\necho $PADDOCK_PIPELINE", 0, "build\n/Users/build/paddock/work/fresh/7-1\np\n"),
        ("ketch-01", "cd\necho %PADDOCK_JOB% $env:PADDOCK_JOB", 0, "C:\\Paddock\\work\\fresh\\7-1\n7 7\n"),
        ("russet-01", "echo one\nsleep 0.01\necho two", 0, "one\ntwo\n"),
        ("russet-01", "git --version\nexit 3\necho not reached", 3, "git version 2.39.3 (Apple Git-146)\n"),
        ("russet-01", "mvnw\necho not reached", 127, "line 1: mvnw: command not found\n"),
        ("russet-01", "git frobnicate", 1, "git: the stand-in has no answer to: frobnicate\n"),
        ("curlew-01", "echo 'one", 2, "line 1: No closing quotation\n"),
    ],
)
async def test_scripts_run_through_the_stand_ins_small_shell(host, script, code, log, tmp_path):
    ended, printed, _ = await ran(host, script, tmp_path)
    assert (ended.exit_code, printed) == (code, log)


async def test_a_script_on_a_stand_in_can_be_timed_out(tmp_path):
    ended, _, _ = await ran("russet-01", "sleep 600", tmp_path, time_limit=1)
    assert (ended.outcome, ended.exit_code) == ("timed out", None)


async def test_an_unknown_shell_says_which_there_are(tmp_path):
    ended, _, _ = await ran("ketch-01", "dir", tmp_path, shell="bash")
    assert "powershell and cmd" in ended.why


async def test_a_command_that_hangs_and_one_that_is_missing():
    host = Description(
        name="knot-01", paddock="annex", family="linux", account="build", cores=1, memory=1, disk_total=1, disk_free=1,
        work_folder="/work", environment={"PATH": "/usr/bin"},
        commands={"/usr/bin/git": {"--version": Answer(seconds=900)}},
        links={"/a/git": "/b/git", "/b/git": "/a/git"},
    )  # fmt: skip
    system = SimulatedSystem(host)
    with pytest.raises(CommandFailed, match="did not answer within"):
        await system.run(["git", "--version"], 0.05)
    for missing in ("/usr/bin/hg", "/a/git"):
        with pytest.raises(CommandFailed, match="could not be started"):
            await system.run([missing, "--version"], 1)
