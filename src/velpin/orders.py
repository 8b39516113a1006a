"""Wishes about the order of sources, and whether several of them can all hold."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from velpin.errors import Refusal, UsageError
from velpin.model import Source
from velpin.wish import Wish, command_of


class Order(NamedTuple):
    """One wish about the order of sources, by handles."""

    wish: Wish
    subjects: tuple[str, ...]
    over: tuple[str, ...]
    under: tuple[str, ...]

    def pairs(self) -> Iterator[tuple[str, str]]:
        """Each pair of which the first is to win."""
        yield from ((one, other) for one in self.subjects for other in self.over)
        yield from ((other, one) for one in self.subjects for other in self.under)


def contradicted(new: Order, others: Sequence[Order]) -> Wish | None:
    """A wish with which another cannot go, None where all can be."""
    for above, below in new.pairs():
        way = _way(below, above, others)
        if way:
            return way
        if (below, above) in set(new.pairs()):
            return new.wish
    return None


def _way(start: str, end: str, orders: Sequence[Order]) -> Wish | None:
    """The first wish on a way from a source down to another that it must win over."""
    edges = [(above, below, one.wish) for one in orders for above, below in one.pairs()]
    waiting: list[tuple[str, Wish | None]] = [(start, None)]
    seen = {start}
    while waiting:
        here, first = waiting.pop(0)
        for above, below, wish in edges:
            if above == here and below == end:
                return first or wish
            if above == here and below not in seen:
                seen.add(below)
                waiting.append((below, first or wish))
    return None


def order_of(sources: Iterable[Source], wish: Wish) -> Order:
    """What a wish to prefer one source says of the order of a host's sources."""
    over: Iterable[str] = wish.over
    if wish.over_all:
        over = (one.handle for one in sources if one.on and one.handle not in wish.under)
    others = tuple(one for one in over if one != wish.source)
    under = tuple(one for one in wish.under if one != wish.source)
    return Order(wish, (wish.source,), others, under)


def check_says_something(order: Order) -> None:
    """UsageError for a wish to prefer a source over nothing, Refusal for one over itself."""
    wish = order.wish
    if not (wish.over or wish.under or wish.over_all):
        raise UsageError(
            f"prefer {wish.source} over what?",
            f"velpin prefer {wish.source} --over SOURCE, --over-all, or --under SOURCE",
        )
    if not any(order.pairs()):
        raise Refusal(
            f"{command_of(wish)}: that names no source but {wish.source} itself",
            "velpin sources lists those of this host",
        )
