"""What is foreseen on hosts full of rare things stands on record, with all its reasons and the way to it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from tests.answers import say
from tests.drawn_insides import told
from tests.drawn_worlds import NAMES, requests, world
from tests.harbours import ALPM, KINDS
from velpin import Forecast, VelpinError
from velpin.kinds.alpm.solver import AlpmSolver
from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.search import Search as DebSearch
from velpin.kinds.deb.transaction.clauses import Clauses
from velpin.kinds.rpm.solve.search import Search as RpmSearch

pytestmark = pytest.mark.full

STEPS = (
    (RpmSearch, "decide"), (RpmSearch, "add"), (RpmSearch, "backjump"), (DebSearch, "_decide"),
    (DebSearch, "_push"), (Clauses, "_make"), (Draft, "choose"),
    (AlpmSolver, "_bring"), (AlpmSolver, "_renew"),
)  # fmt: skip
"""What is done on the way to a forecast: its order and its number are the hosts' own."""


@pytest.fixture
def steps(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Each step of the forecasts from now on."""
    found: list[str] = []

    def noting(own: Callable[..., Any], name: str) -> Callable[..., Any]:
        def noted(self: object, *given: object, **more: object) -> Any:
            result = own(self, *given, **more)
            what = [*given, *(result if isinstance(result, list) else ())]
            found.append(f"{name} {' '.join(map(told, what))}")
            return result

        return noted

    for owner, name in STEPS:
        monkeypatch.setattr(owner, name, noting(getattr(owner, name), name))
    return found


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(80))
def test_on_hosts_full_of_rare_things(
    tmp_path: Path, kind: str, seed: int, steps: list[str]
) -> None:
    made = world(kind, seed, tmp_path)
    host = made.host()

    def ask(asked: str, forecast: Callable[[], Forecast]) -> None:
        try:
            say(f"{asked} {forecast()}")
        except VelpinError as problem:
            say(f"{asked} {problem}")

    def say_steps() -> None:
        say(f"{len(steps)} {hashlib.sha256(chr(10).join(steps).encode()).hexdigest()[:12]}")
        steps.clear()

    for generation in ("older", "newer") if kind != ALPM else ("",):
        seen = host.with_generation(generation) if generation else host  # type: ignore[arg-type]
        for words in requests(host, seed):
            ask(f"{generation} {words}", partial(seen.forecast, words))
            say_steps()
        ask(generation, seen.forecast_upgrade)
        say_steps()
        ask(generation, partial(seen.forecast, NAMES[:1], upgrade=True))
        steps.clear()
    made.run("forecast", NAMES[seed % len(NAMES)], "--why", "--all")
    made.run("forecast", "--upgrade", "--why")
