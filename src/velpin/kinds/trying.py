"""Small changes with which a refused request would be carried out: which of them work.

What could help is for each kind of host to say; that each was tried, and how many are named,
is the same for all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from typing import Any, NamedTuple, TypeVar

from velpin.change.plan import Plan
from velpin.errors import VelpinError
from velpin.kinds.listed import Listed
from velpin.model import Fact, Forecast, Place, Reason, Source, WayOut
from velpin.store.index import Index
from velpin.text import whole_number
from velpin.tree import Edits, Tree

S = TypeVar("S", bound=Source)
H = TypeVar("H", bound=Listed[Any])
_TRIES = 10
_ENOUGH = 2

Try = Callable[[Sequence[str], Edits], bool]
"""Whether the host, with some edits, would carry out some requests."""


class Change(NamedTuple):
    """One small change: what is told of it, the requests then, and what is edited first."""

    way: WayOut
    texts: Sequence[str]
    edits: Edits


def those_that_work(changes: Iterable[Change], works: Try) -> tuple[WayOut, ...]:
    """The first few that work, each tried once."""
    found: list[WayOut] = []
    seen: set[str] = set()
    for change in changes:
        if change.way.command in seen:
            continue
        seen.add(change.way.command)
        if works(change.texts, change.edits):
            found.append(change.way)
        if len(found) == _ENOUGH or len(seen) == _TRIES:
            break
    return tuple(found)


def asking(texts: Sequence[str], code: str, **facts: Fact) -> Change:
    """To ask otherwise."""
    return Change(WayOut(f"velpin forecast {' '.join(texts)}", Reason(code, facts)), texts, {})


def pointed_to(
    host: H,
    found: Forecast,
    texts: Sequence[str],
    switch: Callable[[Tree, Any, bool], Edits],
    drop: Callable[[H, Place], Plan],
) -> Iterator[Change]:
    """What the reasons of a refusal point to: a source that is off and has what is wanted, a rule
    in the way; `switch` and `drop` give the edits for them."""

    def on(source: Source) -> Edits:
        return switch(host.tree, source, True)

    reasons = list(all_of([*found.chain, *(one.problem for one in found.answers if one.problem)]))
    for reason in reasons:
        handles = str(reason.facts.get("off", ""))
        if handles:
            name = str(reason.facts.get("name", ""))
            yield from switching_on(host.indexes_off(), name, texts, on, handles.split(", "))
    for answer in found.answers:
        if answer.problem is not None:
            yield from switching_on(host.indexes_off(), answer.package, texts, on)
    passed = (one.why for answer in found.answers for one in answer.passed_over)
    for reason in (*reasons, *all_of(passed)):
        yield from dropping_rule(str(reason.facts.get("place", "")), texts, partial(drop, host))


def switching_on(
    off: Iterable[tuple[S, Index]],
    name: str,
    texts: Sequence[str],
    switched: Callable[[S], Edits],
    handles: Sequence[str] | None = None,
) -> Iterator[Change]:
    """To switch a source on that has a name, one of some where `handles` says which."""
    for source, index in off:
        if handles is not None and source.handle not in handles:
            continue
        if index.rows(name) or index.providers(name):
            what = Reason("source-on", {"source": source.handle, "name": name})
            yield Change(WayOut(f"velpin on {source.handle}", what), texts, switched(source))


def dropping_rule(
    place: str, texts: Sequence[str], planned: Callable[[Place], Plan]
) -> Iterator[Change]:
    """To drop the rule at a place, where there is one."""
    file, _, line = place.rpartition(":")
    at = whole_number(line)
    if not file or at is None:
        return
    try:
        edits = planned(Place(file, at)).edits
    except VelpinError:
        return
    what = Reason("rule-in-the-way", {"place": place})
    yield Change(WayOut(f"velpin rules drop {place}", what), texts, edits)


def all_of(reasons: Iterable[Reason]) -> Iterator[Reason]:
    """Reasons with all their causes."""
    for reason in reasons:
        yield reason
        yield from all_of(reason.then)
