"""What differs between two forecasts of the whole host."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.beside import Beside
from velpin.model import Kept
from velpin.shifts import AfterUpgrade, Moved, Shift

if TYPE_CHECKING:
    from velpin.kinds.base import Host


def shift_between(before: Host, after: Host, names: Sequence[str] = ()) -> Shift:
    """Installed packages first, as the next upgrade would leave them; then every other name.

    `names` are packages whose answers are wanted before and after as well.
    """
    for host in (before, after):
        host.open_indexes()
    upgrades = Beside(lambda: (before.after_upgrade(), after.after_upgrade()))
    try:
        turned = tuple(after.turned_since(before))
        was, now = upgrades.result()
    finally:
        upgrades.stop()
    asked = [(before.forecast([name]).answers, after.forecast([name]).answers) for name in names]
    return Shift(
        moved=tuple(_moved(was, now)),
        kept=tuple(_newly_kept(was, now)),
        turned=turned,
        asked=tuple((one[0], other[0]) for one, other in asked if one and other),
        problem=now.problem if not was.problem else None,
    )


def _moved(was: AfterUpgrade, now: AfterUpgrade) -> Iterator[Moved]:
    for (name, arch), (installed, stand) in sorted(now.stands.items()):
        _, before = was.stands.get((name, arch), (installed, None))
        if before != stand:
            yield Moved(name, arch, installed, before, stand)


def _newly_kept(was: AfterUpgrade, now: AfterUpgrade) -> Iterator[Kept]:
    known = {(one.name, one.arch) for one in was.kept}
    return (one for one in now.kept if (one.name, one.arch) not in known)


def taken_over(shift: Shift, handles: Sequence[str]) -> list[str]:
    """Installed packages that would change to a version of one of some sources, and would not
    have before."""
    return [
        moved.name
        for moved in shift.moved
        if moved.after
        and moved.after[1] in handles
        and moved.after[0] != moved.installed
        and not (moved.before and moved.before[1] in handles)
    ]
