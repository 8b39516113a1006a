"""`python -m benchmarks --brief`: the few figures that people wait for, each with its bound.

With `--beside DIR` every one of Velpin's commands is run by the checkout in that folder as well, in
turn with this one.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from benchmarks.made_up import write_host

MEMORY = 200
"""Megabytes that a first reading of a million offers may take."""


class Timed(NamedTuple):
    """One run of a command."""

    wall: float
    cpu: float
    memory: float
    """Megabytes at its peak, of the process or one of its children."""


def run(command: Sequence[str], env: dict[str, str], stale: Sequence[Path] = ()) -> Timed:
    """Run a command once, after removing what it is to make anew."""
    for path in stale:
        shutil.rmtree(path, ignore_errors=True)
        path.unlink(missing_ok=True)
    start = time.perf_counter()
    process = subprocess.Popen(
        command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    _, _, usage = os.wait4(process.pid, 0)
    wall = time.perf_counter() - start
    return Timed(wall, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024)


class Row(NamedTuple):
    """One figure: how it is worked out of Velpin's run and another command's, and its bound."""

    title: str
    ours: Sequence[str]
    bound: float
    theirs: Sequence[str] = ()
    """What it is measured against; none for seconds."""
    fresh: Sequence[Path] = ()
    stale: Sequence[Path] = ()
    of: Callable[[Timed], float] = lambda timed: timed.wall
    unit: str = " s"


class Brief:
    """Measures rows and prints them."""

    def __init__(self, runs: int, env: dict[str, str], beside: Path | None) -> None:
        self._runs, self._beside = runs, beside
        self.env = {**env, "PYTHONPATH": str(Path(__file__).parents[1] / "src")}
        self._other = {**env, "PYTHONPATH": str(beside / "src")} if beside else self.env
        heads = f"{'':58} {'beside' if beside else '':>9} {'now':>9} {'wanted':>9}"
        print(heads.rstrip())

    def measure(self, row: Row) -> None:
        """Run a row's commands in turn and print its figure."""
        now: list[float] = []
        before: list[float] = []
        run(row.ours, self.env, row.fresh)
        for _ in range(self._runs):
            theirs = row.of(run(row.theirs, self.env, row.stale)) if row.theirs else 1.0
            if self._beside:
                before.append(row.of(run(row.ours, self._other, row.fresh)) / theirs)
            now.append(row.of(run(row.ours, self.env, row.fresh)) / theirs)
        unit = "" if row.theirs else row.unit
        found = statistics.median(now)
        then = f"{statistics.median(before):.2f}{unit}" if before else ""
        verdict = "" if found <= row.bound else "  OVER"
        print(
            f"{row.title:58} {then:>9} {f'{found:.2f}{unit}':>9}"
            f" {f'{row.bound:g}{unit}':>9}{verdict}",
            flush=True,
        )


def python(*words: str) -> list[str]:
    """Velpin as the checkout in front of the path has it."""
    return [sys.executable, "-m", "velpin", *words]


def deb_rows(root: Path, read: Path, bare: Sequence[str], name: str) -> list[Row]:
    """Figures of a copy of this machine's root with one more source."""
    at = python("--root", str(root))
    cache = root / "var/cache/apt"
    prefer = [*at, "prefer", "vendor", "--over-all", "--preview"]
    return [
        Row(
            "first reading, deb | the installer's cache",
            [sys.executable, str(read), str(root), "as-is"], 0.8, ["apt-cache", "gencaches"],
            [root / "var/cache/velpin/parsed"], [cache / "pkgcache.bin", cache / "srcpkgcache.bin"],
        ),
        Row("off, deb", [*at, "off", "vendor", "--preview"], 1.5),
        Row("keep 'lib*', deb", [*at, "keep", "lib*", "--preview"], 1.5),
        Row("bar 'lib*', deb", [*at, "bar", "lib*", "--from", "vendor", "--preview"], 1.5),
        Row("confine, deb", [*at, "confine", "vendor", "vv-*", "--preview"], 1.5),
        Row("prefer, deb", prefer, 3),
        Row("want, deb, processor time", [*at, "want", f"{name}%vendor", "--preview"], 2,
            of=lambda timed: timed.cpu),
        Row("report with figures, deb", [*at, "report", "--out", str(root / "report.html")], 2),
        Row("find | forecast, deb", [*at, "find", "vlc"], 1.3, [*at, "forecast", "hello"]),
        Row("completion of a name | a bare program, deb",
            ["env", "VELPIN_COMPLETE=bash", *at, "forecast", "hel"], 1.2, bare),
    ]  # fmt: skip


