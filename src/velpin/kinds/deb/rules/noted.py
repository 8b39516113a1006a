"""What a wish does beside what it is for, worth a line before it is made."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from velpin.change.plan import Plan
from velpin.kinds.deb.forecast import forecast, would_work
from velpin.kinds.deb.rules.meaning import handles_meant, is_meant, names_meant, names_of
from velpin.kinds.deb.rules.proof import same_elsewhere
from velpin.kinds.deb.rules.settled import unfinished
from velpin.kinds.deb.rules.written import standing
from velpin.kinds.deb.state import DebState
from velpin.model import Fact, Reason
from velpin.wish import Wish, command_of

_MOST_ASKED = 6
"""Packages of a confined source that are asked for, to see what they lack."""


def notes_on(host: DebState, plan: Plan) -> Iterator[Reason]:
    """What is to be said of the wishes in a plan."""
    if plan.error or plan.unmet or plan.unchanged:
        return
    after = host.with_edits(plan.edits)
    for one in plan.wishes:
        wish = _in_full(after, one)
        if wish.kind == "confine":
            yield from islice(_left_without(host, after, wish), 1)
        if wish.source and (wish.kind == "confine" or wish.names == ("*",)):
            yield from _same_elsewhere(after, wish)
        if wish.pre_releases:
            yield from _barred_too(host, wish)


def notes_on_drop(host: DebState, handle: str) -> Iterator[Reason]:
    """Wishes about a source that would mean nothing without it."""
    for one in standing(host):
        if one.wish.source == handle:
            commands = {"wish": command_of(one.wish), "lift": command_of(one.wish, lift=True)}
            yield Reason("wish-left", commands)


def _in_full(after: DebState, wish: Wish) -> Wish:
    """A wish with the names that it had before."""
    found = (one.wish for one in standing(after))
    same = (one for one in found if one._replace(names=wish.names) == wish)
    return next(same, wish)


def _left_without(host: DebState, after: DebState, wish: Wish) -> Iterator[Reason]:
    """Packages that a confined source may give, and which then lack what it may not give."""
    handles = handles_meant(host, [wish.source])
    for name in names_meant(host, wish.names, of=handles[0])[:_MOST_ASKED]:
        if would_work(after, [name]):
            continue
        was = forecast(host, [name])
        lacking = [
            change.name
            for change in was.changes
            if change.source in handles and not is_meant(wish.names, change.name)
        ]
        if lacking:
            facts = {"name": name, "lacking": ", ".join(lacking)}
            more = wish._replace(names=tuple(lacking))
            yield Reason("left-without", {**facts, "command": command_of(more)})


def _same_elsewhere(after: DebState, wish: Wish) -> Iterator[Reason]:
    """What would still be downloaded from a source, since another one has the very same."""
    allowed = wish.names if wish.kind == "confine" else ()
    for handle in handles_meant(after, [wish.source]):
        names = [name for name in names_of(after, handle) if not is_meant(allowed, name)]
        found = same_elsewhere(after, handle, names)
        if found:
            others = ", ".join(dict.fromkeys(found.values()))
            facts: dict[str, Fact] = {"names": ", ".join(found), "source": handle, "other": others}
            yield Reason("same-from-first", facts)


def _barred_too(host: DebState, wish: Wish) -> Iterator[Reason]:
    """Other sources whose versions a bar of what is not final meets as well."""
    mine = set(handles_meant(host, [wish.source]))
    names = {name for handle in mine for name in names_of(host, handle)}
    for source in host.sources:
        if source.on and source.handle not in mine:
            also = [name for name in unfinished(host, wish, source.handle) if name in names]
            if also:
                facts: dict[str, Fact] = {"names": ", ".join(also), "source": source.handle}
                yield Reason("barred-too", facts)
