"""Installed packages that a source would take over unnoticed, and what would prevent it."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.core.forecasting import forecast_upgrade
from velpin.core.host_diff import after_upgrade
from velpin.core.rule_plans import considering, plan_rules
from velpin.core.shift import newly_removed, taken_over
from velpin.errors import VelpinError
from velpin.model.rule import Bar, Confine, Keep, Rule, command_of
from velpin.model.shift import Shift

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports

MOST_GLOBS = 8
"""So many names or globs one rule is given at most."""


class Takeover(NamedTuple):
    """Packages that would change hands or go unnoticed, to which sources, and the command against
    it."""

    handles: tuple[str, ...]
    names: tuple[str, ...]
    command: str
    """Empty where none was found."""
    removed: tuple[str, ...] = ()
    """Packages that the next upgrade would remove: something of these sources replaces them, or
    cannot be beside them."""


def find_takeover(
    after: Ports, shift: Shift, handles: Sequence[str], named: Sequence[str]
) -> Takeover | None:
    """What some sources would take over or remove without being asked in a shift; None where that
    is nothing.

    `after` is the host with the considered change; `named` are package names or globs that the
    administrator spoke of. The command was tried: with it nothing is taken over or removed.
    """
    names = [name for name in taken_over(shift, handles) if not _is_one_of(name, named)]
    removed = [name for name in newly_removed(shift) if not _is_one_of(name, named)]
    if not (names or (removed and handles)):
        return None
    rule = _prevention(after, shift, handles, names, removed, named)
    command = command_of(rule) if rule else ""
    return Takeover(tuple(handles), tuple(names), command, tuple(removed))


def _prevention(
    after: Ports, shift: Shift, handles: Sequence[str], names: Sequence[str],
    removed: Sequence[str], named: Sequence[str],
) -> Rule | None:  # fmt: skip
    if len(handles) != 1:
        return None
    (handle,) = handles
    pushing = _replacing(after, handle) if removed else []
    spared = [name for name in _only_there(shift, handle) if name not in pushing]
    globs = globs_for(spared, [*names, *pushing])
    more = [name for name in named if not _is_one_of(name, globs)]
    tries: list[Rule] = [
        Confine(handle, tuple(confined))
        for confined in ([*more, *globs], list(named))
        if 0 < len(confined) <= MOST_GLOBS
    ]
    barred = tuple(dict.fromkeys((*names, *pushing)))
    if 0 < len(barred) <= MOST_GLOBS:
        tries.append(Bar(barred, source=handle))
    kept = tuple(dict.fromkeys((*names, *removed)))
    if 0 < len(kept) <= MOST_GLOBS:
        tries.append(Keep(kept))
    return next((rule for rule in tries if _prevents(after, rule, names, removed, handle)), None)


def _replacing(after: Ports, handle: str) -> list[str]:
    """Packages of a source that the next upgrade would bring for something that goes."""
    try:
        changes = forecast_upgrade(after).changes
    except VelpinError:
        return []
    return list(
        dict.fromkeys(
            change.name for change in changes if change.source == handle and change.old is None
        )
    )


def _only_there(shift: Shift, handle: str) -> list[str]:
    """Names that come new with a source."""
    return [
        answer.name
        for answer in shift.answers
        if answer.before is None and answer.after and answer.after[1] == handle
    ]


def globs_for(names: Sequence[str], others: Sequence[str]) -> list[str]:
    """Globs that mean some names and none of some others; it stops at one more than is of use."""
    found: list[str] = []
    for name in sorted(names, key=len):
        if len(found) > MOST_GLOBS:
            break
        if _is_one_of(name, found):
            continue
        kin = [other for other in names if other.startswith(name)]
        wide = len(kin) > 1 and not any(other.startswith(name) for other in others)
        found.append(f"{name}*" if wide else name)
    return found


def _is_one_of(name: str, texts: Sequence[str]) -> bool:
    """Whether a name is one of some names or globs."""
    return any(fnmatch.fnmatchcase(name, text) for text in texts)


def _prevents(
    after: Ports, rule: Rule, names: Sequence[str], removed: Sequence[str], handle: str
) -> bool:
    """Whether under a rule none of some packages changes hands or goes."""
    try:
        plan = plan_rules(after, [rule])
    except VelpinError:
        return False
    if plan.error or plan.unmet:
        return False
    selections = after_upgrade(considering(after, plan)).selections
    return not any(
        (name in names and selection is not None and selection[1] == handle)
        or (name in (*names, *removed) and selection is None)
        for (name, _), (_, selection) in selections.items()
    )
