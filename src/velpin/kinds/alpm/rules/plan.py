"""From wishes to a plan: what is this kind's own (see `kinds/planning.py`)."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.errors import HostError, Refusal
from velpin.kinds.alpm.rules.nearest import check
from velpin.kinds.alpm.rules.proof import verdict
from velpin.kinds.alpm.rules.settled import findings, settled
from velpin.kinds.alpm.rules.written import rewritten, standing, wishes_of, without_line
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.planning import Planning
from velpin.model import Place, Reason, Source
from velpin.orders import order_of
from velpin.wish import Verdict, Wish


def plan_wishes(host: AlpmState, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
    """What making some wishes would write; errors as `Planning.made` says."""
    return AlpmPlanning(host).made(wishes, foremost=foremost)


def plan_lift(host: AlpmState, wishes: Sequence[Wish]) -> Plan:
    """What taking back some wishes would write; Refusal where none such stands."""
    return AlpmPlanning(host).lifted(wishes)


def plan_rule_drop(host: AlpmState, place: Place) -> Plan:
    """What taking away the rule at a place would write, whoever wrote it.

    Raises Refusal where none stands there.
    """
    for one in standing(host):
        if one.place == place:
            return plan_lift(host, [one.wish])
    plan = Plan(f"velpin rules drop {place}", f"drop the rule at {place}")
    edits = without_line(host.tree, place)
    if not edits:
        raise Refusal(f"there is no rule at {place}", "velpin rules lists them, with their places")
    plan.propose(host.tree, edits)
    return plan


class AlpmPlanning(Planning[AlpmState]):
    """Plans wishes for one alpm host: lines of the settings, places of sections."""

    def settled(self, wish: Wish) -> Wish:
        """A wish with its words looked up; Refusal, with the nearest, where that cannot be."""
        found = settled(self.host, wish)
        check(self.host, found, lambda other, lift: _trial(self.host, other, lift=lift))
        return found

    def findings(self, wish: Wish) -> list[Reason]:
        """What a wish names that is not there."""
        return findings(self.host, wish)

    def standing(self) -> list[Wish]:
        """The wishes that stand."""
        return wishes_of(standing(self.host))

    def takes_part(self, source: Source) -> bool:
        """A section that is commented out has no place in the order."""
        return source.on

    def compile(self, plan: Plan, old: Sequence[Wish], target: Sequence[Wish]) -> None:
        """Put into the plan what it takes that just the target stands."""
        there = [wish for wish in target if self.is_there(wish)]
        gone = [wish for wish in old if self.is_there(wish) or wish not in target]
        orders = [order_of(self.host.sources, wish) for wish in there if wish.kind == "prefer"]
        plan.propose(self.host.tree, rewritten(self.host.tree, gone, there, orders))

    def verdict(self, wish: Wish) -> Verdict:
        """Whether a wish holds on the host."""
        return verdict(self.host, wish)


def _trial(host: AlpmState, wish: Wish, *, lift: bool) -> AlpmState | None:
    """The host as a wish would make it, or one that stands taken back; None where that cannot
    be or would not hold."""
    try:
        plan = plan_lift(host, [wish]) if lift else plan_wishes(host, [wish])
    except (Refusal, HostError):
        return None
    if plan.error or plan.unmet or plan.findings:
        return None
    return host.with_edits(plan.edits)
