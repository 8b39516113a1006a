"""How long what a request gets would stay: what the next upgrade makes of the host as the
transaction leaves it.

The record of packages is amended with the transaction, and asked by the same code. It takes the
whole upgrade, since what another package then needs may move this one; only if nothing changes, and
the package by itself would stay, is that left out.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.errors import VelpinError
from velpin.model.forecast import Stays
from velpin.model.request import Request
from velpin.model.rule import Keep, Pin, command_of
from velpin.ports.packages import Installed
from velpin.store.amended import Amendment, Coming

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from velpin.model.forecast import Answer, Change, Forecast
    from velpin.model.reason import Reason
    from velpin.model.rule import Rule
    from velpin.ports.bundle import Ports

_MOST_RULED = 4
"""For so many packages that would move a rule is looked for."""


def with_stays(ports: Ports, found: Forecast, offering: Ports | None = None) -> Forecast:
    """Return a forecast whose answers say how long their versions stay.

    `offering` is the host whose indexes have what comes, if that is another.
    """
    after = ports.seen(ports.view.amended(amendment(offering or ports, found.changes)))
    judge = _Judge(after, changes=bool(found.changes))
    answers = (
        answer._replace(stays=judge.stays(answer)) if answer.version is not None else answer
        for answer in found.answers
    )
    found = found._replace(answers=tuple(answers))
    if not found.changes:
        return found
    behind = (offering or ports).transactions.left_behind(found, lambda: judge.upgrade.changes)
    return found._replace(notes=(*found.notes, *behind))


def amendment(ports: Ports, changes: Sequence[Change]) -> Amendment:
    """Return what a transaction makes of the record of packages."""
    gone: set[int] = set()
    coming: list[Coming] = []
    automatic: set[tuple[str, str]] = set()
    for change in changes:
        gone |= _rows_that_go(ports, change)
        entry = _entry(ports, change)
        if entry is not None:
            coming.append(entry)
            if change.old is None and change.role != "asked":
                automatic.add((change.name, change.arch))
    return Amendment(frozenset(gone), tuple(coming), frozenset(automatic))


def _rows_that_go(ports: Ports, change: Change) -> set[int]:
    record = ports.indexes.record
    if record is None or change.old is None:
        return set()
    rows = [row for row in record.rows(change.name) if row.version == change.old]
    exact = [row for row in rows if row.arch == change.arch]
    return {row.id for row in exact or rows[:1]}


def _entry(ports: Ports, change: Change) -> Coming | None:
    """The entry of the version that a change brings."""
    source = ports.configuration.by_handle.get(change.source or "")
    if source is None or change.new is None:
        return None
    for index in ports.indexes.of(source):
        for row in index.rows(change.name):
            if (row.arch, row.version) == (change.arch, change.new):
                return Coming(index, row)
    return None


class _Judge:
    """Says of one host, as a transaction leaves it, what its next upgrade does."""

    def __init__(self, after: Ports, *, changes: bool) -> None:
        self._after, self._changes = after, changes
        self._ruled = 0

    @cached_property
    def upgrade(self) -> Forecast:
        """The next full upgrade."""
        return self._after.transactions.predict_upgrade()

    def stays(self, answer: Answer) -> Stays:
        """How long the version of an answer stays."""
        as_it_is = Stays(version=answer.version, source=answer.source)
        if not self._changes and self._stays_alone(answer):
            return as_it_is
        change = _change_of(answer, self.upgrade)
        if change is None:
            return as_it_is
        replacing = _replacing(change, self.upgrade)
        return Stays(
            until="next upgrade",
            version=change.new,
            source=replacing.source if replacing else change.source,
            replaced_by=replacing.name if replacing else "",
            rule=self._rule_for(answer),
            reasons=self._why(answer, change),
        )

    def _stays_alone(self, answer: Answer) -> bool:
        here = Installed(
            answer.package, answer.arch, answer.version or "", answer.source or "", False
        )
        alone = self._after.answers.next_alone(here)
        return alone is None or alone.version == answer.version

    def _why(self, answer: Answer, change: Change) -> tuple[Reason, ...]:
        """Why the other version would be taken, if a request for the name takes it too."""
        if change.new is None:
            return ()
        again = self._after.transactions.predict([Request(answer.package, answer.package)])
        chosen = (each for each in again.forecast.answers if each.version == change.new)
        return next((each.reasons for each in chosen), ())

    def _rule_for(self, answer: Answer) -> str:
        """The command of the first rule with which the next upgrade leaves it, tried."""
        from velpin.core.rule_plans import considering, plan_rules

        if self._ruled == _MOST_RULED:
            return ""
        self._ruled += 1
        for rule in _rules_for(answer):
            try:
                plan = plan_rules(self._after, [rule])
                if plan.why_not():
                    continue
                upgrade = considering(self._after, plan).transactions.predict_upgrade()
            except VelpinError:
                continue
            if upgrade.ok and _change_of(answer, upgrade) is None:
                return command_of(rule)
        return ""


def _rules_for(answer: Answer) -> Iterator[Rule]:
    """The rule that lasts longest first: from this source, in this version, as it is."""
    if answer.source:
        yield Pin((answer.package,), source=answer.source)
    if answer.version:
        yield Pin((answer.package,), answer.version)
    yield Keep((answer.package,))


def _change_of(answer: Answer, upgrade: Forecast) -> Change | None:
    """What an upgrade makes of the version of an answer; its architecture may change too."""
    mine = [
        change
        for change in upgrade.changes
        if (change.name, change.old) == (answer.package, answer.version)
    ]
    exact = [change for change in mine if change.arch == answer.arch]
    return next(iter(exact or mine), None)


def _replacing(change: Change, upgrade: Forecast) -> Change | None:
    """What comes in the place of a package that an upgrade removes."""
    if change.role != "replaced":
        return None
    coming = (each for each in upgrade.changes if each.name == change.by and each.new)
    return next(coming, None)
