"""What the end of a failed script means."""

import pytest

from paddock_core.runs.failure import StepEnd, explain_failure

COMMANDS = {"mvn": "maven", "cmake": "cmake", "node": "node", "python3": "python", "cl": "msvc"}
GIB = 2**30


def explained(code, *lines, signal="", named=(), memory=0, host_memory=0):
    return explain_failure(StepEnd(code, signal, memory, host_memory), lines, COMMANDS, named)


@pytest.mark.parametrize(
    ("code", "line", "name"),
    [
        (127, "/tmp/step.sh: line 3: mvn: command not found", "mvn on line 3"),
        (127, "step.sh: 4: mvn: not found", "mvn on line 4"),
        (127, "/bin/sh: mvn: not found", "mvn"),
        (127, "sh: 4: mvn: not found", "mvn on line 4"),
        (127, "zsh: command not found: mvn", "mvn"),
        (127, "step.sh:2: command not found: mvn", "mvn on line 2"),
        (1, "'mvn' is not recognized as an internal or external command,", "mvn"),
        (9009, "'mvn' is not recognized as an internal or external command,", "mvn"),
        (1, "mvn : The term 'mvn' is not recognized as the name of a cmdlet, function, script file", "mvn"),
        (2, "make: mvn: No such file or directory", "mvn"),
        (2, "make[2]: mvn: No such file or directory", "mvn"),
        (1, "FileNotFoundError: [Errno 2] No such file or directory: 'mvn'", "mvn"),
        (127, "/usr/bin/env: \u2018mvn\u2019: No such file or directory", "mvn"),
        (127, "env: mvn: No such file or directory", "mvn"),
    ],
)
def test_a_command_that_is_not_found_names_the_term_to_add(code, line, name):
    failure = explained(code, "building", line, "")
    assert failure.sentence == f"The script calls {name}, which is not on this host's PATH."
    assert (failure.tool, "`tool maven`" in failure.cure, failure.evidence) == ("maven", True, line)


def test_a_tool_that_a_term_names_already_is_somewhere_else():
    failure = explained(127, "bash: line 1: mvn: command not found", named={"maven"})
    assert (failure.tool, "not on the PATH" in failure.cure) == ("", True)


def test_a_command_that_no_tool_knows_may_be_misspelt():
    failure = explained(127, "bash: line 1: mkae: command not found")
    assert (failure.tool, failure.cure) == ("", "Check how it is spelt, or install it on the host.")


@pytest.mark.parametrize(
    ("code", "lines", "more", "says"),
    [
        (127, [], {}, "calls a command that is not on this host's PATH"),
        (127, ["bash: line 2: ./build/run: No such file or directory"], {}, "which does not exist"),
        (126, ["bash: line 2: ./build.sh: Permission denied"], {}, "./build.sh is not executable"),
        (126, ["bash: line 2: ./out: Is a directory"], {}, "./out is a folder"),
        (126, ["bash: ./tool: cannot execute binary file: Exec format error"], {}, "another system or processor"),
        (126, [], {}, "a file that is not executable"),
        (126, ["bash: ./x.sh: /bin/bash^M: bad interpreter: No such file or directory"], {}, "Windows line ends"),
        (126, ["bash: ./x.py: /usr/bin/python9: bad interpreter: No such file"], {}, "interpreter /usr/bin/python9"),
        (137, [], {}, "was killed (SIGKILL)"),
        (137, ["Killed"], {}, "It ran out of memory."),
        (137, [], {"memory": 15 * GIB, "host_memory": 16 * GIB}, "used 15 GiB of the 16 GiB"),
        (137, [], {"memory": 2 * GIB, "host_memory": 16 * GIB}, "was killed (SIGKILL)"),
        (1, ['Exception in thread "main" java.lang.OutOfMemoryError: Java heap space'], {}, "It ran out of memory."),
        (134, ["FATAL ERROR: Reached heap limit: JavaScript heap out of memory"], {}, "It ran out of memory."),
        (1, ["c++: fatal error: Killed signal terminated program cc1plus"], {}, "It ran out of memory."),
        (
            100,
            ["E: Could not open lock file /var/lib/dpkg/lock - open (13: Permission denied)"],
            {},
            "root or administrator rights",
        ),
        (100, ["error: requested operation requires superuser privilege"], {}, "root or administrator"),
        (1, ["sudo: a password is required"], {}, "root or administrator"),
        (
            1,
            ["ines is not in the sudoers file.", "sudo: ines may not run sudo on avocet-01."],
            {},
            "root or administrator rights",
        ),
        (1, ["cp: error writing 'x': No space left on device"], {}, "The disk was full."),
        (139, [], {}, "segmentation fault"),
        (-11, [], {"signal": "SIGSEGV"}, "segmentation fault"),
        (143, [], {}, "terminated (SIGTERM), but not by this server"),
        (132, [], {}, "an instruction that this processor lacks"),
        (-1073741819, [], {}, "access violation"),
        (3221225781, [], {}, "a library (DLL)"),
    ],
)
def test_an_end_that_has_a_meaning_is_told(code, lines, more, says):
    assert says in explained(code, "compiling", *lines, **more).sentence


@pytest.mark.parametrize(
    ("code", "lines"),
    [
        (1, ["3 tests failed"]),
        (2, ["make: *** [Makefile:4: all] Error 1"]),
        (1, ["cat: notes.txt: No such file or directory"]),
        (1, ["grep: x: Permission denied"]),
        (0, ["bash: mvn: command not found"]),
        (None, []),
    ],
)
def test_what_is_the_scripts_own_business_is_left_to_its_log(code, lines):
    assert explained(code, *lines) is None


def test_only_the_end_of_a_log_counts_and_long_lines_cost_nothing():
    early = ["bash: line 1: mvn: command not found"] + ["fine"] * 300
    assert explained(1, *early) is None
    assert explained(1, "x: " * 1_000_000) is None
