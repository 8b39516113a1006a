"""Completion: what is offered in each place of a command line, and real shells that ask for it."""

from __future__ import annotations

import os
import pty
import select
import shutil
import signal
import sys
import time
from pathlib import Path

import pytest

from tests.harbours import DebHarbour, RpmHarbour
from velpin.front.completion import SHELLS, complete, script

_LIMIT = 60.0
"""Seconds after which a shell is given up; none takes one."""


@pytest.fixture
def full(harbour: DebHarbour) -> DebHarbour:
    harbour.source("base", ("gull-watch", "1:2~rc1-1"), ("gull-watch-doc", "2"), ("tern", "1"))
    harbour.source("vendor", ("gull-watch", "3+v1"), ("heron", "1"))
    harbour.installed(("gull-watch", "1"), ("old-diary", "4"))
    harbour.put("etc/apt/preferences.d/own", "Package: tern\nPin: version 1\nPin-Priority: 900\n")
    harbour.ready()
    assert harbour.run("keep", "old-diary", "--yes").code == 0
    return harbour


def offered(
    harbour: DebHarbour | RpmHarbour,
    capsys: pytest.CaptureFixture[str],
    *words: str,
    breaks: str = "",
) -> list[str]:
    """The words that are offered for the last one."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("VELPIN_COMPLETE_BREAKS", breaks)
        complete(["--root", str(harbour.root), *words])
    return [line.partition("\t")[0] or line for line in capsys.readouterr().out.splitlines()]


@pytest.mark.parametrize(
    ("words", "wanted"),
    [
        (["fore"], ["forecast"]),
        (["re"], ["refresh", "report"]),
        (["forecast", "gull"], ["gull-watch", "gull-watch-doc"]),
        (["forecast", "tern", "he"], ["heron"]),
        (["forecast", "old"], ["old-diary"]),
        (["forecast", "--why", "te"], ["tern"]),
        (["forecast", "gull-watch@"], ["gull-watch@1:2~rc1-1", "gull-watch@3+v1", "gull-watch@1"]),
        (["forecast", "gull-watch@3"], ["gull-watch@3+v1"]),
        (["forecast", "gull-watch%v"], ["gull-watch%vendor"]),
        (["forecast", "--from", ""], ["base", "vendor"]),
        (["forecast", "--from", "vendor", "he"], ["heron"]),
        (["forecast", "--gen"], ["--generation"]),
        (["forecast", "--generation", ""], ["older", "newer"]),
        (["keep", ""], ["gull-watch", "old-diary"]),
        (["confine", ""], ["base", "vendor"]),
        (["confine", "vendor", "he"], ["heron"]),
        (["prefer", "vendor", "--over", "b"], ["base"]),
        (["off", "v"], ["vendor"]),
        (["off", "vendor", ""], []),
        (["rules", ""], ["drop"]),
        (["rules", "drop", ""], ["1", "2"]),
        (["undo", ""], ["1"]),
        (["checkup", "--mend", "leftov"], ["leftover"]),
        (["completion", ""], ["bash", "fish", "zsh"]),
        (["conform", ""], [":files"]),
        (["add", "./"], [":files"]),
        (["add", "--key", ""], [":files"]),
        (["find", "gu"], []),
        (["nothing-like-it", ""], None),
    ],
)
def test_in_each_place(
    full: DebHarbour, capsys: pytest.CaptureFixture[str], words: list[str], wanted: list[str] | None
) -> None:
    found = offered(full, capsys, *words)
    if wanted is None:
        assert "forecast" in found
    else:
        assert sorted(found) == sorted(wanted)


def test_versions_come_newest_first(full: DebHarbour, capsys: pytest.CaptureFixture[str]) -> None:
    found = offered(full, capsys, "pin", "gull-watch@")
    assert found == ["gull-watch@1:2~rc1-1", "gull-watch@3+v1", "gull-watch@1"]


def test_another_root_is_said_in_every_way(
    full: DebHarbour, capsys: pytest.CaptureFixture[str]
) -> None:
    for words in (["--root", str(full.root)], [f"--root={full.root}"]):
        complete(["forecast", *words, "ter"])
        assert capsys.readouterr().out.startswith("tern\t")
    complete(["--root", "/nowhere/at/all", "forecast", "ter"])
    assert capsys.readouterr().out == ""


def test_bash_gets_what_is_behind_its_own_breaks(
    full: DebHarbour, capsys: pytest.CaptureFixture[str]
) -> None:
    assert offered(full, capsys, "pin", "gull-watch@3", breaks="@=:") == ["@3+v1"]
    found = offered(full, capsys, "pin", "gull-watch@1:", breaks="@=:")
    assert found == ["2~rc1-1"]


def test_nothing_is_parsed_for_it(full: DebHarbour, capsys: pytest.CaptureFixture[str]) -> None:
    shutil.rmtree(full.root / "var/cache/velpin/parsed")
    before = full.files()
    assert offered(full, capsys, "forecast", "gull") == []
    assert offered(full, capsys, "off", "v") == ["vendor"]
    assert not (full.root / "var/cache/velpin/parsed").exists()
    assert full.files() == before


def test_what_would_steer_a_terminal_is_not_offered(
    full: DebHarbour, capsys: pytest.CaptureFixture[str]
) -> None:
    full.source("evil", ("gull-watch\x1b[2J", "1"), ("gull-watch\u202e", "1"))
    full.ready()
    assert offered(full, capsys, "forecast", "gull") == ["gull-watch", "gull-watch-doc"]


# -- real shells -----------------------------------------------------------------------------

START = {
    "bash": ["bash", "--norc", "--noprofile", "-i"],
    "zsh": ["zsh", "-f", "-i"],
    "fish": ["fish", "--no-config", "-i"],
}
SET_UP = {
    "bash": 'eval "$(velpin completion bash)"',
    "zsh": 'autoload -Uz compinit && compinit -u -D; eval "$(velpin completion zsh)"',
    "fish": "velpin completion fish | source",
}
LINES = [
    ("forec\t", ["forecast"]),
    ("forecast gull-watch-\t", ["forecast", "gull-watch-doc"]),
    ("forecast gull-watch@3\t", ["forecast", "gull-watch@3+v1"]),
    ("pin gull-watch@1:\t", ["pin", "gull-watch@1:2~rc1-1"]),
    ("forecast --from ven\t her\t", ["forecast", "--from", "vendor", "heron"]),
    ("conform observ\t", ["conform", "observatory.toml"]),
]


class Terminal:
    """A shell on a terminal of its own."""

    def __init__(self, words: list[str], folder: Path, path: Path) -> None:
        self.pid, self.handle = pty.fork()
        if self.pid == 0:  # pragma: no cover - the shell's own process
            env = {"PATH": f"{path}:{os.environ['PATH']}", "HOME": str(folder), "TERM": "xterm",
                   "LC_ALL": "C.UTF-8", "PS1": "$ "}  # fmt: skip
            os.chdir(folder)
            os.execvpe(words[0], words, env)

    def say(self, text: str) -> None:
        os.write(self.handle, text.encode())

    def wait_for(self, text: str) -> str:
        """What it showed until a text came."""
        shown, end = b"", time.monotonic() + _LIMIT
        while text.encode() not in shown:
            ready, _, _ = select.select([self.handle], [], [], max(0, end - time.monotonic()))
            assert ready, f"{text!r} did not come: {shown.decode(errors='replace')}"
            shown += os.read(self.handle, 65536)
        return shown.decode(errors="replace")

    def end(self) -> None:
        os.kill(self.pid, signal.SIGKILL)
        os.waitpid(self.pid, 0)
        os.close(self.handle)


@pytest.mark.slow
@pytest.mark.parametrize("shell", SHELLS)
def test_a_real_shell(full: DebHarbour, tmp_path: Path, shell: str) -> None:
    if not shutil.which(shell):
        pytest.skip(f"there is no {shell} on this machine")
    program = tmp_path / "bin" / "velpin"
    program.parent.mkdir()
    run = f'"{sys.executable}" -m velpin --root "{full.root}" "$@"'
    # What is typed is told, not done: `<word>` for each word that the shell made of it.
    program.write_text(
        f'#!/bin/sh\nif [ "$VELPIN_COMPLETE" ] || [ "$1" = completion ]; then exec {run}; fi\n'
        "printf '<%s>' \"$@\"; echo ' done''.'\n"
    )
    program.chmod(0o755)
    home = tmp_path / "home"
    home.mkdir()
    (home / "observatory.toml").write_text("")
    terminal = Terminal(START[shell], home, program.parent)
    try:
        terminal.say(f"{SET_UP[shell]}; echo rea''dy\n")
        terminal.wait_for("ready")
        for typed, wanted in LINES:
            terminal.say(f"velpin {typed}\n")
            shown = terminal.wait_for("done.")
            assert "".join(f"<{word}>" for word in wanted) in shown, shown
    finally:
        terminal.end()


@pytest.mark.parametrize("shell", SHELLS)
def test_the_script_is_printed(harbour: DebHarbour, shell: str) -> None:
    said = harbour.run("completion", shell)
    assert (said.code, said.out) == (0, script(shell))
    assert harbour.run("completion", "csh").code == 2