def rpm_rows(root: Path, read: Path, bare: Sequence[str], installer: Sequence[str]) -> list[Row]:
    """Figures of a made-up rpm host with 160,000 offers."""
    at = python("--root", str(root))
    rows = [
        Row("off, rpm-dnf", [*at, "off", "vendor", "--preview"], 1.5),
        Row("keep 'tide-*', rpm-dnf", [*at, "keep", "tide-*", "--preview"], 1.5),
        Row("bar 'tide-*', rpm-dnf", [*at, "bar", "tide-*", "--from", "vendor", "--preview"], 1.5),
        Row("prefer, rpm-dnf", [*at, "prefer", "vendor", "--over-all", "--preview"], 3),
        Row("find | forecast, rpm-dnf", [*at, "find", "harbour", "gull"], 1.3,
            [*at, "forecast", "gull-lamp-0"]),
        Row("completion of a name | a bare program, rpm-dnf",
            ["env", "VELPIN_COMPLETE=bash", *at, "forecast", "gu"], 1.2, bare),
    ]  # fmt: skip
    parsed = root / "var/cache/velpin/parsed"
    reading = [sys.executable, str(read), str(root), "all"]
    if installer:
        theirs = Path(installer[-1])
        stale = [theirs / f"var/cache/dnf/{name}.solv" for name in ("bench", "vendor")]
        rows.insert(0, Row("first reading, rpm-dnf | the installer's cache", reading, 0.7,
                           installer[:-1], [parsed], stale))  # fmt: skip
    return rows


def ten_rows(one: Path, ten: Path, read: Path) -> list[Row]:
    """Figures of ten sources of 100,000 packages beside one of them."""
    first, all_ten = ([sys.executable, str(read), str(root), "all"] for root in (one, ten))
    fresh, stale = ([root / "var/cache/velpin/parsed"] for root in (ten, one))
    return [
        Row("first reading, ten sources | one of them", all_ten, 9, first, fresh, stale),
        Row("first reading, ten sources, memory", all_ten, MEMORY, fresh=fresh,
            of=lambda timed: timed.memory, unit=" MB"),
    ]  # fmt: skip


def refreshed(root: Path, env: dict[str, str], *handles: str) -> list[dict[str, Any]]:
    """Fetch the sources of a host; what came of it."""
    done = subprocess.run(
        python("--root", str(root), "refresh", "--json", *handles),
        check=True, env=env, capture_output=True,
    )  # fmt: skip
    found: list[dict[str, Any]] = json.loads(done.stdout)["refreshed"]
    return found


def made_ten(folder: Path, env: dict[str, str]) -> tuple[Path, Path]:
    """Two hosts, with one source of 100,000 packages and with ten."""
    suites = [f"dock{number}" for number in range(10)]
    made = [sys.executable, "-m", "benchmarks.made_up", str(folder), "100000", *suites]
    address = subprocess.run(made, check=True, capture_output=True, text=True).stdout.strip()
    one, ten = folder / "one", folder / "ten"
    write_host(one, address, suites[:1])
    write_host(ten, address, suites)
    for root in (one, ten):
        refreshed(root, env)
    return one, ten
