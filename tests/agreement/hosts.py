"""Unpacking the recorded hosts and holding Velpin's forecasts against what was observed."""

from __future__ import annotations

import io
import json
import shutil
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, redirect_stderr, redirect_stdout
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

from velpin.front.running import run

DATA = Path(__file__).parents[1] / "data"
KINDS = (
    "deb", "rpm-dnf", "rpm-zypp", "alpm", "deb-newer", "rpm-dnf-newer", "rpm-zypp-newer",
)  # fmt: skip
"""Kinds of host, those of the newer generation of installers apart."""

KNOWN = (
    "deb 0016 hibick:i386",
    "rpm-zypp 0033 ranulil@3.14.2",
)
"""Beginnings of differences of which docs/how-hosts-choose says why they are."""


class Figure(NamedTuple):
    """How often Velpin said the same, and where it did not."""

    agreed: int
    asked: int
    differences: tuple[str, ...]

    def __str__(self) -> str:
        return f"{self.agreed} of {self.asked}"

    @property
    def unknown(self) -> list[str]:
        """Differences that nobody has explained."""
        return [text for text in self.differences if not text.startswith(KNOWN)]


class Result(NamedTuple):
    """The figures of one kind of host."""

    choices: Figure
    """Version and source of each asked package."""
    transactions: Figure
    """Every package with both versions and its source, of what was carried out."""
    refusals: Figure


def archive(kind: str) -> Path:
    """The recorded hosts of a kind; both generations lie in one file, as most of it is the same."""
    return DATA / f"agreement-{kind.removesuffix('-newer')}.tar.xz"


@cache
def names(kind: str) -> list[str]:
    """The recorded hosts of a kind."""
    with tarfile.open(archive(kind)) as tar:
        cases = (name for name in tar.getnames() if name.endswith("/case.json"))
        return sorted(name.split("/")[1] for name in cases if name.startswith(f"{kind}/"))


@contextmanager
def unpacked(file: Path, kind: str = "", name: str = "") -> Iterator[list[Path]]:
    """Folders of the hosts of an archive (of one kind, or one host alone), their addresses put in
    place."""
    with tempfile.TemporaryDirectory(prefix="velpin-agreement-") as folder:
        with tarfile.open(file) as tar:
            wanted = [one for one in tar if one.name.startswith(f"{kind}/{name}" if kind else "")]
            tar.extractall(folder, wanted, filter="data")
        cases = sorted(path.parent for path in Path(folder).glob(f"{kind or '*'}/*/case.json"))
        for case in cases:
            for path in (case / "root/etc").rglob("*"):
                if path.is_file():
                    path.write_bytes(
                        path.read_bytes().replace(b"@BASE@", f"file://{case}".encode())
                    )
        yield cases


class Rows(NamedTuple):
    """What was compared, for each figure."""

    choices: list[tuple[bool, str]]
    transactions: list[tuple[bool, str]]
    refusals: list[tuple[bool, str]]


def compare(file: Path, kind: str = "", name: str = "") -> Result:
    """Ask Velpin what was asked of the installer, on every host of an archive, or on one."""
    rows = Rows([], [], [])
    with unpacked(file, kind, name) as cases:
        for case in cases:
            program("--root", str(case / "root"), "refresh")
            for asked in json.loads((case / "case.json").read_text())["asked"]:
                _compare_one(case, asked, rows)
            shutil.rmtree(case)
    return Result(*map(_figure, rows))


def _figure(rows: list[tuple[bool, str]]) -> Figure:
    return Figure(sum(ok for ok, _ in rows), len(rows), tuple(text for ok, text in rows if not ok))


def program(*words: str) -> str:
    """What the program says to some words."""
    out = io.StringIO()
    with redirect_stdout(out), redirect_stderr(io.StringIO()):
        run(list(words))
    return out.getvalue()


def _compare_one(case: Path, asked: dict[str, Any], rows: Rows) -> None:
    requests, observed = asked.get("requests", ["--upgrade"]), asked["observed"]
    if asked.get("allow_source_change"):
        requests = ["--upgrade", "--realign"]
    told = json.loads(program("--root", str(case / "root"), "forecast", "--json", *requests))
    where = f"{told['host']['kind']} {case.name} {' '.join(requests)}"
    if not observed["ok"]:
        text = f"{where}: refused ({observed['error']}), not foreseen"
        rows.refusals.append((not told["ok"], text))
        return
    if not told["ok"]:
        rows.transactions.append((False, f"{where}: not refused: {told['problem']}"))
        return
    for answer in told["answers"]:
        action = _action(observed["actions"], answer)
        text = f"{where}: {_short(answer)}; observed {action}"
        rows.choices.append((_agrees(answer, action), text))
    ours, theirs = set(map(_ours, told["changes"])), set(map(_theirs, observed["actions"]))
    text = f"{where}: only foreseen {sorted(ours - theirs)}, only observed {sorted(theirs - ours)}"
    rows.transactions.append((ours == theirs, text))


Row = tuple[str, str, str, str, str]
"""Name, architecture, old and new version, repository; empty where there is none."""


def _ours(change: dict[str, Any]) -> Row:
    repository = (change["url"] or "").partition("/repos/")[2].partition("/")[0]
    old, new = change["old"] or "", change["new"] or ""
    return change["name"], change["arch"], old, new, repository


def _theirs(action: dict[str, Any]) -> Row:
    return (
        action["name"], action["arch"], action["old"] or "", action["new"] or "",
        action["source"] or "",
    )  # fmt: skip


def _action(actions: list[dict[str, Any]], answer: dict[str, Any]) -> dict[str, Any] | None:
    named = [action for action in actions if action["name"] == answer["package"]]
    same = [action for action in named if action["arch"] == answer["arch"]]
    changed = [action for action in named if action["new"] and answer["outcome"] != "keep"]
    return (same or changed or [None])[0]


def _agrees(answer: dict[str, Any], action: dict[str, Any] | None) -> bool:
    if action is None:
        return bool(answer["outcome"] in ("keep", "none"))
    if answer["outcome"] == "none" or not answer["url"]:
        return False
    repository = answer["url"].partition("/repos/")[2].partition("/")[0]
    ours = (answer["version"], answer["installed"], repository)
    return ours == (action["new"], action["old"], action["source"])


def _short(answer: dict[str, Any]) -> str:
    return f"{answer['outcome']} {answer['package']} {answer['version']} from {answer['source']}"
