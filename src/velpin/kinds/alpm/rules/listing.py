"""Every rule in force, whoever wrote it: what it says and what it decides today."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.ignored import takes
from velpin.kinds.alpm.rules.reasons import RuleNamesNobody, SaysIgnore, SaysIgnoreGroup, SaysUsage
from velpin.kinds.alpm.rules.resolve import names_meant
from velpin.kinds.alpm.rules.store import recorded_rules, rules_of
from velpin.kinds.alpm.rules.verify import verdict
from velpin.kinds.alpm.source import ALL_USES
from velpin.model.precedence import precedence_of
from velpin.model.reason import Reason
from velpin.model.rule import Prefer, RuleInForce, short_of
from velpin.model.rule_reasons import RuleIdle, RuleNoPackage, RuleSourceOff, SaysRule
from velpin.ports.rules import Rules

if TYPE_CHECKING:
    from velpin.kinds.alpm.config import Directive
    from velpin.kinds.alpm.source import AlpmSource
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.reason import Place
    from velpin.model.rule import Rule, Verdict
    from velpin.model.source import Source


class AlpmRules(Rules):
    """Rules that stand on an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    @property
    def sources(self) -> Sequence[Source]:
        """Its sources."""
        return self._state.configuration.sources

    def in_force(self) -> list[RuleInForce]:
        """All rules: where sections were put, what they are used for, what is ignored."""
        found = [*_of_sources(self._state), *_ignored(self._state)]
        rules = {recorded.place: recorded.rule for recorded in recorded_rules(self._state)}
        told = []
        for in_force in found:
            rule = rules.pop(in_force.place, None)
            says = SaysRule(rule=short_of(rule)) if rule else in_force.says
            told.append(in_force._replace(says=says, rule=rule))
        ordered = [
            _of_order(self._state, recorded.rule, recorded.place)
            for recorded in recorded_rules(self._state)
            if isinstance(recorded.rule, Prefer)
        ]
        return ordered + told

    def recorded(self) -> list[Rule]:
        """The rules that stand."""
        return rules_of(recorded_rules(self._state))

    def recorded_at(self, place: Place) -> Rule | None:
        """The rule of Velpin's that stands at a place."""
        return next(
            (recorded.rule for recorded in recorded_rules(self._state) if recorded.place == place),
            None,
        )

    def takes_part(self, source: Source) -> bool:
        """A section that is commented out has no place in the order."""
        return source.on

    def verdict(self, rule: Rule) -> Verdict:
        """Whether a rule holds on the host."""
        return verdict(self._state, rule)


def _of_order(state: AlpmState, rule: Prefer, place: Place) -> RuleInForce:
    """A section that stands where a rule wants it."""
    handles = {source.handle for source in state.configuration.sources if source.on}
    subject = state.configuration.by_handle.get(rule.source)
    says = SaysRule(rule=short_of(rule))
    mine = set(names_meant(state, "*", rule.source)) if rule.source in handles else set()
    named = {
        handle
        for pair in precedence_of(state.configuration.sources, rule).pairs()
        for handle in pair
        if handle in handles
    }
    theirs = {name for handle in named - {rule.source} for name in names_meant(state, "*", handle)}
    common = mine & theirs
    dead: Reason | None = None
    if subject is None:
        dead = RuleNamesNobody(source=rule.source)
    elif not subject.on:
        dead = RuleSourceOff(sources=(rule.source,))
    elif not common:
        dead = RuleIdle()
    installed = tuple(sorted(name for name in common if state.packages.pool.installed(name)))
    rank = subject.rank if subject else 0
    return RuleInForce(place, says, rule, rank, len(common), installed, dead)


def _of_sources(state: AlpmState) -> Iterator[RuleInForce]:
    by_name = {source.handle: source for source in state.configuration.sources if source.on}
    for section in state.configuration.config.sections:
        for directive in section.of("Usage"):
            if by_name[section.name].uses == ALL_USES:
                continue
            yield _usage(state, by_name[section.name], directive)


def _usage(state: AlpmState, source: AlpmSource, one: Directive) -> RuleInForce:
    index = state.indexes.index(source)
    says = SaysUsage(sources=source.handle, uses=(one.text or "").lower())
    names = index.names() if index else []
    installed = tuple(name for name in names if state.packages.pool.installed(name))
    return RuleInForce(one.place, says, None, source.rank, len(names), installed)


def _ignored(state: AlpmState) -> Iterator[RuleInForce]:
    for directive in state.configuration.config.options.of("IgnorePkg"):
        yield _names_ignored(state, directive)
    for directive in state.configuration.config.options.of("IgnoreGroup"):
        yield _groups_ignored(state, directive)


def _names_ignored(state: AlpmState, one: Directive) -> RuleInForce:
    globs = (one.text or "").split()
    names = [name for glob in globs for name in names_meant(state, glob)]
    return _rule(state, one, SaysIgnore(names=" ".join(globs)), names)


def _groups_ignored(state: AlpmState, one: Directive) -> RuleInForce:
    globs = (one.text or "").split()
    names = {
        row.name
        for index in [*(index for _, index in state.indexes.opened), state.configuration.record]
        if index is not None
        for group in index.all_linked(AlpmLink.GROUPS)
        if any(takes(glob, group) for glob in globs)
        for row in index.linked(AlpmLink.GROUPS, group)
    }
    return _rule(state, one, SaysIgnoreGroup(names=" ".join(globs)), sorted(names))


def _rule(
    state: AlpmState, one: Directive, says: SaysIgnore | SaysIgnoreGroup, names: list[str]
) -> RuleInForce:
    installed = tuple(dict.fromkeys(name for name in names if state.packages.pool.installed(name)))
    offers = sum(len(state.packages.pool.offered(name)) for name in dict.fromkeys(names))
    dead = None if names else RuleNoPackage(names=says.names)
    return RuleInForce(one.place, says, None, 0, offers, installed, dead)
