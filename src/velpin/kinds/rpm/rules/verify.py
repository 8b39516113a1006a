"""Whether a host, with or without an overlay, does what a rule says."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.rules.reasons import (
    KeptOut,
    NeverGoesBack,
    NeverThere,
    OtherComes,
    StaysAsItIs,
    StillNotOver,
)
from velpin.kinds.rpm.rules.resolve import (
    builds_meant,
    installed_meant,
    names_meant,
    split_name,
    version_is,
)
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.model.precedence import precedence_of
from velpin.model.reason import Reason
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, Verdict
from velpin.model.rule_reasons import ComesAllTheSame, StillChanges
from velpin.ports.configuration import find_source

_MOST = 4000
"""Names of one source that are looked at."""
_MOST_COMMON = 400
"""Names of two sources of which the choice is worked out."""


def verdict(state: RpmState, rule: Rule) -> Verdict:
    """Whether a rule holds, and why not."""
    told = next(_failures(state, rule), None)
    return Verdict(told is None, told)


def _failures(state: RpmState, rule: Rule) -> Iterator[Reason]:
    match rule:
        case Prefer():
            return _prefer(state, rule)
        case Confine():
            return _confine(state, rule)
        case Pin():
            return _pin(state, rule)
        case Bar():
            return _bar(state, rule)
        case Keep():
            return _keep(state, rule)


def _prefer(state: RpmState, rule: Prefer) -> Iterator[Reason]:
    for above, below in precedence_of(state.configuration.sources, rule).pairs():
        one, other = (
            find_source(state.configuration.by_handle, above),
            find_source(state.configuration.by_handle, below),
        )
        if one.priority >= other.priority:
            yield StillNotOver(source=above, other=below, priority=other.priority)
        if not (one.on and other.on):
            continue
        common = sorted(set(names_meant(state, "*", above)) & set(names_meant(state, "*", below)))
        for name in islice(common, _MOST_COMMON):
            if state.packages.pool.installed(name) or state.filters.is_widened(name):
                continue
            chosen = state.chooser.choice_of(name)
            visible = any(b.origin.handle == above for b in state.packages.pool.named(name))
            if chosen and visible and chosen.origin.handle == below:
                yield ComesAllTheSame(name=name, source=below, priority=chosen.origin.priority)


def _confine(state: RpmState, rule: Confine) -> Iterator[Reason]:
    if not find_source(state.configuration.by_handle, rule.source).on:
        return
    allowed = {name for text in rule.names for name in names_meant(state, text, rule.source)}
    for name in islice(names_meant(state, "*", rule.source), _MOST):
        builds = [b for b in state.packages.pool.named(name) if b.origin.handle == rule.source]
        if builds and name not in allowed:
            yield ComesAllTheSame(name=name, source=rule.source, priority=builds[0].origin.priority)
        if not builds and name in allowed:
            yield _kept_out(state, name, rule.source)


def _kept_out(state: RpmState, name: str, source: str) -> Reason:
    for build in state.packages.pool.all_named(name):
        hidden = state.filters.why_hidden(build) if build.origin.handle == source else None
        if hidden is not None:
            return KeptOut(name=name, source=source, because=(hidden,))
    return KeptOut(name=name, source=source)


def _bar(state: RpmState, rule: Bar) -> Iterator[Reason]:
    for name in rule.names or ("*",):
        for build in islice(builds_meant(state, name, rule.source), _MOST):
            if build.installed or not state.packages.pool.visible(build):
                continue
            if rule.pre_releases and "~" not in build.version:
                continue
            if version_is(rule, build.version):
                yield ComesAllTheSame(
                    name=build.name, source=build.origin.handle, priority=build.origin.priority
                )


def _pin(state: RpmState, rule: Pin) -> Iterator[Reason]:
    for text in rule.names:
        _, arch = split_name(text)
        for name in names_meant(state, text):
            offered = [
                package for package in state.packages.pool.named(name)
                if not package.installed and (not arch or package.arch == arch)
            ]  # fmt: skip
            wanted = [package for package in offered if _is_pinned(rule, package)]
            others = [package for package in offered if package not in wanted]
            if others:
                yield OtherComes(name=name, chosen=others[0].version, version=_what(rule))
            elif not wanted:
                yield NeverThere(name=name, version=_what(rule))
            else:
                yield from _pinned_installed(state, rule, name, wanted)


def _is_pinned(rule: Pin, build: RpmPackage) -> bool:
    return version_is(rule, build.version) and rule.source in ("", build.origin.handle)


def _what(rule: Pin) -> str:
    parts = [rule.version, f"from {rule.source}" if rule.source else ""]
    return " ".join(part for part in parts if part)


def _pinned_installed(
    state: RpmState, rule: Pin, name: str, wanted: list[RpmPackage]
) -> Iterator[Reason]:
    """An installed package must come to the wanted version with the next upgrade."""
    for old in state.packages.pool.installed(name):
        if version_is(rule, old.version):
            continue
        lower = all(compare(package.version, old.version) < 0 for package in wanted)
        if lower:
            yield NeverGoesBack(name=name, installed=old.version, version=wanted[0].version)
        elif not any(package in wanted for package in state.chooser.targets(old)):
            locked = state.filters.why_locked(old)
            because = (locked,) if locked else ()
            yield StaysAsItIs(name=name, version=rule.version, because=because)


def _keep(state: RpmState, rule: Keep) -> Iterator[Reason]:
    for text in rule.names:
        for build in installed_meant(state, text):
            found = state.chooser.targets(build)
            if found:
                new = found[0]
                yield StillChanges(name=new.name, version=new.version, source=new.origin.handle)
