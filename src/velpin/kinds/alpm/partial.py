"""What may not fit each other if a package comes and the upgrade of others is left for later.

Lists of an alpm host belong together: what comes was built against the newest of everything in
them, and few needs say a version. The installer checks what the needs say and no more.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.reasons import BuiltForNewer, PartialUpgrade, UserLeftBehind
from velpin.model.forecast import PACKAGE_FILE
from velpin.model.shell import shell_word

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from velpin.kinds.alpm.pool import AlpmPackage
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.forecast import Answer, Change
    from velpin.model.reason import Reason

_MOST = 5


def left_behind(
    state: AlpmState, answers: Sequence[Answer], changes: Sequence[Change], later: Sequence[Change]
) -> Iterator[Reason]:
    """Yield what to know of a transaction that leaves these changes of the next upgrade for later;
    nothing if it leaves none."""
    waiting = {change.name: change.new for change in later if change.old and change.new}
    if not waiting:
        return
    causes = [*_built_for_newer(state, changes, waiting), *_users(state, changes, waiting)]
    asked = [answer.asked for answer in answers if answer.outcome != "remove"]
    if any(answer.source == PACKAGE_FILE for answer in answers):
        asked = []  # the installer takes files apart from the upgrade
    yield PartialUpgrade(
        count=len(waiting),
        names=tuple(shell_word(text) for text in asked),
        risks=len(causes),
        because=tuple(causes[:_MOST]),
    )


def _built_for_newer(
    state: AlpmState, changes: Sequence[Change], waiting: dict[str, str]
) -> Iterator[Reason]:
    """What comes and needs something of which an older version stays."""
    pool = state.packages.pool
    for change in changes:
        package = _coming(state, change)
        for relation in package.facts.depends if package else ():
            for here in pool.installed_satisfying(relation):
                if here.name in waiting and here.name != change.name:
                    yield BuiltForNewer(
                        name=change.name, version=change.new or "", other=here.name,
                        installed=here.version, newer=waiting[here.name],
                    )  # fmt: skip


def _users(
    state: AlpmState, changes: Sequence[Change], waiting: dict[str, str]
) -> Iterator[Reason]:
    """What stays and needs something of which a newer version comes."""
    own = state.packages.pool.own
    for change in changes:
        if own is None or not (change.old and change.new):
            continue
        for user in own.linked(AlpmLink.DEPENDS, change.name):
            if user.name in waiting:
                yield UserLeftBehind(
                    name=user.name, version=user.version, other=change.name,
                    then=change.new, newer=waiting[user.name],
                )  # fmt: skip


def _coming(state: AlpmState, change: Change) -> AlpmPackage | None:
    """The package that a change brings."""
    found = (one for one in state.packages.pool.offered(change.name) if one.version == change.new)
    return next(found, None) if change.new else None
