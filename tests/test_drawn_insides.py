"""All that drawn hosts can be asked stands on record; `python -m tests.drawn_insides` prints it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.answers import say
from tests.drawn_insides import digests
from tests.drawn_worlds import NAMES, world
from tests.harbours import ALPM, KINDS

pytestmark = pytest.mark.full


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(1000, 1060))
def test_all_that_a_host_can_be_asked(tmp_path: Path, kind: str, seed: int) -> None:
    made = world(kind, seed, tmp_path)
    made.run("checkup")
    made.run("rules")
    host = made.host()
    one, *rest = [source.handle for source in host.sources]
    for words in (
        ["off", one],
        ["keep", NAMES[seed % len(NAMES)]],
        ["prefer", one, "--over", *rest],
    ):
        made.run(*words, "--preview")
    for generation in ("older", "newer") if kind != ALPM else ("",):
        seen = host.with_generation(generation) if generation else host
        say(f"{generation} {digests(seen, tmp_path)}")
