"""python -m tests.mutation [--area NAME] [--sample N] [--seed S]: faults noticed, by area.

Each fault is put into one module, and the daily tests that come by it are run until one fails.
What no test notices is printed with its line; those that cannot matter are in `areas.ACCEPTED`.
"""

from __future__ import annotations

import argparse
import os
import random
import secrets
from collections.abc import Iterator
from multiprocessing import get_context
from pathlib import Path

from tests.mutation import running
from tests.mutation.areas import ACCEPTED, AREAS, PACKAGE, modules
from tests.mutation.operators import Fault, faults
from tests.mutation.reach import Reach, measured_in, reach
from tests.mutation.running import Verdict, control, judge, preload

GOAL = 90


def drawn(area: str, sample: int, seed: int) -> list[tuple[str, Fault]]:
    """Some faults of an area."""
    every = [
        (module, fault)
        for module in modules()[area]
        for fault in faults((PACKAGE / module).read_text())
    ]
    return random.Random(f"{area} {seed}").sample(every, min(sample, len(every)))


def main() -> int:
    """Draw some faults of each area and see which are noticed; 3 if any area misses the goal."""
    parser = argparse.ArgumentParser(prog="python -m tests.mutation")
    parser.add_argument("--area", action="append", choices=sorted(AREAS))
    parser.add_argument("--sample", type=int, default=60, help="how many faults of each area")
    parser.add_argument("--seed", type=int, default=secrets.randbelow(10**6))
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    parser.add_argument(
        "--seconds", type=float, default=running.MOST_SECONDS,
        help="how many seconds of tests are enough for one fault",
    )  # fmt: skip
    parser.add_argument("--measured", type=Path, help="where a run of the tests left its reach")
    parser.add_argument("--only", default="", help="modules whose path holds this")
    said = parser.parse_args()
    came_by = measured_in(said.measured) if said.measured else reach()
    running.MOST_SECONDS = said.seconds  # before there are workers
    preload()
    control(came_by)
    print(f"seed {said.seed}", flush=True)
    rows = []
    with get_context("fork").Pool(said.jobs, initializer=_hold, initargs=(came_by,)) as pool:
        for area in said.area or AREAS:
            chosen = [one for one in drawn(area, said.sample, said.seed) if said.only in one[0]]
            verdicts = pool.imap(_judged, chosen)
            rows.append((area, *_told(verdicts)))
            print(_row(*rows[-1]), flush=True)
    print("\nof the faults drawn:")
    for row in rows:
        print(_row(*row))
    missed = [row[0] for row in rows if row[2] * 100 < GOAL * (row[1] - row[3])]
    if missed:
        print(f"below {GOAL} %: {', '.join(missed)}")
    return 3 if missed else 0


_CAME_BY: list[Reach] = []
"""What a worker was given when it began: it is too much to send along with every fault."""


def _hold(came_by: Reach) -> None:
    _CAME_BY.append(came_by)


def _judged(one: tuple[str, Fault]) -> Verdict:
    return judge(*one, _CAME_BY[0])


def _told(verdicts: Iterator[Verdict]) -> tuple[int, int, int]:
    """Print what went unnoticed; how many there were, were noticed, cannot be."""
    count = noticed = accepted = 0
    for one in verdicts:
        count += 1
        noticed += one.noticed
        why = ACCEPTED.get((one.module, one.fault.function, one.what), "")
        if not one.noticed:
            accepted += bool(why)
            where = f"{one.module}:{one.fault.line} {one.fault.function}"
            end = f"cannot be noticed: {why}" if why else f"{one.asked} tests come by"
            print(f"  unnoticed: {where}: {one.what} ({end})", flush=True)
    return count, noticed, accepted


def _row(area: str, count: int, noticed: int, accepted: int) -> str:
    share = 100 * noticed / max(count - accepted, 1)
    rest = f", {accepted} cannot be" if accepted else ""
    return f"{area:12} {noticed:3} of {count:3} noticed ({share:.0f} %){rest}"


if __name__ == "__main__":
    raise SystemExit(main())
