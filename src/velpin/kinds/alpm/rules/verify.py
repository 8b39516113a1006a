"""Whether a host, with or without an overlay, does what a rule says."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from velpin.kinds.alpm.reasons import NotItsUsage
from velpin.kinds.alpm.rules.reasons import ComesUnasked, StillStandsLater
from velpin.kinds.alpm.rules.resolve import installed_meant, names_meant
from velpin.kinds.alpm.state import AlpmState
from velpin.model.precedence import precedence_of
from velpin.model.reason import Reason
from velpin.model.rule import Bar, Keep, Prefer, Rule, Verdict
from velpin.model.rule_reasons import StillChanges
from velpin.ports.configuration import find_source

_MOST = 4000
"""Names that are looked at."""


def verdict(state: AlpmState, rule: Rule) -> Verdict:
    """Whether a rule holds, and why not."""
    told = next(_failures(state, rule), None)
    return Verdict(told is None, told)


def _failures(state: AlpmState, rule: Rule) -> Iterator[Reason]:
    match rule:
        case Prefer():
            return _prefer(state, rule)
        case Bar():
            return _bar(state, rule)
        case Keep():
            return _keep(state, rule)
        case _:  # this kind of host cannot express it
            raise ValueError(rule.kind)


def _prefer(state: AlpmState, rule: Prefer) -> Iterator[Reason]:
    for above, below in precedence_of(state.configuration.sources, rule).pairs():
        one, other = (
            find_source(state.configuration.by_handle, above),
            find_source(state.configuration.by_handle, below),
        )
        if not (one.on and other.on):
            continue
        if one.rank > other.rank:
            yield StillStandsLater(source=above, other=below)
        common = set(names_meant(state, "*", above)) & set(names_meant(state, "*", below))
        for name in islice(sorted(common), _MOST):
            chosen = state.packages.choice_of(name)
            if chosen is not None and chosen.origin.handle == below:
                why = NotItsUsage(source=above)
                yield ComesUnasked(name=name, source=below, because=(why,))


def _bar(state: AlpmState, rule: Bar) -> Iterator[Reason]:
    """Nothing of the source comes unless it is asked for from there."""
    for name in islice(names_meant(state, "*", rule.source), _MOST):
        chosen = state.packages.choice_of(name)
        if chosen is not None and chosen.origin.handle == rule.source:
            yield ComesUnasked(name=name, source=rule.source)


def _keep(state: AlpmState, rule: Keep) -> Iterator[Reason]:
    """The upgrade leaves it as it is, and nothing replaces it there."""
    names = {name for text in rule.names for name in installed_meant(state, text)}
    work = state.packages.work(state.indexes.missing)
    work.ask_upgrade()
    done = work.run()
    for package in (*done.coming, *done.going):
        if package.name in names:
            version = "" if package.installed else package.version
            source = package.origin.handle
            yield StillChanges(name=package.name, version=version, source=source)
    for name in sorted(names):
        here = state.packages.pool.installed(name)
        if here is not None and state.packages.next_of(here) is not here:
            found = state.packages.next_of(here)
            yield StillChanges(name=name, version=found.version, source=found.origin.handle)
