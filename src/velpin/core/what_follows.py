"""What to type once a change is made: commands of the installer on the host after it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.core.forecasting import bare_forecast, forecast_upgrade, requests_of
from velpin.core.next_commands import as_lines, commands_for

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.ports.bundle import Ports


def commands_after(
    after: Ports, names: Sequence[str], *, upgrade: bool, refresh: bool
) -> tuple[str, ...]:
    """Return what to type once a change is made: for some names, else with `upgrade` for the full
    upgrade, else with `refresh` for the installer's own indexes if they lack something."""
    if after.readiness.refusal() is not None:
        return ()
    found: tuple[str, ...] = ()
    if names:
        found = commands_for(after, requests_of(after, names), bare_forecast(after, names))
    if not found and upgrade:
        found = forecast_upgrade(after).next
    return found or (
        as_lines(after.transactions.commands.refresh()) if refresh and is_behind(after) else ()
    )


def is_behind(ports: Ports) -> bool:
    """Return whether the installer lacks an index that Velpin has."""
    on = (source for source in ports.configuration.sources if source.on)
    return any(ports.indexes.holder(source) == "velpin" for source in on)
