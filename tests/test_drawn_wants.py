"""Ways to what is wanted, on hosts with rules and sources in their way: all of them stand on record."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from tests.drawn_worlds import NAMES, VIRTUAL, world
from tests.harbours import ALPM, KINDS, Harbour
from tests.program import CODES

pytestmark = pytest.mark.full


def hindered(made: Harbour, draw: random.Random) -> None:
    """A source is off, or a rule keeps something out."""
    handles = [source.handle for source in made.host().sources]
    one, other = draw.choice(handles), draw.choice(handles)
    name = draw.choice(NAMES)
    for words in draw.sample(
        (
            f"off {one}", f"bar {name} --from {one}", f"pin {name} --from {other}", f"keep {name}",
            f"confine {one} {name} {draw.choice(NAMES)}", f"prefer {one} --over {other}",
            f"bar {name}@1*", f"pin {name}@1*",
        ),
        draw.choice((1, 2, 2)),
    ):  # fmt: skip
        anyway = ["--anyway"] if words.startswith(("bar", "pin", "confine")) else []
        made.run(*words.split(), "--yes", *anyway)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(200, 218))
def test_ways_to_what_is_wanted(tmp_path: Path, kind: str, seed: int) -> None:
    made = world(kind, seed, tmp_path)
    draw = random.Random(f"want {kind} {seed}")
    hindered(made, draw)
    host = made.host()
    for turn in range(4):
        words = []
        for name in draw.sample((*NAMES, *NAMES, *VIRTUAL), draw.choice((1, 1, 2))):
            offers = host.packages.offers([name])
            one = draw.choice(offers) if offers else None
            forms = (
                [f"@{one.version}", f"@{one.version}", f"%{one.source}", f"%{one.source}"]
                if one
                else []
            )
            words.append(name + draw.choice([*forms, "", "@>=2", "@<2"]))
        last = ["--take", "1", "--yes"] if turn == 3 else [draw.choice(("--preview", "--json"))]
        assert made.run("want", *words, *last).code in CODES, words
    made.run("rules")
    if kind != ALPM:
        made.run("forecast", *NAMES[:2], "--compare-generations")
        made.run("forecast", "--upgrade", "--compare-generations", "--json")
