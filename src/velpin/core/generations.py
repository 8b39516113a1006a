"""The same question for both generations of a host's installer, side by side."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.model.forecast import Change, Forecast
from velpin.model.installer import GenerationName

if TYPE_CHECKING:
    from velpin.core.host import Host


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


def compare_generations(
    host: Host, texts: Sequence[str], source: str = "", *, realign: bool = False
) -> GenerationComparison:
    """Forecast some requests, or without any the full upgrade, for both generations.

    Raises UsageError where all generations of this kind's installer decide alike, and for what
    `Host.forecast` and `Host.forecast_upgrade` raise it.
    """
    here = host.installer.generation or "older"
    told = []
    for generation in ("older", "newer"):
        asked = host.with_generation(generation)
        told.append(
            asked.forecast(texts, source) if texts else asked.forecast_upgrade(realign=realign)
        )
    older, newer = told
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
