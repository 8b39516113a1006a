"""The rules of a host: those in force, and plans that make them and take them back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.model.reason import Place, Reason
    from velpin.model.rule import Bar, Pin, Rule, RuleInForce
    from velpin.ports.bundle import Ports


class HostRules:
    """The rules of a host."""

    def __init__(self, ports: Ports) -> None:
        self._ports = ports

    def in_force(self) -> list[RuleInForce]:
        """Return every rule in force, what each decides, and which decide nothing."""
        return self._ports.rules.in_force()

    def sentences(self) -> list[Reason]:
        """Return what each rule in force says, in the order of `in_force`; not what it decides, so
        this takes no time."""
        alone = self._ports.seen(self._ports.view.without_indexes())
        return [rule.says for rule in alone.rules.in_force()]

    def pins(
        self, texts: Sequence[str], source: str = "", *, allow_older: bool = False,
        unbound: bool = False,
    ) -> list[Pin]:  # fmt: skip
        """Return the pins that texts such as NAME@VERSION express.

        Raises UsageError if one pins nothing, unless `unbound`: a pin that is to be lifted need not
        say what it pinned."""
        from velpin.core.rule_plans import pins

        return pins(self._ports.packages, texts, source, allow_older=allow_older, unbound=unbound)

    def bars(
        self, texts: Sequence[str], source: str = "", *, pre_releases: bool = False,
        components: Sequence[str] = (),
    ) -> list[Bar]:  # fmt: skip
        """Return the bars that texts such as NAME@VERSION express; UsageError if one bars
        nothing."""
        from velpin.core.rule_plans import bars

        return bars(
            self._ports.packages, texts, source, pre_releases=pre_releases, components=components
        )

    def plan(self, rules: Sequence[Rule], *, foremost: bool = False) -> Plan:
        """Plan to make some rules, proved by the forecast under it; `foremost`: where no other rule
        wins over them.

        Raises Refusal if a rule means nothing here or this kind of host cannot express it.
        """
        from velpin.core.rule_plans import plan_rules

        return plan_rules(self._ports, rules, foremost=foremost)

    def plan_lift(self, rules: Sequence[Rule]) -> Plan:
        """Plan to take back some rules; Refusal if there is none such."""
        from velpin.core.rule_plans import plan_lift

        return plan_lift(self._ports, rules)

    def plan_drop(self, place: Place) -> Plan:
        """Plan to take away the rule at a place, whoever wrote it."""
        from velpin.core.rule_plans import plan_rule_drop

        return plan_rule_drop(self._ports, place)

    def plan_drops(self, texts: Sequence[str]) -> Plan:
        """Plan to take away several rules, each by its number in `in_force` (from 1) or its
        FILE:LINE."""
        from velpin.core.rule_plans import plan_rule_drops

        return plan_rule_drops(self._ports, texts)
