"""Installed packages that a source would take over unnoticed, and what would prevent it."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.core.shift import taken_over
from velpin.errors import VelpinError
from velpin.model.rule import Rule, command_of
from velpin.model.shift import Shift

if TYPE_CHECKING:
    from velpin.core.host import Host

MOST_GLOBS = 8
"""So many names or globs one rule is given at most."""


class Takeover(NamedTuple):
    """Packages that would change hands unnoticed, to which sources, and the command against it."""

    handles: tuple[str, ...]
    names: tuple[str, ...]
    command: str
    """Empty where none was found."""


def find_takeover(
    after: Host, shift: Shift, handles: Sequence[str], named: Sequence[str]
) -> Takeover | None:
    """What some sources would take over without being asked in a shift; None where that is nothing.

    `after` is the host with the considered change; `named` are package names or globs that the
    administrator spoke of. The command was tried: with it nothing is taken over.
    """
    names = [name for name in taken_over(shift, handles) if not _is_one_of(name, named)]
    if not names:
        return None
    rule = _prevention(after, shift, handles, names, named)
    return Takeover(tuple(handles), tuple(names), command_of(rule) if rule else "")


def _prevention(
    after: Host, shift: Shift, handles: Sequence[str], names: Sequence[str], named: Sequence[str]
) -> Rule | None:
    if len(handles) != 1:
        return None
    (handle,) = handles
    globs = globs_for(_only_there(shift, handle), names)
    more = [name for name in named if not _is_one_of(name, globs)]
    for confined in ([*more, *globs], list(named)):
        rule = Rule("confine", tuple(confined), handle)
        if 0 < len(confined) <= MOST_GLOBS and _prevents(after, rule, names, handle):
            return rule
    if len(names) > MOST_GLOBS:
        return None
    others = (Rule("bar", tuple(names), handle), Rule("keep", tuple(names)))
    return next((rule for rule in others if _prevents(after, rule, names, handle)), None)


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


def _prevents(after: Host, rule: Rule, names: Sequence[str], handle: str) -> bool:
    try:
        plan = after.plan_rules([rule])
    except VelpinError:
        return False
    if plan.error or plan.unmet:
        return False
    selections = after.considering(plan).after_upgrade().selections
    return not any(
        selection and selection[1] == handle
        for (name, _), (_, selection) in selections.items()
        if name in names
    )  # fmt: skip
