"""From wishes to a plan: what is this kind's own (see `kinds/planning.py`)."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.errors import Refusal
from velpin.kinds.planning import Planning
from velpin.kinds.rpm.edit import with_value
from velpin.kinds.rpm.ini import leading_number, read_sections
from velpin.kinds.rpm.rules.proof import verdict
from velpin.kinds.rpm.rules.settled import findings, settled
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
from velpin.model import Fact, Place, Reason, Source, WayOut
from velpin.orders import Order, order_of
from velpin.text import HostText
from velpin.wish import Verdict, Wish


def plan_wishes(host: RpmState, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
    """What making some wishes would write; errors as `Planning.made` says."""
    return RpmPlanning(host).made(wishes, foremost=foremost)


def plan_lift(host: RpmState, wishes: Sequence[Wish]) -> Plan:
    """What taking back some wishes would write; Refusal where none such stands."""
    return RpmPlanning(host).lifted(wishes)


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
    is_line = place.file in host.line_files
    if data is not None and is_line and any(one.place == place for one in host.common_rules()):
        text = HostText(data, place.file)
        del text.lines[place.line - 1]
        plan.propose(host.tree, {place.file: text.data})
        return plan
    if data is not None and place.file in host.section_files:
        for section in read_sections(data, place.file):
            for value in section.values:
                if value.line <= place.line <= value.last and value.key in host.rule_keys:
                    edit = with_value(data, place.file, section.name, value.key, None)
                    plan.propose(host.tree, {place.file: edit})
                    return plan
    raise Refusal(f"there is no rule at {place}", "velpin rules lists them, with their places")


class RpmPlanning(Planning[RpmState]):
    """Plans wishes for one rpm host: numbers of sections, lists of patterns, locks."""

    def settled(self, wish: Wish) -> Wish:
        """A wish with its words looked up; Refusal where that cannot be."""
        return settled(self.host, wish)

    def findings(self, wish: Wish) -> list[Reason]:
        """What a wish names that is not there."""
        return findings(self.host, wish)

    def standing(self) -> list[Wish]:
        """The wishes that stand."""
        return wishes_of(standing(self.host))

    def takes_part(self, source: Source) -> bool:
        """A number can be given to a source that is switched off too."""
        return True

    def compile(self, plan: Plan, old: Sequence[Wish], target: Sequence[Wish]) -> None:
        """Put into the plan what it takes that just the target stands."""
        host = self.host
        gone, new = (
            [(one, host.pieces(one)) for one in some if one.kind != "prefer" and self.is_there(one)]
            for some in (old, target)
        )
        prefers = [one for one in target if one.kind == "prefer"]
        orders = [order_of(host.sources, one) for one in prefers if self.is_there(one)]
        plan.propose(host.tree, rewritten(host, gone, new, _numbers(host, old, prefers, orders)))

    def verdict(self, wish: Wish) -> Verdict:
        """Whether a wish holds on the host."""
        return verdict(self.host, wish)

    def ways_to(self, wish: Wish, found: Verdict) -> Sequence[WayOut]:
        """Where another rule wins: to drop that, if the wish holds then."""
        if found.rival is None:
            return ()
        edits = _without_rule(self.host, found.rival)
        if edits and self.on(self.host.with_edits(edits)).would_hold(wish):
            facts: dict[str, Fact] = {"place": str(found.rival)}
            return (WayOut(f"velpin rules drop {found.rival}", Reason("rule-gone", facts)),)
        return ()


def _without_rule(host: RpmState, place: Place) -> dict[str, bytes | None]:
    try:
        return plan_rule_drop(host, place).edits
    except Refusal:
        return {}


# -- numbers ----------------------------------------------------------------------------


def _numbers(
    host: RpmState, old: Sequence[Wish], prefers: Sequence[Wish], orders: Sequence[Order]
) -> list[Numbered]:
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
