"""How rules become priorities of sections, lists of patterns and locks."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.errors import Refusal
from velpin.files.text import HostText
from velpin.files.tree import Edits
from velpin.kinds.rpm.edit import with_value
from velpin.kinds.rpm.ini import leading_number, read_sections
from velpin.kinds.rpm.rules.listing import RpmRules
from velpin.kinds.rpm.rules.resolve import findings, resolve_rule
from velpin.kinds.rpm.rules.store import (
    PrioritySlot,
    RuleLine,
    Slot,
    before_velpin,
    edits_replacing,
    without_block,
)
from velpin.kinds.rpm.source import UNSAID
from velpin.kinds.rpm.state import RpmState
from velpin.model.precedence import Precedence
from velpin.model.reason import Place, Reason
from velpin.model.rule import Prefer, Rule
from velpin.ports.rule_writer import RuleWriter


class RpmRuleWriter(RuleWriter):
    """Writes rules of an rpm host: priorities of sections, lists of patterns, locks."""

    def __init__(self, state: RpmState, rules: RpmRules) -> None:
        self._state, self._rules = state, rules

    def resolve(self, rule: Rule) -> Rule:
        """A rule with its words looked up; Refusal where that cannot be."""
        return resolve_rule(self._state, rule, self.check)

    def findings(self, rule: Rule) -> list[Reason]:
        """What a rule names that is not there."""
        return findings(self._state, rule)

    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away someone else's block, line or value."""
        state, file = self._state, place.file
        data = state.tree.read(file)
        if data is None or self._rules.recorded_at(place):
            return None
        if file in state.rule_files.lines and any(
            rule.place == place for rule in self._rules.common_rules()
        ):
            text = HostText(data, file)
            del text.lines[place.line - 1]
            return {file: text.data}
        if file in state.rule_files.blocks:
            left = without_block(data, place.line)
            if left is not None:
                return {file: left}
        for section in read_sections(data, file) if file in state.rule_files.sections else ():
            for value in section.values:
                if value.line <= place.line <= value.last and value.key in state.rule_files.keys:
                    return {file: with_value(data, file, section.name, value.key, None)}
        return None

    @abstractmethod
    def check(self, rule: Rule) -> None:
        """Raise Refusal, with the nearest, if this kind of host cannot express a rule."""

    @abstractmethod
    def pieces(self, rule: Rule) -> list[RuleLine]:
        """Return what a rule puts where, one about the order of sources aside."""

    def compile(
        self,
        plan: Plan,
        old: Sequence[Rule],
        target: Sequence[Rule],
        asked: Sequence[Rule],
        *,
        foremost: bool = False,
    ) -> None:
        """Put into the plan what it takes that just the target stands."""
        state = self._state
        gone, new = (
            [
                (rule, self.pieces(rule))
                for rule in some
                if not isinstance(rule, Prefer) and self._rules.is_there(rule)
            ]
            for some in (old, target)
        )
        prefers = [rule for rule in target if isinstance(rule, Prefer)]
        orders = [self._rules.precedence(rule) for rule in prefers if self._rules.is_there(rule)]
        priorities = _priorities(state, old, prefers, orders)
        plan.propose(state.tree, edits_replacing(state, gone, new, priorities))


# -- priorities ----------------------------------------------------------------------------


def _priorities(
    state: RpmState, old: Sequence[Rule], prefers: Sequence[Rule], orders: Sequence[Precedence]
) -> list[PrioritySlot]:
    """Every source that a rule is or was about, with the priority it is to have.

    Each begins with the priority it has without Velpin's; one that stands where a rule does not
    want it is moved just far enough, until every rule holds.
    """
    priorities: dict[str, int] = {}
    slots: dict[str, Slot] = {}
    for source in state.configuration.sources:
        slot = slots[source.handle] = Slot(source.file_of("priority"), source.handle, "priority")
        before = before_velpin(state.tree.read(slot.file) or b"", slot)
        priorities[source.handle] = source.priority if before is None else _priority(state, before)
    moved: dict[str, int] = {}
    for _ in range(len(orders) * len(orders) + len(orders) + 1):
        still = [_settle(state, order, priorities, moved) for order in orders]
        if True not in still:
            break
    found = []
    about = {rule.source for rule in (*old, *prefers) if isinstance(rule, Prefer)}
    for handle in sorted(about & priorities.keys()):
        rules = tuple(rule for rule in prefers if rule.source == handle)
        priority = moved.get(handle, priorities[handle]) if rules else None
        found.append(PrioritySlot(slots[handle], priority, rules))
    return found


def _priority(state: RpmState, text: str) -> int:
    priority = leading_number(text)
    return (
        UNSAID
        if priority is None or (priority == 0 and not state.rule_files.zero_counts)
        else priority
    )


def _settle(
    state: RpmState, order: Precedence, priorities: dict[str, int], moved: dict[str, int]
) -> bool:  # fmt: skip
    """Move the subject of one rule where it is not as asked for; whether that was so."""
    subject = order.subjects[0]
    ceiling = min((priorities[handle] for handle in order.over), default=None)
    floor = max((priorities[handle] for handle in order.under), default=None)
    here = priorities[subject]
    if (ceiling is None or here < ceiling) and (floor is None or here > floor):
        return False
    priority = ceiling - 1 if ceiling is not None else (floor or 0) + 1
    if priority == 0 and not state.rule_files.zero_counts:
        priority = -1 if ceiling is not None else 1
    if ceiling is not None and floor is not None and priority <= floor:
        raise Refusal(
            f"there is no priority left for {subject}: it would have to be above {floor} and below"
            f" {ceiling}",
            "velpin sources tells the priorities",
        )
    priorities[subject] = moved[subject] = priority
    return True
