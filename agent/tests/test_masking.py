"""Secrets are covered in the ways in which programs write them down, however the stream is cut and wrapped."""

from __future__ import annotations

import base64
import html
import itertools
import json
import quopri
import re
import shlex
import shutil
import subprocess
import textwrap
from urllib.parse import quote, urlencode

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_agent.masking import COVER, SHORTEST, Masker

ODD = "eel'gr\"ass & <42>/ $x\\y+%"
LINES = (
    "-----BEGIN KEY-----\nMIIEowIBAAKCAQEAtideGaugeChartDepot\nlowWaterMarkOfTheHarbourIsHere==\n-----END KEY-----\n"
)
LONG = "low-water-mark-of-the-tide-gauge-" * 6


def covered(secret, text):
    return Masker([secret]).cover(text)


def pieces_left(secret, output, length=12):
    """Parts of what stood there that are still to be read."""
    return [secret[at : at + length] for at in range(len(secret) - length + 1) if secret[at : at + length] in output]


@pytest.mark.parametrize(
    "write",
    [
        str,
        lambda text: quote(text, safe=""),
        lambda text: urlencode({"token": text}),
        lambda text: quote(quote(text, safe=""), safe=""),
        html.escape,
        lambda text: html.escape(text, quote=False),
        lambda text: html.escape(text).replace("&#x27;", "&#39;"),
        json.dumps,
        lambda text: json.dumps(json.dumps(text)),
        lambda text: json.dumps(json.dumps(json.dumps(text))),
        lambda text: json.dumps(text).replace("/", "\\/"),
        lambda text: html.escape(text).replace("&#x27;", "&apos;").replace("&gt;", ">"),
        lambda text: re.sub(r"[^\w]", lambda found: f"&#{ord(found.group())};", text),
        lambda text: re.sub(r"[^\w]", lambda found: f"&#x{ord(found.group()):x};", text),
        lambda text: quopri.encodestring(text.encode()).decode(),
        lambda text: text.replace('"', '""'),
        repr,
        lambda text: repr(text.encode()),
        shlex.quote,
        lambda text: text.replace("'", "''"),
        lambda text: text.encode().hex(),
        lambda text: base64.b64encode(text.encode()).decode(),
        lambda text: base64.b64encode(f"robin:{text}".encode()).decode(),
    ],
)
@pytest.mark.parametrize("secret", [ODD, "naïve-tide-gauge-ß", "plain-low-water-mark"])
def test_a_secret_is_covered_as_programs_write_it(write, secret):
    output = covered(secret, f"before {write(secret)} after")
    assert COVER.decode() in output
    assert pieces_left(write(secret), output) == []


