"""What differs between two forecasts of the whole host."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.forked import ForkedTask
from velpin.model.forecast import HeldBack
from velpin.model.shift import ChangedUpgrade, Shift, UpgradeResult

if TYPE_CHECKING:
    from velpin.core.host import Host


def shift_between(before: Host, after: Host, names: Sequence[str] = ()) -> Shift:
    """Installed packages first, as the next upgrade would leave them; then every other name.

    `names` are packages whose answers are wanted before and after as well.
    """
    for host in (before, after):
        host.open_indexes()
    with ForkedTask(before.after_upgrade) as first, ForkedTask(after.after_upgrade) as second:
        answers = tuple(after.changed_answers(before))
        was, now = first.result(), second.result()
    asked = [(before.forecast([name]).answers, after.forecast([name]).answers) for name in names]
    return Shift(
        upgrades=tuple(_changed_upgrades(was, now)),
        held_back=tuple(_newly_held_back(was, now)),
        answers=answers,
        asked=tuple((then[0], now[0]) for then, now in asked if then and now),
        upgrade_problem=now.problem if not was.problem else None,
    )


def _changed_upgrades(was: UpgradeResult, now: UpgradeResult) -> Iterator[ChangedUpgrade]:
    for (name, arch), (installed, stand) in sorted(now.selections.items()):
        _, before = was.selections.get((name, arch), (installed, None))
        if before != stand:
            yield ChangedUpgrade(name, arch, installed, before, stand)


def _newly_held_back(was: UpgradeResult, now: UpgradeResult) -> Iterator[HeldBack]:
    known = {(held.name, held.arch) for held in was.held_back}
    return (held for held in now.held_back if (held.name, held.arch) not in known)


def newly_removed(shift: Shift) -> list[str]:
    """Installed packages that the next upgrade would remove, and would not have before."""
    return [
        upgrade.name
        for upgrade in shift.upgrades
        if upgrade.after is None and upgrade.before is not None
    ]


def taken_over(shift: Shift, handles: Sequence[str]) -> list[str]:
    """Installed packages that would change to a version of one of some sources, and would not
    have before."""
    return [
        upgrade.name
        for upgrade in shift.upgrades
        if upgrade.after
        and upgrade.after[1] in handles
        and upgrade.after[0] != upgrade.installed
        and not (upgrade.before and upgrade.before[1] in handles)
    ]
