"""Names of scenes hold anything: brackets are no markup, control characters do not reach a terminal, no encoding fails."""

from __future__ import annotations

import io
import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console

from durvan.cli.printing import able, told
from durvan.files.paths import shown
from making import write

ODD = [
    "[/x]",
    "[bold]",
    "[link=file:///x]y",
    "a\\[b]",
    "back\\",
    "[red]\\",
    "\x1b[31mred",
    "a\nb\r\tc",
    "\x00\x07",
    "ünï 灯",
    "\udcff",
]


@pytest.mark.parametrize("name", ODD)
def test_a_name_is_printed_as_it_is_called(name: str) -> None:
    stream = io.StringIO()
    Console(file=stream, highlight=False, soft_wrap=True).print(f"[bold]{told(name)}[/]: {told(name)}")
    assert stream.getvalue() == f"{shown(name)}: {shown(name)}\n"
    assert all(sign.isprintable() for sign in stream.getvalue()[:-1])


@given(st.text(st.characters(), max_size=40))
def test_any_text_is_printed_as_it_is(text: str) -> None:
    stream = io.StringIO()
    Console(file=stream, highlight=False, soft_wrap=True, emoji=False).print(told(text))
    assert stream.getvalue() == shown(text) + "\n"


def test_a_stream_of_another_encoding_takes_everything() -> None:
    raw = io.BytesIO()
    stream = io.TextIOWrapper(raw, encoding="latin-1")
    able(stream)
    stream.write("ü 灯")
    stream.flush()
    assert raw.getvalue() == b"\xfc \\u706f"


SCENE = """#usda 1.0
def Xform "W"
{
    def Material "Paint"
    {
        token outputs:orvik:surface.connect = </W/Paint/f.outputs:out>
        def Shader "f"
        {
            uniform token info:id = "orvik.finish[/x]"
            token outputs:out
        }
    }
    def Material "Ünï"
    {
        token outputs:orvik:surface.connect = </W/Ünï/f.outputs:out>
        def Shader "f"
        {
            uniform token info:id = "orvik.[bold]\x1b[31m"
            token outputs:out
        }
    }
}
"""


@pytest.mark.parametrize(
    ("command", "status", "said"),
    [
        ("survey", 1, b"orvik.finish[/x]"),
        ("files", 0, b"Nothing is open about files"),
        ("carry", 1, b"read back as meant"),
    ],
)
@pytest.mark.parametrize("locale", ["C.UTF-8", "POSIX", "latin"])
def test_commands_take_odd_names_in_every_locale(
    tmp_path: Path, command: str, status: int, said: bytes, locale: str
) -> None:
    file = write(tmp_path, SCENE)
    more = ["--to", "pellune", "--out", str(tmp_path / "out.usda")] if command == "carry" else ["--to", "pellune"]
    env = {
        **os.environ,
        "LC_ALL": "POSIX" if locale != "C.UTF-8" else locale,
        "PYTHONCOERCECLOCALE": "0",
        "PYTHONUTF8": "0",
    }
    if locale == "latin":
        env["PYTHONIOENCODING"] = "latin-1"
    done = subprocess.run(
        [sys.executable, "-c", "from durvan.cli.main import run; run()", command, str(file), *more], env=env,
        capture_output=True, check=False,
    )  # fmt: skip
    assert done.returncode == status and b"Traceback" not in done.stderr, done.stderr[-1500:].decode(errors="replace")
    assert said in done.stdout and b"\x1b[31m" not in done.stdout + done.stderr
