"""What the installer of deb hosts asks before it carries a transaction out.

Observed rules: docs/how-hosts-choose/deb.md, "What the installer asks".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.deb.copies import is_verified
from velpin.model.forecast import Question, Reply
from velpin.model.questions import (
    ChangesHeld,
    Proceed,
    RemovesEssential,
    TakesOlder,
    TakesUnverified,
)

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from velpin.kinds.deb.conf import Conf
    from velpin.kinds.deb.state import DebState
    from velpin.kinds.deb.transaction.steps import Transaction
    from velpin.model.forecast import Change, Forecast
    from velpin.model.reason import Reason

_OPTION = "-y"
_YES = "APT::Get::Assume-Yes"
_OLDER = ("--allow-downgrades", "APT::Get::allow-downgrades")
_HELD = ("--allow-change-held-packages", "APT::Get::allow-change-held-packages")
_ESSENTIAL = ("--allow-remove-essential", "APT::Get::allow-remove-essential")
_UNVERIFIED = ("--allow-unauthenticated", "APT::Get::AllowUnauthenticated")
"""Options, and the settings that do the same."""


def stops(done: Transaction, changes: Sequence[Change]) -> Iterator[Question]:
    """Yield what the installer wants an option for, in its order: essential packages that go, older
    versions, held packages that change."""
    conf = done.world.state.configuration.conf
    essential = [
        unit.name for unit in done.changed
        if unit.installed and not unit.chosen and done.world.is_essential(unit)
    ]  # fmt: skip
    if essential:
        yield from _unless_allowed(
            conf, RemovesEssential(names=tuple(essential)), _ESSENTIAL, "stops"
        )
    older = [change.name for change in changes if change.outcome == "downgrade"]
    if older:
        yield from _unless_allowed(conf, TakesOlder(names=tuple(older)), _OLDER)
    held = [unit.name for unit in done.changed if unit.held]
    if held:
        yield from _unless_allowed(conf, ChangesHeld(names=tuple(held)), _HELD)


def questions(state: DebState, found: Forecast, *, upgrade: bool) -> Iterator[Question]:
    """Yield the rest of what the installer asks; it asks nothing for what changes as many packages
    as were named, and takes none away (observed)."""
    conf = state.configuration.conf
    coming = [change for change in found.changes if change.new is not None]
    named = {
        (answer.package, answer.arch)
        for answer in found.answers
        if answer.version is not None and answer.outcome != "remove"
    }
    older = any(change.outcome == "downgrade" for change in found.changes)
    as_named = len(found.changes) == len(coming) == len(named)
    if (upgrade or found.questions or older or not as_named) and not conf.switch(_YES, False):
        yield Question(Proceed(), default="yes", unattended="yes", option=_OPTION)
    unverified = [change for change in coming if not _is_verified(state, change.source)]
    if unverified:
        names = tuple(change.name for change in unverified)
        sources = tuple(sorted({change.source or "" for change in unverified}))
        asks = TakesUnverified(names=names, sources=sources)
        yield from _unless_allowed(conf, asks, _UNVERIFIED, "no")


def _unless_allowed(
    conf: Conf, asks: Reason, by: tuple[str, str], default: Reply = ""
) -> Iterator[Question]:
    """Yield what takes an option, unless the settings have it."""
    option, setting = by
    if conf.switch(setting, False):
        return
    unasked = conf.switch(_YES, False)
    yield Question(asks, "stops" if unasked else default, "stops", _OPTION, option)


def _is_verified(state: DebState, handle: str | None) -> bool:
    """Whether the installer takes the index of a source as signed by a key that it has."""
    source = state.configuration.by_handle.get(handle or "")
    if source is None or source.trusted:
        return True
    if source.option("trusted"):
        return False  # said not to be trusted, whoever signed it
    return is_verified(state.tree, state.indexes.copies[source.handle])
