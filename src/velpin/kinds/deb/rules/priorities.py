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
from velpin.model.rule import Rule, command_of

_STEP = 10


def precedence_of(host: DebState, rule: Rule) -> Precedence:
    """What a rule to prefer a source means here; Refusal for a source that is not there."""
    subjects = handles_meant(host, [rule.source])
    over = handles_meant(host, rule.over)
    under = [one for one in handles_meant(host, rule.under) if one not in subjects]
    if rule.over_all:
        over = [one.handle for one in host.sources if one.on and one.handle not in under]
    other = [handle for handle in over if handle not in subjects]
    return Precedence(rule, tuple(subjects), tuple(other), tuple(under))


def base_priorities(host: DebState) -> dict[str, tuple[int, int]]:
    """The lowest and the highest priority of each source that has an index here."""
    found = {}
    for source in host.sources:
        priorities = [origin.priority.value for origin, _ in host.origins_of(source)]
        if priorities:
            found[source.handle] = (min(priorities), max(priorities))
    return found


def priorities_for(host: DebState, orders: Sequence[Precedence]) -> dict[str, int]:
    """The priority for each source that a rule is about; Refusal where there is no room.

    `host` is the host without Velpin's own rules for whole sources.
    """
    bounds = base_priorities(host)
    found: dict[str, int] = {}
    for _ in range(len(orders) * len(orders) + 1):
        moved, stuck = False, None
        for one in orders:
            try:
                moved |= _settle(one, bounds, found)
            except Refusal as problem:  # another rule may make room yet
                stuck = problem
        if stuck and not moved:
            raise stuck
        if not moved:
            break
    for one in orders:
        for handle in one.subjects:
            found.setdefault(handle, bounds[handle][1] if handle in bounds else 0)
    return found


def _settle(
    order: Precedence, bounds: dict[str, tuple[int, int]], found: dict[str, int]
) -> bool:  # fmt: skip
    """Move the subjects of one rule where they are not as asked for; whether that was so."""
    lowest = max((bounds[one][1] for one in order.over if one in bounds), default=0)
    ceilings = [bounds[one][0] for one in order.under if one in bounds]
    highest = min(ceilings, default=DOWNGRADES)
    stand = [bounds[one] for one in order.subjects if one in bounds]
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
    for one in order.subjects:
        bounds[one], found[one] = (priority, priority), priority
    return True


def _how_to_make_room(order: Precedence, bounds: dict[str, tuple[int, int]]) -> str:
    """The rule that would set apart those that this one is to stand between."""
    over = [one for one in order.over if one in bounds]
    under = [one for one in order.under if one in bounds]
    if not (over and under):
        return "velpin rules tells which rule gives such a priority"
    highest = max(over, key=lambda one: bounds[one][1])
    lowest = min(under, key=lambda one: bounds[one][0])
    return f"make room first: {command_of(Rule('prefer', (), lowest, over=(highest,)))}"


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
    return lowest + _STEP if lowest + _STEP < ceiling else max((lowest + ceiling) // 2, lowest + 1)
