"""What anybody types first: nothing, half a command, a command with no words, in any folder."""

from __future__ import annotations

import io
import json
import os
import shlex
import subprocess
import sys
from contextlib import redirect_stdout
from pathlib import Path

import pytest

from tests.checkup_hosts import Post
from tests.harbours import DEB, DNF, DebHarbour
from tests.reasons import ALL_REASONS
from velpin.front.cli import _COMMANDS
from velpin.front.running import run
from velpin.front.usage import USAGE
from velpin.model.reason import Reason

FAULT = 70


def test_without_a_word_it_says_what_it_is_and_where_to_begin(harbour: DebHarbour) -> None:
    for words in ([], ["--root", str(harbour.root)]):
        out = io.StringIO()
        with redirect_stdout(out):
            code = run(list(words))
        told = out.getvalue()
        assert (code, "before anything is changed" in " ".join(told.split())) == (0, True)
        for text in ("sources", "forecast NAME", "velpin demo", "velpin --help"):
            assert text in told


def prefixes() -> list[tuple[str, ...]]:
    """Every command alone, half of it, and every prefix of the words of its examples."""
    found: dict[tuple[str, ...], None] = {}
    for command in _COMMANDS:
        found[(command,)] = None
        found[(command[: len(command) // 2],)] = None
        found[(command, "--help")] = None
        found[(command, "--")] = None
        found[(command, "--mend")] = None
        found[(command, "--json")] = None
    for usage in USAGE.values():
        for example in usage.examples:
            words = tuple(shlex.split(example.words))
            for length in range(1, len(words) + 1):
                found[words[:length]] = None
    return [words for words in found if words[0] != "demo" or "--help" in words]


@pytest.mark.parametrize("words", prefixes(), ids=" ".join)
def test_no_words_end_in_a_fault(
    harbour: DebHarbour, monkeypatch: pytest.MonkeyPatch, words: tuple[str, ...]
) -> None:
    monkeypatch.chdir(harbour.folder)  # some write a file where they are run
    said = harbour.run(*words)
    assert said.code != FAULT, said.err
    assert "Traceback" not in said.err


@pytest.mark.parametrize(
    "words",
    [
        "add LONG", "add deb/LONG.repo", "add file:///LONG/LONG", "add vendor --key LONG",
        "conform LONG", "export --out LONG/LONG", "report --out LONG/LONG.html", "shift --since LONG",
        "demo --keep LONG", "--root LONG host", "catalog add file:///LONG",
    ],
)  # fmt: skip
def test_a_name_longer_than_any_file_has_is_told(harbour: DebHarbour, words: str) -> None:
    said = harbour.run(*words.replace("LONG", "x" * 300).split())
    assert said.code in (1, 2, 3, 5), said.err
    assert "velpin: " in said.err


# -- folders that somebody else wrote ------------------------------------------------------


def test_nothing_of_the_current_folder_is_loaded(tmp_path: Path, harbour: DebHarbour) -> None:
    mark = tmp_path / "mark"
    for name in ("rich", "typer", "tomllib", "filelock", "yaml", "matplotlib", "velpin_x"):
        (tmp_path / f"{name}.py").write_text(f"open({str(mark)!r}, 'w')\n")
    for words in (["sources"], ["forecast", "gull"], ["--version"]):
        command = [sys.executable, "-m", "velpin", "--root", str(harbour.root), *words]
        subprocess.run(command, cwd=tmp_path, check=False, capture_output=True)
    assert not mark.exists()


@pytest.mark.slow
def test_a_report_reads_no_settings_of_others_and_leaves_nothing_at_home(
    tmp_path: Path, harbour: DebHarbour
) -> None:
    pytest.importorskip("matplotlib")
    home, here = tmp_path / "home", tmp_path / "here"
    (home / ".config/matplotlib").mkdir(parents=True)
    here.mkdir()
    for place in (here / "matplotlibrc", home / ".config/matplotlib/matplotlibrc"):
        place.write_text("text.usetex: True\nfont.size: 400\n")
    before = sorted(map(str, home.rglob("*")))
    environment = {**os.environ, "HOME": str(home)}
    for name in ("MPLCONFIGDIR", "MATPLOTLIBRC", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        environment.pop(name, None)
    harbour.source("base", ("gull", "1"))
    command = [sys.executable, "-m", "velpin", "--root", str(harbour.root), "report",
               "--out", str(here / "r.html"), "--png", str(here / "r.png")]  # fmt: skip
    done = subprocess.run(command, cwd=here, env=environment, check=False, capture_output=True,
                          text=True)  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert sorted(map(str, home.rglob("*"))) == before


# -- names in advice -----------------------------------------------------------------------


@pytest.mark.parametrize("post", [DNF], indirect=True)
def test_advice_that_is_a_command_quotes_names_for_the_shell(post: Post) -> None:
    name = "v $(touch x)'"
    text = post.read(post.source_file).replace("[vendor]", f"[{name}]")
    post.put(post.source_file, text.replace("/4/", "/9/"))
    found = json.loads(post.run("checkup", "--json").out)["findings"]
    mine = [each["mend"] for each in found if each["source"] == name and each["mend"]]
    assert mine
    assert all(name in shlex.split(command) for command in mine), mine
    said = post.run("off", name, "--yes")
    assert said.code == 0, said.err
    assert name in shlex.split(
        json.loads(post.run("journal", "--json").out)["entries"][-1]["command"]
    )


@pytest.mark.parametrize("reason", ALL_REASONS, ids=lambda reason: reason.code)
def test_names_in_the_commands_of_a_sentence_are_quoted(reason: type[Reason]) -> None:
    for part in reason.says.split("velpin ")[1:]:
        command = part.split(",")[0].split(";")[0]
        for fact in ("source", "name"):
            assert f"{{{fact}}}" not in command


@pytest.mark.parametrize("post", [DEB], indirect=True)
def test_the_installed_program_without_a_word(post: Post) -> None:
    done = subprocess.run([sys.executable, "-m", "velpin"], capture_output=True, text=True,
                          check=False)  # fmt: skip
    assert (done.returncode, "velpin demo" in done.stdout) == (0, True), done.stderr
