"""Which priorities sources need for the asked for order among them.

Each source begins with the priority it has without Velpin's rules. A source that stands where a
rule does not want it is moved just far enough, until every rule holds.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from velpin.errors import Refusal
from velpin.kinds.deb.choice import DOWNGRADES, UPGRADES_ONLY
from velpin.kinds.deb.rules.lookup import handles_meant
from velpin.kinds.deb.state import DebState
from velpin.model.precedence import Precedence
from velpin.model.rule import Prefer, command_of

_STEP = 10


def precedence_of(state: DebState, rule: Prefer) -> Precedence:
    """What a rule to prefer a source means here; Refusal for a source that is not there."""
    subjects = handles_meant(state, [rule.source])
    over = handles_meant(state, rule.over)
    under = [handle for handle in handles_meant(state, rule.under) if handle not in subjects]
    if rule.over_all:
        over = [
            source.handle
            for source in state.configuration.sources
            if source.on and source.handle not in under
        ]
    other = [handle for handle in over if handle not in subjects]
    return Precedence(rule, tuple(subjects), tuple(other), tuple(under))


def base_priorities(state: DebState) -> dict[str, tuple[int, int]]:
    """The lowest and the highest priority of each source that has an index here."""
    found = {}
    for source in state.configuration.sources:
        priorities = [origin.priority.value for origin, _ in state.indexes.origins_of(source)]
        if priorities:
            found[source.handle] = (min(priorities), max(priorities))
    return found


def priorities_for(state: DebState, orders: Sequence[Precedence]) -> dict[str, int]:
    """The priority for each source that a rule is about; Refusal where there is no room.

    `host` is the host without Velpin's own rules for whole sources.
    """
    bounds = base_priorities(state)
    found: dict[str, int] = {}
    for _ in range(len(orders) * len(orders) + 1):
        moved, stuck = False, None
        for order in orders:
            try:
                moved |= _settle(order, bounds, found)
            except Refusal as problem:  # another rule may make room yet
                stuck = problem
        if stuck and not moved:
            raise stuck
        if not moved:
            break
    for order in orders:
        for handle in order.subjects:
            found.setdefault(handle, bounds[handle][1] if handle in bounds else 0)
    return found


def _settle(
    order: Precedence, bounds: dict[str, tuple[int, int]], found: dict[str, int]
) -> bool:  # fmt: skip
    """Move the subjects of one rule where they are not as asked for; whether that was so."""
    lowest = max((bounds[handle][1] for handle in order.over if handle in bounds), default=0)
    ceilings = [bounds[handle][0] for handle in order.under if handle in bounds]
    highest = min(ceilings, default=DOWNGRADES)
    stand = [bounds[name] for name in order.subjects if name in bounds]
    if all(low > lowest and high < highest for low, high in stand):
        return False
    others = [n for handle, pair in bounds.items() if handle not in order.subjects for n in pair]
    priority = _between(lowest, highest, others, down=not order.over)
    if priority is None:
        raise Refusal(
            f"there is no priority left for {order.rule.source}: it would have to be above"
            f" {lowest} and below {highest}",
            _how_to_make_room(order, bounds),
        )
    for name in order.subjects:
        bounds[name], found[name] = (priority, priority), priority
    return True


def _how_to_make_room(order: Precedence, bounds: dict[str, tuple[int, int]]) -> str:
    """The rule that would set apart those that this one is to stand between."""
    over = [handle for handle in order.over if handle in bounds]
    under = [handle for handle in order.under if handle in bounds]
    if not (over and under):
        return "velpin rules tells which rule gives such a priority"
    highest = max(over, key=lambda handle: bounds[handle][1])
    lowest = min(under, key=lambda handle: bounds[handle][0])
    return f"make room first: {command_of(Prefer(lowest, (highest,)))}"


def _between(lowest: int, highest: int, others: Iterable[int], *, down: bool) -> int | None:
    """A priority between two, close to the lower one (with `down`: the upper), and as far as
    there is room not beyond any other priority."""
    if highest - lowest < 2 or highest < 2:
        return None
    priorities = list(others)
    if down:
        low = UPGRADES_ONLY if highest > UPGRADES_ONLY + 1 else 0
        floor = max([low, lowest, *(n for n in priorities if n < highest)])
        return max(highest - _STEP if highest - _STEP > floor else (floor + highest) // 2, 1)
    ceiling = min([highest, *(n for n in priorities if n > lowest)])
    if lowest + _STEP < ceiling:
        return lowest + _STEP
    return max((lowest + ceiling) // 2, lowest + 1, 1)
