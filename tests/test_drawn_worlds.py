"""What is foreseen on hosts full of rare things stands on record, with all its reasons."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.answers import say
from tests.drawn_worlds import NAMES, requests, world
from tests.harbours import ALPM, KINDS
from velpin import VelpinError

pytestmark = pytest.mark.full


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(80))
def test_on_hosts_full_of_rare_things(tmp_path: Path, kind: str, seed: int) -> None:
    made = world(kind, seed, tmp_path)
    host = made.host()
    for generation in ("older", "newer") if kind != ALPM else ("",):
        seen = host.with_generation(generation) if generation else host  # type: ignore[arg-type]
        for words in requests(host, seed):
            try:
                say(f"{generation} {words} {seen.forecast(words)}")
            except VelpinError as problem:
                say(f"{generation} {words} {problem}")
        try:
            say(f"{generation} {seen.forecast_upgrade()}")
            say(f"{generation} {seen.forecast(NAMES[:1], upgrade=True)}")
        except VelpinError as problem:
            say(f"{generation} {problem}")
    made.run("forecast", NAMES[seed % len(NAMES)], "--why", "--all")
    made.run("forecast", "--upgrade", "--why")
