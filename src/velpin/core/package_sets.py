"""Forecasts of requests for sets of packages (`@NAME:STREAM`), which bring settings with them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.core.forecasting import forecast
from velpin.core.next_commands import as_lines, refresh_first
from velpin.model.reasons import SetBrings
from velpin.ports.commands import InstallWords

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.forecast import Forecast
    from velpin.model.reason import Reason
    from velpin.ports.bundle import Ports


def is_set(text: str) -> bool:
    """Whether a request is for a set of packages."""
    return text.startswith("@")


def forecast_with_sets(
    ports: Ports,
    texts: Sequence[str],
    source: str = "",
    *,
    without: Sequence[str] = (),
    allow_older: bool = False,
) -> Forecast:
    """Predict one transaction for requests of which some are for sets.

    Raises Refusal for a set that is not there or that the installer does not take, and what
    `forecast` raises.
    """
    after = ports
    names: list[str] = []
    notes: list[Reason] = []
    for text in texts:
        if not is_set(text):
            names.append(text)
            continue
        meant = after.offers.set_meant(text)
        if meant.edits:
            after = after.with_edits(meant.edits)
        names += meant.names
        notes.append(SetBrings(asked=text, names=tuple(meant.names), besides=meant.besides))
    found = forecast(
        after, list(dict.fromkeys(names)), source, without=without, allow_older=allow_older
    )
    found = found._replace(notes=(*notes, *found.notes))
    if not (found.ok and found.changes) or source or without:
        return found._replace(next=())
    if not all(is_set(text) or after.packages.knows(text) for text in texts):
        return found._replace(next=())
    commands = ports.transactions.commands.install(InstallWords(texts))
    return found._replace(next=as_lines(*refresh_first(ports, found), *commands))
