"""What differs between two forecasts of the whole host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.model import Shift

if TYPE_CHECKING:
    from velpin.kinds.base import Host


def shift_between(before: Host, after: Host, names: tuple[str, ...] = ()) -> Shift:
    """Installed packages whose next version or source differs, and names come or gone.

    `names` are packages whose answers are wanted before and after as well.
    """
    had, has = before.offered_names(), after.offered_names()
    known = set(before.installed_names())
    asked = [(before.forecast([name]).answers, after.forecast([name]).answers) for name in names]
    return Shift(
        moved=tuple(after.moves_since(before)),
        new_names=tuple(sorted(has - had - known)),
        gone_names=tuple(sorted(had - has - known)),
        asked=tuple((was[0], now[0]) for was, now in asked if was and now),
    )
