"""What differs between two forecasts of the whole host."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING

from velpin.core.forecasting import forecast
from velpin.core.host_diff import after_upgrade, changed_answers
from velpin.forked import ForkedTask
from velpin.model.forecast import HeldBack
from velpin.model.reasons import Needs, WouldDo
from velpin.model.rule_reasons import LetIn
from velpin.model.shift import ChangedUpgrade, Selection, Shift, UpgradeResult
from velpin.ports.indexes import parse_all

if TYPE_CHECKING:
    from velpin.model.reason import Reason
    from velpin.ports.bundle import Ports


def shift_between(
    before: Ports,
    after: Ports,
    names: Sequence[str] = (),
    was: Callable[[], UpgradeResult] | None = None,
) -> Shift:
    """Installed packages first, as the next upgrade would leave them; then every other name.

    `names` are packages whose answers are wanted before and after as well; `was` gives how the
    host stands after the upgrade before the change, if that may be known already.
    """
    for ports in (before, after):
        if ports.readiness.refusal() is None:
            parse_all(ports.indexes)
    then = was or partial(after_upgrade, before)
    with ForkedTask(then) as first, ForkedTask(partial(after_upgrade, after)) as second:
        answers = tuple(changed_answers(before, after))
        earlier, now = first.result(), second.result()
    asked = [(forecast(before, [name]).answers, forecast(after, [name]).answers) for name in names]
    return Shift(
        upgrades=tuple(_changed_upgrades(earlier, now)),
        held_back=tuple(_newly_held_back(earlier, now)),
        answers=answers,
        asked=tuple((one[0], other[0]) for one, other in asked if one and other),
        upgrade_problem=now.problem if not earlier.problem else None,
    )


def _changed_upgrades(was: UpgradeResult, now: UpgradeResult) -> Iterator[ChangedUpgrade]:
    for (name, arch), (installed, stand) in sorted(now.selections.items()):
        _, before = was.selections.get((name, arch), (installed, None))
        if before != stand:
            because = _let_in_by(was, now, (name, installed))
            yield ChangedUpgrade(name, arch, installed, before, stand, because)


def _let_in_by(was: UpgradeResult, now: UpgradeResult, here: tuple[str, str]) -> Reason | None:
    """What lets a package change that was held back: the first package among its reasons that
    comes from elsewhere now."""
    held = next((each for each in was.held_back if (each.name, each.installed) == here), None)
    for why in held.why if held else ():
        if not isinstance(why, Needs):
            continue
        helping = [each.name for each in why.because if isinstance(each, WouldDo)]
        for other in (*re.split(r"[ |:]+", why.relation), *helping):
            comes = _coming(was, now, other)
            if comes:
                return LetIn(
                    package=why.package, version=why.version, relation=why.relation,
                    source=comes.source,
                )  # fmt: skip
    return None


def _coming(was: UpgradeResult, now: UpgradeResult, name: str) -> Selection | None:
    """How a package stands now, if it has a source and stood otherwise before."""
    for key, (_, after) in now.selections.items():
        before = was.selections.get(key)
        if key[0] == name and after and after.source and before and before[1] != after:
            return after
    return None


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
