"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from velpin.errors import VelpinError
from velpin.kinds.alpm.edit import switch
from velpin.kinds.alpm.rules.plan import plan_rule_drop
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Fact, Forecast, Place, Reason, WayOut
from velpin.tree import Edits

_TRIES = 10
_ENOUGH = 2

Try = Callable[[AlpmState, Sequence[str]], bool]
"""Whether a host would carry out some requests."""


class _Change(NamedTuple):
    way: WayOut
    texts: Sequence[str]
    edits: Edits


def ways_out(
    host: AlpmState, texts: Sequence[str], found: Forecast, works: Try
) -> tuple[WayOut, ...]:
    """The first few changes that work, those for which nothing is written first."""
    ways: list[WayOut] = []
    seen: set[str] = set()
    for change in _changes(host, texts, found):
        if change.way.command in seen:
            continue
        seen.add(change.way.command)
        if works(host.with_edits(change.edits) if change.edits else host, change.texts):
            ways.append(change.way)
        if len(ways) == _ENOUGH or len(seen) == _TRIES:
            break
    return tuple(ways)


def _changes(host: AlpmState, texts: Sequence[str], found: Forecast) -> Iterator[_Change]:
    yield from _in_another_order(texts)
    yield from _from_another(host, texts, found)
    reasons = list(_all_of([*found.chain, *(a.problem for a in found.answers if a.problem)]))
    for reason in reasons:
        yield from _with_it_too(texts, reason)
        off = str(reason.facts.get("off", ""))
        if off:
            yield from _on_for(host, texts, str(reason.facts.get("name", "")), off.split(", "))
    for answer in found.answers:
        if answer.problem is not None:
            yield from _on_for(host, texts, answer.package, [one.handle for one in host.sources])
    passed = [one.why for answer in found.answers for one in answer.passed_over]
    for reason in (*reasons, *_all_of(passed)):
        yield from _without_rule(host, texts, str(reason.facts.get("place", "")))


def _all_of(reasons: Sequence[Reason]) -> Iterator[Reason]:
    for reason in reasons:
        yield reason
        yield from _all_of(reason.then)


def _in_another_order(texts: Sequence[str]) -> Iterator[_Change]:
    """Choices are made in the order of what is asked for."""
    for at in range(1, len(texts)):
        asked = [texts[at], *texts[:at], *texts[at + 1 :]]
        way = WayOut(f"velpin forecast {' '.join(asked)}", Reason("ask-first", {"name": texts[at]}))
        yield _Change(way, asked, {})


def _from_another(host: AlpmState, texts: Sequence[str], found: Forecast) -> Iterator[_Change]:
    """The same name from a later source."""
    for answer in found.answers:
        for one in host.pool.offered(answer.package):
            if one.origin.handle == answer.source or answer.asked not in texts:
                continue
            word = f"{one.name}%{one.origin.handle}"
            asked = [word if text == answer.asked else text for text in texts]
            facts: dict[str, Fact] = {
                "name": one.name, "version": one.version, "source": one.origin.handle,
            }  # fmt: skip
            way = WayOut(f"velpin forecast {' '.join(asked)}", Reason("ask-instead", facts))
            yield _Change(way, asked, {})


def _with_it_too(texts: Sequence[str], reason: Reason) -> Iterator[_Change]:
    """What is ignored as a need comes where it is asked for by name; so does what is in a
    source that gives nothing unasked."""
    name, source = str(reason.facts.get("name", "")), str(reason.facts.get("source", ""))
    if reason.code == "would-do" and name and source:
        word = f"{name}%{source}"
        asked = [word, *texts]
        facts = {"name": name, "version": reason.facts.get("version", ""), "source": source}
        way = WayOut(f"velpin forecast {' '.join(asked)}", Reason("ask-for-version", dict(facts)))
        yield _Change(way, asked, {})


def _on_for(
    host: AlpmState, texts: Sequence[str], name: str, handles: Sequence[str]
) -> Iterator[_Change]:
    for source, index in host.indexes_off():
        if source.handle in handles and (index.rows(name) or index.providers(name)):
            what = Reason("source-on", {"source": source.handle, "name": name})
            edits = switch(host.tree, source, True)
            yield _Change(WayOut(f"velpin on {source.handle}", what), texts, edits)


def _without_rule(host: AlpmState, texts: Sequence[str], place: str) -> Iterator[_Change]:
    file, _, line = place.rpartition(":")
    if not (file and line.isdigit()):
        return
    try:
        plan = plan_rule_drop(host, Place(file, int(line)))
    except VelpinError:
        return
    what = Reason("rule-in-the-way", {"place": place})
    yield _Change(WayOut(f"velpin rules drop {place}", what), texts, plan.edits)
