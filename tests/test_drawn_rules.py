"""On random hosts: a rule that was made is what forecasts show, and undo leaves no byte changed."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from tests.drawn_rules import draw_rule, shows
from tests.harbours import DebHarbour
from tests.installer.drawn import Drawn
from velpin.model.rule import words_of

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "15"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))
RULES = 5


def drawn(seed: int, folder: Path) -> DebHarbour:
    """A random host, its indexes fetched."""
    harbour = DebHarbour(folder)
    Drawn(seed, folder)
    harbour.refreshed()
    return harbour


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_made_is_shown_and_undone_is_as_before(seed: int, tmp_path: Path) -> None:
    harbour = drawn(seed + 200_000, tmp_path)
    pick = random.Random(seed)
    states = [harbour.files()]
    for _ in range(RULES):
        rule = draw_rule(harbour.ports(), pick)
        said = harbour.run(*words_of(rule), "--yes", *pick.choice([[], ["--foremost"]]))
        now = harbour.files()
        if said.code or said.out.startswith("✓ unchanged"):
            assert said.code in (0, 1, 2, 3), said.err
            assert now == states[-1], said.err
            continue
        assert shows(harbour.host(), rule) == "", rule
        states.append(now)
    for state in reversed(states[:-1]):
        assert harbour.run("undo", "--yes").code == 0
        assert harbour.files() == state


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_a_lifted_rule_leaves_the_host_as_it_found_it(seed: int, tmp_path: Path) -> None:
    harbour = drawn(seed + 300_000, tmp_path)
    before = harbour.files()
    pick = random.Random(seed)
    for _ in range(RULES):
        rule = draw_rule(harbour.ports(), pick)
        made = harbour.run(*words_of(rule), "--yes")
        if made.code == 0 and not made.out.startswith("✓ unchanged"):
            lifted = harbour.run(*words_of(rule), "--lift", "--yes")
            assert lifted.code == 0, (rule, lifted.err)
        assert harbour.files() == before, rule
