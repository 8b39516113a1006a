"""The way from a source that is dropped back to the others, as values."""

from __future__ import annotations

from typing import NamedTuple

from velpin.model.forecast import Forecast
from velpin.model.reason import Reason


class GoingBack(NamedTuple):
    """An installed package that came from the source, and what it goes back to."""

    name: str
    arch: str
    installed: str
    version: str | None
    """Null if it stays as it is."""
    source: str | None
    why: Reason | None = None
    """Why it stays."""


class WayBack(NamedTuple):
    """The way from a source back to the others."""

    packages: tuple[GoingBack, ...]
    forecast: Forecast | None
    """The transaction that goes back; null if there is nothing to do."""

    @property
    def next(self) -> tuple[str, ...]:
        """What to type for it, once the source is dropped."""
        return self.forecast.next if self.forecast else ()
