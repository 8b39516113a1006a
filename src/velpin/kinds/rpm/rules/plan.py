"""From wishes to a plan: merged with those that stand, written, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every wish, the new ones and those from before, must then hold.
"""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.errors import HostFileError, Refusal
from velpin.joined import contradiction, joined, remaining
from velpin.kinds.rpm.edit import with_value
from velpin.kinds.rpm.ini import leading_number, read_sections
from velpin.kinds.rpm.rules.proof import verdict
from velpin.kinds.rpm.rules.settled import findings, order_of, settled
from velpin.kinds.rpm.rules.written import (
    Numbered,
    Slot,
    before_velpin,
    rewritten,
    standing,
    wishes_of,
    without_block,
)
from velpin.kinds.rpm.source import UNSAID
from velpin.kinds.rpm.state import RpmState
from velpin.model import Place, Reason, WayOut
from velpin.orders import Order, contradicted
from velpin.wish import Wish, command_of, short_of


def plan_wishes(host: RpmState, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
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
    plan = Plan(" && ".join(map(command_of, wishes)), "; ".join(map(short_of, wishes)))
    plan.wishes = list(wishes)
    for wish in wishes:
        plan.findings += findings(host, wish)
    old = wishes_of(standing(host))
    target = list(old)
    for wish in wishes:
        target = joined(target, wish)
    try:
        _check_orders(host, [one for one in target if one not in old], old)
        _compile(host, plan, old, target)
    except Refusal as problem:
        plan.error = problem
        return plan
    if not plan.unchanged:
        _judge(host, plan, wishes, target)
    return plan


def plan_lift(host: RpmState, wishes: Sequence[Wish]) -> Plan:
    """What taking back some wishes would write; Refusal where none such stands."""
    _refuse_broken(host)
    plan = Plan(
        " && ".join(command_of(wish, lift=True) for wish in wishes),
        "; ".join(f"no longer {short_of(wish)}" for wish in wishes),
    )
    old = wishes_of(standing(host))
    target = remaining(old, wishes)
    _compile(host, plan, old, target)
    return plan


def plan_rule_drop(host: RpmState, place: Place) -> Plan:
    """What taking away the rule at a place would write, whoever wrote it.

    Raises Refusal where none stands there.
    """
    for one in standing(host):
        if one.place.file == place.file and one.place.line <= place.line <= one.last:
            return plan_lift(host, [one.wish])
    plan = Plan(f"velpin rules drop {place}", f"drop the rule at {place}")
    data = host.tree.read(place.file)
    if data is not None and place.file in host.block_files:
        left = without_block(data, place.line)
        if left is not None:
            plan.propose(host.tree, {place.file: left})
            return plan
    if data is not None and place.file in host.line_files:
        lines = data.splitlines(keepends=True)
        if any(rule.place == place for rule in host.common_rules()):
            edit = b"".join(lines[: place.line - 1] + lines[place.line :])
            plan.propose(host.tree, {place.file: edit})
            return plan
    if data is not None and place.file in host.section_files:
        for section in read_sections(data, place.file, joined=True):
            for value in section.values:
                if value.line <= place.line <= value.last and value.key in host.rule_keys:
                    edit = with_value(data, place.file, section.name, value.key, None)
                    plan.propose(host.tree, {place.file: edit})
                    return plan
    raise Refusal(f"there is no rule at {place}", "velpin rules lists them, with their places")


def _refuse_broken(host: RpmState) -> None:
    """A host whose files its installer refuses is to be put right first."""
    problem = host.refusal()
    if isinstance(problem, HostFileError):
        raise problem


# -- writing -----------------------------------------------------------------------------


def _check_orders(host: RpmState, new: Sequence[Wish], old: Sequence[Wish]) -> None:
    others = [
        order_of(host, wish)
        for wish in old
        if wish.kind == "prefer" and _is_there(host, wish) and wish.source not in
        {one.source for one in new if one.kind == "prefer"}
    ]  # fmt: skip
    for wish in new:
        if wish.kind != "prefer":
            continue
        other = contradicted(order_of(host, wish), others)
        if other:
            raise contradiction(wish, other)


def _is_there(host: RpmState, wish: Wish) -> bool:
    handles = {source.handle for source in host.sources}
    return handles.issuperset(one for one in (wish.source, *wish.over, *wish.under) if one)


def _compile(host: RpmState, plan: Plan, old: Sequence[Wish], target: Sequence[Wish]) -> None:
    """Put into the plan what it takes that just these wishes stand."""
    gone = [(one, host.pieces(one)) for one in old if one.kind != "prefer" and _is_there(host, one)]
    new = [
        (one, host.pieces(one)) for one in target if one.kind != "prefer" and _is_there(host, one)
    ]
    numbered = _numbers(host, old, [one for one in target if one.kind == "prefer"])
    plan.propose(host.tree, rewritten(host, gone, new, numbered))


def _numbers(host: RpmState, old: Sequence[Wish], prefers: Sequence[Wish]) -> list[Numbered]:
    """Every source that a wish is or was about, with the number it is to have.

    Each begins with the number it has without Velpin's; one that stands where a wish does not
    want it is moved just far enough, until every wish holds.
    """
    numbers: dict[str, int] = {}
    slots: dict[str, Slot] = {}
    for source in host.sources:
        slot = slots[source.handle] = Slot(source.file, source.handle, "priority")
        before = before_velpin(host.tree.read(source.file) or b"", slot)
        numbers[source.handle] = source.number if before is None else _number(host, before)
    orders = [order_of(host, wish) for wish in prefers if _is_there(host, wish)]
    moved: dict[str, int] = {}
    for _ in range(len(orders) * len(orders) + len(orders) + 1):
        still = [_settle(host, one, numbers, moved) for one in orders]
        if True not in still:
            break
    found = []
    about = {wish.source for wish in (*old, *prefers) if wish.kind == "prefer"}
    for handle in sorted(about & numbers.keys()):
        wishes = tuple(wish for wish in prefers if wish.source == handle)
        number = moved.get(handle, numbers[handle]) if wishes else None
        found.append(Numbered(slots[handle], number, wishes))
    return found


def _number(host: RpmState, text: str) -> int:
    number = leading_number(text)
    return UNSAID if number is None or (number == 0 and not host.zero_counts) else number


def _settle(
    host: RpmState, order: Order, numbers: dict[str, int], moved: dict[str, int]
) -> bool:  # fmt: skip
    """Move the subject of one wish where it is not as wished; whether that was so."""
    subject = order.subjects[0]
    ceiling = min((numbers[one] for one in order.over), default=None)
    floor = max((numbers[one] for one in order.under), default=None)
    here = numbers[subject]
    if (ceiling is None or here < ceiling) and (floor is None or here > floor):
        return False
    number = ceiling - 1 if ceiling is not None else (floor or 0) + 1
    if number == 0 and not host.zero_counts:
        number = -1 if ceiling is not None else 1
    if ceiling is not None and floor is not None and number <= floor:
        raise Refusal(
            f"there is no number left for {subject}: it would have to be above {floor} and below"
            f" {ceiling}",
            "velpin sources tells the numbers",
        )
    numbers[subject] = moved[subject] = number
    return True


# -- judging -----------------------------------------------------------------------------


def _judge(host: RpmState, plan: Plan, wishes: Sequence[Wish], target: Sequence[Wish]) -> None:
    """See whether the plan does what was wished, and leaves standing what was wished before."""
    after = host.with_edits(plan.edits)
    for wish in wishes:
        found = verdict(after, wish)
        if not found.holds:
            plan.unmet = found
            if found.rival:
                edits = _without_rule(host, found.rival)
                trial = host.with_edits(edits) if edits else None
                if trial and _would_hold(trial, wish):
                    command = f"velpin rules drop {found.rival}"
                    facts = {"place": str(found.rival)}
                    plan.ways_out.append(WayOut(command, Reason("rule-gone", dict(facts))))
            return
    for wish in target:
        if wish in wishes or not _is_there(host, wish):
            continue
        if not verdict(after, wish).holds and verdict(host, wish).holds:
            plan.error = contradiction(wishes[0], wish)
            return


def _without_rule(host: RpmState, place: Place) -> dict[str, bytes | None]:
    try:
        return plan_rule_drop(host, place).edits
    except Refusal:
        return {}


def _would_hold(host: RpmState, wish: Wish) -> bool:
    plan = Plan("", "")
    old = wishes_of(standing(host))
    try:
        _compile(host, plan, old, joined(old, wish))
    except (Refusal, HostFileError):
        return False
    return verdict(host.with_edits(plan.edits), wish).holds
