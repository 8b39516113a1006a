"""The same question for both generations of a host's installer, side by side."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import no_generations
from velpin.model.forecast import Change, Forecast
from velpin.model.installer import GENERATIONS, GenerationName

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports


class GenerationDifference(NamedTuple):
    """One package for which the generations do different things."""

    name: str
    arch: str
    older: Change | None
    """What the older generation would do with it; None where it would leave it alone."""
    newer: Change | None


class GenerationComparison(NamedTuple):
    """What each generation would make of the same question."""

    here: GenerationName
    """The generation that this host is forecast for."""
    older: Forecast
    newer: Forecast
    differences: tuple[GenerationDifference, ...]
    """By name; empty as well where either would refuse."""

    @property
    def same(self) -> bool:
        """Whether both would do the same."""
        return self.older.ok == self.newer.ok and not self.differences


def of_generation(ports: Ports, generation: GenerationName) -> Ports:
    """The same host with an installer of a generation; UsageError if all decide alike."""
    if generation not in GENERATIONS or not ports.configuration.installer.generation:
        raise no_generations(ports.kind)
    return ports.seen(ports.view.with_generation(generation))


def compare_generations(ports: Ports, ask: Callable[[Ports], Forecast]) -> GenerationComparison:
    """Ask the same of the host with each generation of its installer.

    Raises UsageError if all generations of this kind's installer decide alike, and what `ask`
    raises.
    """
    here = ports.configuration.installer.generation or "older"
    older, newer = (ask(of_generation(ports, name)) for name in GENERATIONS)
    found = tuple(_differences(older, newer)) if older.ok and newer.ok else ()
    return GenerationComparison(here, older, newer, found)


def _differences(older: Forecast, newer: Forecast) -> list[GenerationDifference]:
    before = {(change.name, change.arch): change for change in older.changes}
    after = {(change.name, change.arch): change for change in newer.changes}
    return [
        GenerationDifference(*key, before.get(key), after.get(key))
        for key in sorted({*before, *after})
        if _what(before.get(key)) != _what(after.get(key))
    ]


def _what(change: Change | None) -> tuple[str | None, str | None] | None:
    return (change.new, change.source) if change is not None else None
