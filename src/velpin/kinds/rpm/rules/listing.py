"""Every rule in force, whoever wrote it: what it says and what it decides today."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from velpin.kinds.rpm.rules.reasons import SaysOnly, SaysPriority
from velpin.kinds.rpm.rules.store import recorded_rules, rules_of
from velpin.kinds.rpm.rules.verify import verdict
from velpin.kinds.rpm.source import UNSAID
from velpin.model.reason import Place, Reason
from velpin.model.rule import RuleInForce, short_of
from velpin.model.rule_reasons import RuleIdle, RuleNotThere, RuleSourceOff, SaysBar, SaysRule
from velpin.ports.rules import Rules

if TYPE_CHECKING:
    from velpin.kinds.rpm.ini import IniSection
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.rule import Rule, Verdict
    from velpin.model.source import Source


LISTS: Mapping[str, type[SaysOnly | SaysBar]] = {
    "includepkgs": SaysOnly, "excludepkgs": SaysBar, "exclude": SaysBar,
}  # fmt: skip
"""Keys that list packages, and what each says of them."""


class RpmRules(Rules):
    """Rules that stand on an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    @property
    def sources(self) -> Sequence[Source]:
        """Its sources."""
        return self._state.configuration.sources

    def in_force(self) -> list[RuleInForce]:
        """All rules: the order of sources, what they give, what is kept out everywhere, locks."""
        found = [*_of_sources(self._state), *self.common_rules()]
        notes: dict[Place, list[str]] = {}
        rules: dict[Place, Rule] = {}
        for recorded in recorded_rules(self._state):
            notes.setdefault(recorded.place, []).append(short_of(recorded.rule))
            rules.setdefault(recorded.place, recorded.rule)

        told: list[RuleInForce] = []
        joined: dict[str, int] = {}
        for in_force in found:
            if in_force.place not in rules:
                told.append(in_force)
                continue
            said = "; ".join(notes[in_force.place])
            mine = in_force._replace(says=SaysRule(rule=said), rule=rules[in_force.place])
            if said in joined:
                told[joined[said]] = _with(told[joined[said]], mine)
                continue
            joined[said] = len(told)
            told.append(mine)
        return told

    def recorded(self) -> list[Rule]:
        """The rules that stand."""
        return rules_of(recorded_rules(self._state))

    def recorded_at(self, place: Place) -> Rule | None:
        """The rule of Velpin's that stands at a place."""
        for recorded in recorded_rules(self._state):
            if (
                recorded.place.file == place.file
                and recorded.place.line <= place.line <= recorded.last
            ):
                return recorded.rule
        return None

    def verdict(self, rule: Rule) -> Verdict:
        """Whether a rule holds on the host."""
        return verdict(self._state, rule)

    @abstractmethod
    def common_rules(self) -> list[RuleInForce]:
        """Return the rules that are of no single source."""


def _with(one: RuleInForce, other: RuleInForce) -> RuleInForce:
    """Two places of one rule as one rule; it lives as long as any of them does."""
    return one._replace(
        offers=one.offers + other.offers,
        installed=tuple(dict.fromkeys((*one.installed, *other.installed))),
        dead=one.dead and other.dead,
    )


def _of_sources(state: RpmState) -> Iterator[RuleInForce]:
    for source in sorted(
        state.configuration.sources, key=lambda source: (not source.on, source.priority)
    ):
        value = source.section.find("priority")
        if value is None and source.priority == UNSAID:
            continue
        if value is not None:
            place = Place(value.file or source.file, value.line)
            says = SaysPriority(sources=source.handle, priority=source.priority)
            yield RuleInForce(
                place, says, None, source.priority,
                _count(state, source), (), _why_dead(state, source),
            )  # fmt: skip
    for source in state.configuration.sources:
        for key in LISTS:
            if key in state.rule_files.keys and key in source.section:
                yield list_rule(state, source.section, source.file, key, source)


def _count(state: RpmState, source: RpmSource) -> int:
    index = state.indexes.index(source) if source.on else None
    return index.count if index else 0


def _why_dead(state: RpmState, source: RpmSource) -> Reason | None:
    if not source.on:
        return RuleSourceOff(sources=(source.handle,))
    others = [
        other.priority for other in state.configuration.sources if other.on and other is not source
    ]
    if not others or (source.priority == UNSAID and set(others) == {UNSAID}):
        return RuleIdle()
    return None


def list_rule(
    state: RpmState, section: IniSection, file: str, key: str, source: RpmSource | None
) -> RuleInForce:
    """A rule that is a list of patterns, of one source or of all."""
    value = section.find(key)
    assert value is not None
    names = " ".join(value.text.split())
    handle = source.handle if source else ""
    says = LISTS[key](names=names, sources=handle or "every source")
    offers = 0
    installed: dict[str, None] = {}
    for offering, index in state.indexes.opened:
        if source is not None and offering.handle != handle:
            continue
        for row in index.all_rows():
            if state.rule_files.pattern_means(value.text, row.name, row.arch, row.version):
                offers += 1
                if state.packages.pool.installed(row.name):
                    installed[row.name] = None
    dead: Reason | None = None
    if source is not None and not source.on:
        dead = RuleSourceOff(sources=(handle,))
    elif not offers:
        dead = RuleNotThere(names=names)
    return RuleInForce(
        Place(value.file or file, value.line),
        says,
        None,
        0,
        offers,
        tuple(sorted(installed)),
        dead,
    )