@pytest.mark.parametrize("width", [16, 60, 64, 76])
@pytest.mark.parametrize("secret", [LONG, LINES])
@pytest.mark.parametrize("end", ["\n", "\r\n", "\n    "])
@pytest.mark.parametrize("before", ["", "x", "robin:", "-----------"])
def test_base64_that_is_wrapped_to_lines_is_covered(width, secret, end, before):
    digits = base64.b64encode((before + secret).encode()).decode()
    wrapped = end.join(textwrap.wrap(digits, width))
    output = covered(secret, f"key:{end}{wrapped}{end}done{end}")
    unwrapped = "".join(output.split())
    assert pieces_left(digits[len(before) * 4 // 3 + 4 : -4], unwrapped) == []
    assert output.count("\n") == f"key:{end}{wrapped}{end}done{end}".count("\n"), "lines are as many as they were"


def test_a_secret_of_several_lines_is_covered_as_a_whole_line_by_line_and_on_one_line():
    for text in (LINES, LINES.replace("\n", ""), LINES.replace("\n", "\r\n"), json.dumps(LINES)):
        assert "MIIEow" not in covered(LINES, text)
        assert "lowWater" not in covered(LINES, text)
    assert "MIIEow" not in covered(LINES, "> MIIEowIBAAKCAQEAtideGaugeChartDepot <")


def test_a_plain_secret_that_a_terminal_folded_is_covered():
    assert covered("low-water-mark", "it is low-wat\ner-mark\n") == "it is [secret]\n\n"
    assert covered("low water mark", "it is low\n water mark") == "it is [secret]\n", "folded at a blank"
    assert covered("low-water-mark", "low-wat\n\ner-mark") == "low-wat\n\ner-mark", "an empty line is not a fold"


@pytest.mark.skipif(not shutil.which("bash"), reason="bash is not here")
@pytest.mark.parametrize(
    "secret",
    [
        ODD,
        "naïve-tide's-gauge-ß",
        "tab\there and more",
        "line one\nline two",
        "plain-low-water-mark",
        "dollar$and`tick",
    ],
)
def test_what_a_shell_traces_is_covered(secret):
    script = 'set -x; echo "$S" >/dev/null; printf "%q\\n" "$S"; export S; declare -p S; set | grep ^S='
    done = subprocess.run(["bash", "-c", script], env={"S": secret, "PATH": "/usr/bin:/bin"}, capture_output=True)
    printed = (done.stderr + done.stdout).decode()
    output = covered(secret, printed)
    longest = max(secret.splitlines(), key=len)
    assert output.count("[secret]") >= 3, printed
    assert longest not in output
    assert pieces_left(longest.replace("'", "").replace('"', ""), output, 10) == []


@pytest.mark.skipif(not shutil.which("base64"), reason="base64 is not here")
@pytest.mark.parametrize("secret", [LONG, LINES, ODD * 5])
def test_what_the_program_base64_prints_is_covered(secret):
    done = subprocess.run(["base64"], input=secret.encode(), capture_output=True, check=True)
    digits = done.stdout.decode().replace("\n", "")
    output = covered(secret, done.stdout.decode())
    assert pieces_left(digits[:-4], output.replace("\n", "")) == []


@given(
    st.lists(st.integers(0, 700), max_size=10), st.sampled_from([16, 64, 76]), st.sampled_from(["\n", "\r\n", "\n\t  "])
)
def test_it_does_not_matter_how_the_stream_is_cut(cuts, width, end):
    digits = base64.b64encode(LONG.encode()).decode()
    stream = ("say\n" + end.join(textwrap.wrap(digits, width)) + "\n" + LONG + "\nend\n").encode()
    edges = sorted({0, len(stream), *(min(cut, len(stream)) for cut in cuts)})
    masker = Masker([LONG])
    output = b"".join(masker.write(stream[a:b]) for a, b in itertools.pairwise(edges)) + masker.end()
    assert output == Masker([LONG]).cover(stream.decode()).encode()


@given(st.text("low-waterk\n\r ", max_size=60), st.lists(st.integers(0, 60), max_size=5))
def test_what_is_told_is_what_was_written_but_for_secrets(text, cuts):
    stream = text.encode()
    edges = sorted({0, len(stream), *(min(cut, len(stream)) for cut in cuts)})
    masker = Masker(["low-water"])
    output = b"".join(masker.write(stream[a:b]) for a, b in itertools.pairwise(edges)) + masker.end()
    if COVER not in output:
        assert output == stream
    assert b"low-water" not in output


def test_little_is_held_back_and_nothing_after_an_empty_line():
    masker = Masker(["low-water-mark"])
    assert masker.write(b"x low") == b"x "
    assert masker.write(b"\n\n") == b"low\n\n"
    assert masker.write(b"\n" * 1000) == b"\n" * 1000
    assert masker.end() == b""


def test_what_is_too_short_covers_nothing():
    short = "x" * (SHORTEST - 1)
    assert covered(short, short * 3) == short * 3


def test_backwards_is_out_of_reach():
    assert covered("low-water-mark", "kram-retaw-wol") == "kram-retaw-wol"
