"""From wishes to a plan: merged with those that stand, written, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every wish, the new ones and those from before, must then hold.
"""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.errors import HostError, Refusal
from velpin.joined import contradiction, joined, remaining
from velpin.kinds.alpm.rules.nearest import check
from velpin.kinds.alpm.rules.proof import verdict
from velpin.kinds.alpm.rules.settled import findings, order_of, settled
from velpin.kinds.alpm.rules.written import rewritten, standing, wishes_of, without_line
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Place
from velpin.orders import contradicted
from velpin.wish import Wish, command_of, short_of


def plan_wishes(host: AlpmState, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
    """What making some wishes would write.

    Raises Refusal where a wish means nothing here or this kind of host cannot express it,
    HostFileError where the host's own files are not understood. What makes it impossible
    otherwise is the plan's `error`.
    """
    _refuse_broken(host)
    if foremost:
        raise Refusal(
            "--foremost means nothing here: no rule of this kind of host wins over another",
            "velpin rules lists what is in force",
        )
    wishes = [settled(host, wish) for wish in wishes]
    for wish in wishes:
        check(host, wish, lambda other, lift: _trial(host, other, lift=lift))
    plan = Plan(" && ".join(map(command_of, wishes)), "; ".join(map(short_of, wishes)))
    plan.wishes = list(wishes)
    for wish in wishes:
        plan.findings += findings(host, wish)
    old = wishes_of(standing(host))
    target = list(old)
    for wish in wishes:
        target = joined(target, wish)
    try:
        _check_orders(host, target, old)
        _compile(host, plan, old, target)
    except Refusal as problem:
        plan.error = problem
        return plan
    if not plan.unchanged:
        _judge(host, plan, wishes, target)
    return plan


def plan_lift(host: AlpmState, wishes: Sequence[Wish]) -> Plan:
    """What taking back some wishes would write; Refusal where none such stands."""
    _refuse_broken(host)
    plan = Plan(
        " && ".join(command_of(wish, lift=True) for wish in wishes),
        "; ".join(f"no longer {short_of(wish)}" for wish in wishes),
    )
    old = wishes_of(standing(host))
    _compile(host, plan, old, remaining(old, wishes))
    return plan


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


def _refuse_broken(host: AlpmState) -> None:
    """A host whose files its installer refuses is to be put right first."""
    problem = host.refusal()
    if problem is not None:
        raise problem


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


def _check_orders(host: AlpmState, target: Sequence[Wish], old: Sequence[Wish]) -> None:
    new = [wish for wish in target if wish.kind == "prefer" and wish not in old]
    sources = {wish.source for wish in new}
    others = [
        order_of(host, wish)
        for wish in old
        if wish.kind == "prefer" and _is_there(host, wish) and wish.source not in sources
    ]
    for wish in new:
        other = contradicted(order_of(host, wish), others)
        if other:
            raise contradiction(wish, other)


def _is_there(host: AlpmState, wish: Wish) -> bool:
    on = {source.handle for source in host.sources if source.on}
    return on.issuperset(one for one in (wish.source, *wish.over, *wish.under) if one)


def _compile(host: AlpmState, plan: Plan, old: Sequence[Wish], target: Sequence[Wish]) -> None:
    """Put into the plan what it takes that just these wishes stand."""
    there = [wish for wish in target if _is_there(host, wish)]
    gone = [wish for wish in old if _is_there(host, wish) or wish not in target]
    orders = [order_of(host, wish) for wish in there if wish.kind == "prefer"]
    plan.propose(host.tree, rewritten(host.tree, gone, there, orders))


def _judge(host: AlpmState, plan: Plan, wishes: Sequence[Wish], target: Sequence[Wish]) -> None:
    """See whether the plan does what was wished, and leaves standing what was wished before."""
    after = host.with_edits(plan.edits)
    for wish in wishes:
        found = verdict(after, wish)
        if not found.holds:
            plan.unmet = found
            return
    for wish in target:
        if wish in wishes or not _is_there(host, wish):
            continue
        if not verdict(after, wish).holds and verdict(host, wish).holds:
            plan.error = contradiction(wishes[0], wish)
            return
