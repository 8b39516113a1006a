"""Small changes with which a refused request would be carried out: which of them work.

What could help is for each kind of host to say; that each was tried, and how many are named,
is the same for all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.core.rule_planner import RulePlanner
from velpin.errors import VelpinError
from velpin.model.forecast import Forecast, Remedy
from velpin.model.reason import Fact, Place, Reason
from velpin.model.rule import as_typed, shell_word

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.files.tree import Edits
    from velpin.model.source import Source

_MOST_TRIED = 10
_ENOUGH = 2

Try = Callable[[Sequence[str], "Edits"], bool]
"""Whether the host, with some edits, would carry out some requests."""


class Attempt(NamedTuple):
    """One small change: what is told of it, the requests then, and what is edited first."""

    remedy: Remedy
    texts: Sequence[str]
    edits: Edits


def those_that_work(attempts: Iterable[Attempt], works: Try) -> tuple[Remedy, ...]:
    """The first few that work, each tried once."""
    found: list[Remedy] = []
    tried: set[str] = set()
    for attempt in attempts:
        if attempt.remedy.command in tried:
            continue
        tried.add(attempt.remedy.command)
        if works(attempt.texts, attempt.edits):
            found.append(attempt.remedy)
        if len(found) == _ENOUGH or len(tried) == _MOST_TRIED:
            break
    return tuple(found)


def asking(texts: Sequence[str], code: str, **facts: Fact) -> Attempt:
    """To ask otherwise."""
    remedy = Remedy(as_typed(["velpin", "forecast", *texts]), Reason(code, facts))
    return Attempt(remedy, texts, {})


def pointed_to(host: Adapter[Source], found: Forecast, texts: Sequence[str]) -> Iterator[Attempt]:
    """What the reasons of a refusal point to: a source that is off and has what is asked for, a
    rule in the way."""
    problems = [answer.problem for answer in found.answers if answer.problem]
    reasons = list(all_of([*found.because, *problems]))
    for reason in reasons:
        handles = reason.texts("off")
        if handles:
            yield from switching_on(host, str(reason.facts["name"]), texts, handles)
    for answer in found.answers:
        if answer.problem is not None:
            yield from switching_on(host, answer.package, texts)
    passed = (passed.why for answer in found.answers for passed in answer.passed_over)
    for reason in (*reasons, *all_of(passed)):
        if reason.place:
            yield from dropping_rule(host, reason.place, texts)


def switching_on(
    host: Adapter[Source], name: str, texts: Sequence[str], handles: Sequence[str] | None = None
) -> Iterator[Attempt]:
    """To switch a source on that has a name, one of some where `handles` says which."""
    for source, index in host.indexes_off():
        if handles is not None and source.handle not in handles:
            continue
        if index.rows(name) or index.providers(name):
            what = Reason("source-on", {"source": source.handle, "name": name})
            remedy = Remedy(f"velpin on {shell_word(source.handle)}", what)
            yield Attempt(remedy, texts, host.editor.switched(source, True))


def dropping_rule(host: Adapter[Source], place: Place, texts: Sequence[str]) -> Iterator[Attempt]:
    """To drop the rule at a place, where there is one that can be dropped."""
    try:
        edits = RulePlanner(host).dropped(place).edits
    except VelpinError:
        return
    what = Reason("rule-in-the-way", {"place": place})
    yield Attempt(Remedy(f"velpin rules drop {place}", what), texts, edits)


def all_of(reasons: Iterable[Reason]) -> Iterator[Reason]:
    """Reasons with all their causes."""
    for reason in reasons:
        yield reason
        yield from all_of(reason.because)
