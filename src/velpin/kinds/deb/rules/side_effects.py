"""What a rule does beside what it is for, worth a line before it is made."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import islice

from velpin.change.plan import Plan
from velpin.kinds.deb.forecast import DebTransactions
from velpin.kinds.deb.rules.lookup import (
    handles_meant,
    is_meant,
    meant_by,
    names_meant,
    names_of,
)
from velpin.kinds.deb.rules.reasons import BarredToo, LeftWithout, RuleLeft, SameFromFirst
from velpin.kinds.deb.rules.resolve import unfinished
from velpin.kinds.deb.rules.store import recorded_rules
from velpin.kinds.deb.rules.verify import same_elsewhere
from velpin.kinds.deb.state import DebState
from velpin.model.reason import Reason
from velpin.model.request import Request
from velpin.model.rule import Bar, Confine, Rule, command_of, with_names

_MOST_ASKED = 6
"""Packages of a confined source that are asked for, to see what they lack."""


def _in_full(after: DebState, rule: Rule) -> Rule:
    """A rule with the names that it had before."""
    found = (rule.rule for rule in recorded_rules(after))
    same = (existing for existing in found if with_names(existing, rule.names) == rule)
    return next(same, rule)


def _left_without(state: DebState, after: DebState, rule: Confine) -> Iterator[Reason]:
    """Packages that a confined source may give, and which then lack what it may not give."""
    handles = handles_meant(state, [rule.source])
    for name in names_meant(state, rule.names, of=handles[0])[:_MOST_ASKED]:
        if DebTransactions(after).would_carry_out([Request(name, name)]):
            continue
        was = DebTransactions(state).predict([Request(name, name)]).forecast
        lacking = [
            change.name
            for change in was.changes
            if change.source in handles and not is_meant(rule.names, change.name)
        ]
        if lacking:
            more = command_of(replace(rule, names=tuple(lacking)))
            yield LeftWithout(name=name, lacking=tuple(lacking), command=more)


def _same_elsewhere(after: DebState, rule: Rule) -> Iterator[Reason]:
    """What would still be downloaded from a source, since another one has the very same."""
    is_allowed = meant_by(rule.names if isinstance(rule, Confine) else ())
    for handle in handles_meant(after, [rule.source]):
        names = [name for name in names_of(after, handle) if not is_allowed(name)]
        found = same_elsewhere(after, handle, names)
        if found:
            others = tuple(dict.fromkeys(found.values()))
            yield SameFromFirst(names=tuple(found), source=handle, other=others)


def _barred_too(state: DebState, rule: Bar) -> Iterator[Reason]:
    """Other sources whose versions a bar of what is not final meets as well."""
    mine = set(handles_meant(state, [rule.source]))
    names = {name for handle in mine for name in names_of(state, handle)}
    for source in state.configuration.sources:
        if source.on and source.handle not in mine:
            also = [name for name in unfinished(state, rule, source.handle) if name in names]
            if also:
                yield BarredToo(names=tuple(also), source=source.handle)


def notes_on(state: DebState, plan: Plan) -> Iterator[Reason]:
    """What is to be said of the rules in a plan."""
    if plan.error or plan.unmet or plan.unchanged:
        return
    after = state.with_edits(plan.edits)
    for planned in plan.rules:
        rule = _in_full(after, planned)
        if isinstance(rule, Confine):
            yield from islice(_left_without(state, after, rule), 1)
        if rule.source and (isinstance(rule, Confine) or rule.names == ("*",)):
            yield from _same_elsewhere(after, rule)
        if isinstance(rule, Bar) and rule.pre_releases:
            yield from _barred_too(state, rule)


def notes_on_drop(state: DebState, handle: str) -> Iterator[Reason]:
    """Rules about a source that would mean nothing without it."""
    for rule in recorded_rules(state):
        if rule.rule.source == handle:
            lift = command_of(rule.rule, lift=True)
            yield RuleLeft(rule=command_of(rule.rule), lift=lift)
