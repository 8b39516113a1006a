"""Help and manual: every command has both, and every example in them does what it says."""

from __future__ import annotations

import io
import os
import shlex
import shutil
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pytest

from tests.harbours import DebHarbour
from velpin.demo.build import build
from velpin.demo.serve import served
from velpin.front.cli import _CHANGES, _COMMANDS
from velpin.front.running import run
from velpin.front.topics_command import TOPICS, text_of
from velpin.front.usage import USAGE

HOME = Path(__file__).parents[1]
EXAMPLES = [
    (command, example) for command, usage in USAGE.items() for example in usage.examples
    if command not in ("demo",)
]  # fmt: skip


def test_every_command_has_a_paragraph_and_two_examples() -> None:
    assert set(USAGE) == set(_COMMANDS)
    for command, usage in USAGE.items():
        assert len(usage.examples) >= 2, command
        assert all(example.words.split()[0] == command for example in usage.examples)
        assert usage.details.endswith(".")


@pytest.mark.parametrize("command", sorted(_COMMANDS))
def test_help_shows_the_examples(harbour: DebHarbour, command: str) -> None:
    said = harbour.run(command, "--help")
    assert said.code == 0
    for example in USAGE[command].examples:
        assert f"velpin {example.words}" in said.out
        assert f"      {example.why}\n" in said.out
    if command in TOPICS:
        return
    in_help = harbour.run("help", command).out
    assert in_help.partition("\n")[2] == said.out.partition("\n")[2]


def test_the_list_of_commands_cuts_no_sentence(harbour: DebHarbour) -> None:
    assert "...\n" not in harbour.run("--help").out.replace("[ARGS]...\n", "")


def test_topics(harbour: DebHarbour) -> None:
    listed = harbour.run("help").out
    for topic in TOPICS:
        told = harbour.run("help", topic)
        assert told.out.strip() == text_of(topic).strip()
        assert f"velpin help {topic}" in listed
        assert max(map(len, text_of(topic).splitlines())) <= 80
    assert harbour.run("help", "weather").code == 2


def test_the_pages_are_those_of_the_commands() -> None:
    done = subprocess.run([sys.executable, "tools/manual.py", "--check"], cwd=HOME, check=False)
    assert done.returncode == 0, "python tools/manual.py writes them anew"


def test_readers_of_manuals_complain_of_nothing() -> None:
    if not shutil.which("mandoc"):
        pytest.skip("there is no mandoc on this machine")
    files = sorted(map(str, (HOME / "man").glob("*.[17]")))
    assert len(files) == len(USAGE) + len(TOPICS) + 1
    done = subprocess.run(
        ["mandoc", "-Tlint", "-Wwarning", *files], capture_output=True, text=True, check=False
    )
    assert done.stdout == ""


# -- the examples ----------------------------------------------------------------------------


@pytest.fixture(scope="module")
def kept(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What `velpin demo --keep` leaves, with a rule of Velpin's, a change and a snapshot."""
    folder = tmp_path_factory.mktemp("kept")
    scene = build(folder)
    with served(scene.www) as proxy, pytest.MonkeyPatch.context() as patch:
        patch.setenv("http_proxy", proxy)
        for words in (["refresh"], ["shift", "--save", str(folder / "before.picture")],
                      ["keep", "lamp-control", "--yes"]):  # fmt: skip
            with redirect_stdout(io.StringIO()):
                assert run(["--root", str(scene.root), *words]) == 0
    return folder


@pytest.mark.slow
@pytest.mark.parametrize(("command", "example"), EXAMPLES, ids=[e.words for _, e in EXAMPLES])
def test_an_example(
    kept: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, command: str, example: object
) -> None:
    from velpin.front.usage import Example

    assert isinstance(example, Example)
    folder = shutil.copytree(kept, tmp_path / "kept")
    monkeypatch.chdir(folder)
    words = shlex.split(example.words)
    reads = command in ("rules", "catalog", "checkup", "conform") and not _writes(words)
    if command in _CHANGES and not reads and "--preview" not in words:
        words.append("--preview")
    out, err = io.StringIO(), io.StringIO()
    with served(folder / "www") as proxy:
        monkeypatch.setenv("http_proxy", proxy)
        monkeypatch.setenv("no_proxy", "")
        with redirect_stdout(out), redirect_stderr(err):
            code = run(["--root", str(folder / "host"), *words])
    assert code == example.code, out.getvalue() + err.getvalue()
    assert out.getvalue() + err.getvalue()


def _writes(words: list[str]) -> bool:
    return any(word in ("drop", "--mend") for word in words) or words[0] == "conform"


def test_the_manual_is_found_beside_the_program(tmp_path: Path) -> None:
    """A page in share/man beside bin is where `man` looks."""
    if not shutil.which("man"):
        pytest.skip("there is no man on this machine")
    (tmp_path / "bin").mkdir()
    pages = tmp_path / "share" / "man" / "man1"
    pages.mkdir(parents=True)
    shutil.copy(HOME / "man" / "velpin.1", pages)
    env = {**os.environ, "PATH": f"{tmp_path}/bin:{os.environ['PATH']}", "MANPAGER": "cat"}
    env.pop("MANPATH", None)
    done = subprocess.run(
        ["man", "-w", "velpin"], env=env, capture_output=True, text=True, check=False
    )
    assert done.stdout.strip() == str(pages / "velpin.1")
