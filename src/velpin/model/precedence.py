"""Rules about the order of sources, and whether several of them can all hold."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from velpin.errors import Refusal, UsageError
from velpin.model.rule import Prefer, Rule, command_of
from velpin.model.source import Source


class Precedence(NamedTuple):
    """One rule about the order of sources, by handles."""

    rule: Prefer
    subjects: tuple[str, ...]
    over: tuple[str, ...]
    under: tuple[str, ...]

    def pairs(self) -> Iterator[tuple[str, str]]:
        """Each pair of which the first is to win."""
        yield from ((name, other) for name in self.subjects for other in self.over)
        yield from ((other, name) for name in self.subjects for other in self.under)


def contradicted(new: Precedence, others: Sequence[Precedence]) -> Rule | None:
    """A rule with which another cannot go, None where all can be."""
    for above, below in new.pairs():
        way = _way(below, above, others)
        if way:
            return way
        if (below, above) in set(new.pairs()):
            return new.rule
    return None


def _way(start: str, end: str, orders: Sequence[Precedence]) -> Rule | None:
    """The first rule on a way from a source down to another that it must win over."""
    edges = [(above, below, order.rule) for order in orders for above, below in order.pairs()]
    waiting: list[tuple[str, Rule | None]] = [(start, None)]
    seen = {start}
    while waiting:
        here, first = waiting.pop(0)
        for above, below, rule in edges:
            if above == here and below == end:
                return first or rule
            if above == here and below not in seen:
                seen.add(below)
                waiting.append((below, first or rule))
    return None


def precedence_of(sources: Iterable[Source], rule: Prefer) -> Precedence:
    """What a rule to prefer one source says of the order of a host's sources."""
    over: Iterable[str] = rule.over
    if rule.over_all:
        over = (
            source.handle for source in sources if source.on and source.handle not in rule.under
        )
    others = tuple(handle for handle in over if handle != rule.source)
    under = tuple(handle for handle in rule.under if handle != rule.source)
    return Precedence(rule, (rule.source,), others, under)


def check_says_something(order: Precedence) -> None:
    """UsageError for a rule to prefer a source over nothing, Refusal for one over itself."""
    rule = order.rule
    if not (rule.over or rule.under or rule.over_all):
        raise UsageError(
            f"prefer {rule.source} over what?",
            f"velpin prefer {rule.source} --over SOURCE, --over-all, or --under SOURCE",
        )
    if not any(order.pairs()):
        raise Refusal(
            f"{command_of(rule)}: this names no source other than {rule.source} itself",
            "velpin sources lists those of this host",
        )
