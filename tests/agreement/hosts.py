"""Unpacking the recorded hosts and holding Velpin's forecasts against what was observed."""

from __future__ import annotations

import io
import json
import shutil
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any, NamedTuple

from velpin.front.cli import run

DATA = Path(__file__).parents[1] / "data"
BESIDE = Path(__file__).parents[3] / "shared" / "agreement"
BEYOND_THE_CHOICE = ("dependencies cannot be met",)
"""Refusals that speak of more than the choice of the asked packages."""


class Figure(NamedTuple):
    """How often Velpin said the same, and where it did not."""

    agreed: int
    asked: int
    differences: tuple[str, ...]

    def __str__(self) -> str:
        return f"{self.agreed} of {self.asked}"


class Result(NamedTuple):
    """The figures of one kind of host."""

    choices: Figure
    refusals: Figure


def archive(kind: str, folder: Path = BESIDE) -> Path | None:
    """The recorded hosts of a kind, None where they do not stand there."""
    found = folder / f"{kind}.tar.xz"
    return found if found.exists() else None


def sample(kind: str) -> Path:
    """The selection of recorded hosts that comes with the tests."""
    return DATA / f"agreement-{kind}.tar.xz"


@contextmanager
def unpacked(file: Path) -> Iterator[list[Path]]:
    """Folders of the hosts of an archive, their addresses put in place."""
    with tempfile.TemporaryDirectory(prefix="velpin-agreement-") as folder:
        with tarfile.open(file) as tar:
            tar.extractall(folder, filter="data")
        cases = sorted(path.parent for path in Path(folder).glob("*/*/case.json"))
        for case in cases:
            for path in (case / "root/etc").rglob("*"):
                if path.is_file():
                    path.write_bytes(
                        path.read_bytes().replace(b"@BASE@", f"file://{case}".encode())
                    )
        yield cases


def compare(file: Path) -> Result:
    """Ask Velpin what was asked of the installer, on every host of an archive."""
    choices: list[tuple[bool, str]] = []
    refusals: list[tuple[bool, str]] = []
    with unpacked(file) as cases:
        for case in cases:
            _program(case, "refresh")
            for asked in json.loads((case / "case.json").read_text())["asked"]:
                if "requests" in asked:
                    _compare_one(case, asked, choices, refusals)
            shutil.rmtree(case)
    return Result(_figure(choices), _figure(refusals))


def _figure(rows: list[tuple[bool, str]]) -> Figure:
    return Figure(sum(ok for ok, _ in rows), len(rows), tuple(text for ok, text in rows if not ok))


def _program(case: Path, *words: str) -> str:
    out = io.StringIO()
    with redirect_stdout(out), redirect_stderr(io.StringIO()):
        run(["--root", str(case / "root"), *words])
    return out.getvalue()


def _compare_one(
    case: Path,
    asked: dict[str, Any],
    choices: list[tuple[bool, str]],
    refusals: list[tuple[bool, str]],
) -> None:
    requests, observed = asked["requests"], asked["observed"]
    told = json.loads(_program(case, "forecast", "--json", *requests))
    where = f"{case.name} {' '.join(requests)}"
    if not observed["ok"]:
        if observed["error"] not in BEYOND_THE_CHOICE:
            refusals.append(
                (not told["ok"], f"{where}: refused ({observed['error']}), not foreseen")
            )
        return
    if not told["ok"]:
        choices.append((False, f"{where}: not refused, but foreseen so: {told['problem']}"))
        return
    for answer in told["answers"]:
        action = _action(observed["actions"], answer)
        choices.append((_agrees(answer, action), f"{where}: {_short(answer)}; observed {action}"))


def _action(actions: list[dict[str, Any]], answer: dict[str, Any]) -> dict[str, Any] | None:
    named = [action for action in actions if action["name"] == answer["package"]]
    same = [action for action in named if action["arch"] == answer["arch"]]
    changed = [action for action in named if action["new"] and answer["outcome"] != "keep"]
    return (same or changed or [None])[0]


def _agrees(answer: dict[str, Any], action: dict[str, Any] | None) -> bool:
    if action is None:
        return bool(answer["outcome"] == "keep")
    if answer["outcome"] == "none" or not answer["url"]:
        return False
    repository = answer["url"].partition("/repos/")[2].partition("/")[0]
    ours = (answer["version"], answer["installed"], repository)
    return ours == (action["new"], action["old"], action["source"])


def _short(answer: dict[str, Any]) -> str:
    return f"{answer['outcome']} {answer['package']} {answer['version']} from {answer['source']}"
