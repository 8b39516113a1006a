"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from velpin.errors import VelpinError
from velpin.kinds.rpm.edit import switch
from velpin.kinds.rpm.rules.plan import plan_rule_drop
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import version_key
from velpin.model import Answer, Fact, Forecast, Place, Reason, WayOut
from velpin.tree import Edits

_TRIES = 10
_ENOUGH = 2

Try = Callable[[RpmState, Sequence[str]], bool]
"""Whether a host would carry out some requests."""


class _Change(NamedTuple):
    way: WayOut
    texts: Sequence[str]
    edits: Edits


def ways_out(
    host: RpmState, texts: Sequence[str], found: Forecast, works: Try
) -> tuple[WayOut, ...]:
    """The first few changes that work, those for which nothing is written first."""
    ways: list[WayOut] = []
    seen: set[str] = set()
    for change in _changes(host, texts, found):
        if change.way.command in seen:
            continue
        seen.add(change.way.command)
        other = host.with_edits(change.edits) if change.edits else host
        if works(other, change.texts):
            ways.append(change.way)
        if len(ways) == _ENOUGH or len(seen) == _TRIES:
            break
    return tuple(ways)


def _changes(host: RpmState, texts: Sequence[str], found: Forecast) -> Iterator[_Change]:
    for answer in found.answers:
        if answer.problem is None:
            yield from _in_another_version(host, found.answers, answer)
    reasons = list(_all_of([*found.chain, *(a.problem for a in found.answers if a.problem)]))
    for reason in reasons:
        yield from _sources_on(host, texts, reason)
    for answer in found.answers:
        if answer.problem is not None:
            yield from _on_for(host, texts, answer.package, [s.handle for s in host.sources])
    passed = [one.why for answer in found.answers for one in answer.passed_over]
    for reason in (*reasons, *_all_of(passed)):
        yield from _without_rule(host, texts, str(reason.facts.get("place", "")))


def _all_of(reasons: Sequence[Reason]) -> Iterator[Reason]:
    for reason in reasons:
        yield reason
        yield from _all_of(reason.then)


def _in_another_version(
    host: RpmState, answers: Sequence[Answer], answer: Answer
) -> Iterator[_Change]:
    builds = [
        one
        for one in host.pool.named(answer.package)
        if not one.installed and one.arch == answer.arch and one.version != answer.version
    ]
    for one in sorted(builds, key=lambda build: version_key(build.version), reverse=True):
        asked = [
            f"{one.name}@{one.version}" if other.package == answer.package else other.asked
            for other in answers
        ]
        facts: dict[str, Fact] = {
            "name": one.name, "version": one.version, "source": one.origin.handle,
        }  # fmt: skip
        way = WayOut(f"velpin forecast {' '.join(asked)}", Reason("ask-instead", facts))
        yield _Change(way, asked, {})


def _sources_on(host: RpmState, texts: Sequence[str], reason: Reason) -> Iterator[_Change]:
    off = str(reason.facts.get("off", ""))
    if off:
        yield from _on_for(host, texts, str(reason.facts.get("name", "")), off.split(", "))


def _on_for(
    host: RpmState, texts: Sequence[str], name: str, handles: Sequence[str]
) -> Iterator[_Change]:
    for source, index in host.indexes_off():
        if source.handle in handles and (index.rows(name) or index.providers(name)):
            what = Reason("source-on", {"source": source.handle, "name": name})
            edits = switch(host.tree, source, True)
            yield _Change(WayOut(f"velpin on {source.handle}", what), texts, edits)


def _without_rule(host: RpmState, texts: Sequence[str], place: str) -> Iterator[_Change]:
    file, _, line = place.rpartition(":")
    if not (file and line.isdigit()):
        return
    try:
        plan = plan_rule_drop(host, Place(file, int(line)))
    except VelpinError:
        return
    what = Reason("rule-in-the-way", {"place": place})
    yield _Change(WayOut(f"velpin rules drop {place}", what), texts, plan.edits)
