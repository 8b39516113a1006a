"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from velpin.kinds.alpm.state import AlpmState
from velpin.model import Forecast, WayOut


def ways_out(
    host: AlpmState,
    texts: Sequence[str],
    found: Forecast,
    works: Callable[[AlpmState, Sequence[str]], bool],
) -> tuple[WayOut, ...]:
    """The first few changes that work."""
    return ()
