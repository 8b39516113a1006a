"""Whether a host, as its files are or would be, does what a rule says.

Asked of the same choice as every forecast. Where a rule does not hold, the record that wins
over it is named.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebPackage, DebPriority, DebVersion
from velpin.kinds.deb.preferences import take_apart
from velpin.kinds.deb.rules.lookup import (
    fits,
    handles_meant,
    is_of,
    is_pre_release,
    meant_by,
    names_meant,
    names_of,
    packages_meant,
    sources_meant,
)
from velpin.kinds.deb.rules.priorities import precedence_of
from velpin.kinds.deb.rules.reasons import (
    NeverComes,
    NeverTaken,
    NotConfined,
    OtherWins,
    SameElsewhere,
    StillBelow,
)
from velpin.kinds.deb.rules.store import recorded_rules
from velpin.kinds.deb.state import DebState
from velpin.model.reason import Reason
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, Verdict
from velpin.model.rule_reasons import ComesAllTheSame, WouldGoBack

_MOST = 400
"""Packages that are looked at one by one for a rule about many."""
_MOST_BARRED = 1000
"""Names of a rule that bars many that are looked at one by one, spread over all of them."""


def verdict(state: DebState, rule: Rule) -> Verdict:
    """Whether a rule holds; it must be one that means something here."""
    return next(_failures(state, rule), Verdict(True))


def _failures(state: DebState, rule: Rule) -> Iterator[Verdict]:
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


def _lost(cause: DebPriority, why: Reason) -> Verdict:
    """A rule that does not hold, because of what set a priority."""
    return Verdict(False, why, cause.record and cause.record.place)


# -- sources -----------------------------------------------------------------------------


def _prefer(state: DebState, rule: Prefer) -> Iterator[Verdict]:
    confined = _confined(state)
    for above, below in precedence_of(state, rule).pairs():
        one, other = _weakest(state, above), _strongest(state, below)
        if one is None or other is None or confined & {above, below}:
            continue
        if one.value <= other.value:
            cause = one if one.record else other
            why = StillBelow(source=above, other=below, priority=cause.value)
            yield _lost(cause, why)
    yield from _prefer_by_names(state, rule)


def _confined(state: DebState) -> set[str]:
    """Sources that a recorded rule confines, by handle; one that is gone does not count."""
    told = {rule.rule.source for rule in recorded_rules(state) if isinstance(rule.rule, Confine)}
    return {
        source.handle
        for source in state.configuration.sources
        if {source.handle, source.repository} & told
    }


def _prefer_by_names(state: DebState, rule: Prefer) -> Iterator[Verdict]:
    """Names that both have: a record for single packages may say otherwise; where one does for
    every name, the rule does not hold."""
    for above, below in precedence_of(state, rule).pairs():
        if not any(record.names for record in state.configuration.preferences.records):
            return
        lost = None
        for name in sorted(names_of(state, above) & names_of(state, below))[:_MOST]:
            found = _rival(state.packages.named(name).values(), above, below)
            if found is None:
                lost = None
                break
            why = StillBelow(source=above, other=below, priority=found.value)
            lost = _lost(found, why)
        if lost:
            yield lost


def _rival(packages: Iterable[DebPackage], above: str, below: str) -> DebPriority | None:
    """The priority with which a source still wins a name, None where it does not."""
    for package in packages:
        mine = [v.priority.value for v in package.versions if is_of(v, above)]
        others = [v for v in package.versions if is_of(v, below) and not is_of(v, above)]
        for version in others:
            if mine and version.priority.value >= max(mine):
                return version.priority
    return None


def _weakest(state: DebState, handle: str) -> DebPriority | None:
    priorities = [origin.priority for origin, _ in state.indexes.origins if origin.source == handle]
    return min(priorities, key=lambda priority: priority.value, default=None)


def _strongest(state: DebState, handle: str) -> DebPriority | None:
    priorities = [origin.priority for origin, _ in state.indexes.origins if origin.source == handle]
    return max(priorities, key=lambda priority: priority.value, default=None)


def _confine(state: DebState, rule: Confine) -> Iterator[Verdict]:
    for source in sources_meant(state, rule.source):
        priority = _strongest(state, source.handle)
        if priority and priority.value > 0:
            why = NotConfined(source=source.handle, priority=priority.value)
            yield _lost(priority, why)
        allowed = names_meant(state, rule.names, of=source.handle)
        for name in _others_named(state, source.handle, set(allowed)):
            for package in state.packages.named(name).values():
                chosen = choice.candidate(package)
                if chosen and _is_taken(chosen, source.handle):
                    yield _comes(chosen.priority, name, source.handle)
        yield from _none_allowed(state, allowed, source.handle)


def _none_allowed(state: DebState, allowed: Sequence[str], handle: str) -> Iterator[Verdict]:
    """Where not one of the allowed names may come, another rule keeps them all away."""
    found = [
        v
        for n in allowed[:_MOST]
        for p in state.packages.named(n).values()
        for v in p.versions
        if is_of(v, handle)
    ]
    if found and all(version.priority.value <= 0 for version in found):
        cause = found[0].priority
        why = NeverComes(source=handle, name=allowed[0], priority=cause.value)
        yield _lost(cause, why)


def _others_named(state: DebState, handle: str, allowed: set[str]) -> list[str]:
    """Names of a source, beside some, that a record for single packages mentions."""
    parts = [
        take_apart(text)
        for record in state.configuration.preferences.records
        for text in record.names
    ]
    texts = [name for name, _, of_source in parts if not of_source]
    built = [name for name, _, of_source in parts if of_source]
    names = set(filter(meant_by(tuple(texts)), names_of(state, handle)))
    if built:
        is_built = meant_by(tuple(built))
        names |= {
            row.name
            for origin, index in state.indexes.opened
            if origin.source == handle
            for row in index.all_rows()
            if is_built(row.built_from or row.name)
        }
    return sorted(names - allowed)[:_MOST]


def same_elsewhere(state: DebState, handle: str, names: Iterable[str]) -> dict[str, str]:
    """Names that the host downloads from a source only because it is listed before another one
    that has the very same version; that other one, by name. At most some hundred are looked at."""
    elsewhere: set[str] = set()
    for source in state.configuration.sources:
        if source.on and source.handle != handle:
            elsewhere |= names_of(state, source.handle)
    found = {}
    for name in sorted(elsewhere.intersection(names))[:_MOST]:
        for package in state.packages.named(name).values():
            chosen = choice.candidate(package)
            if chosen and not chosen.installed and _also_in(chosen, handle):
                found[name] = _also_in(chosen, handle)
    return found


def _also_in(version: DebVersion, handle: str) -> str:
    """Another source that has the version which the host downloads from a source."""
    sources = [held.origin.source for held in version.offered]
    others = [source for source in sources if source != handle]
    return others[0] if others and sources[0] == handle else ""


# -- packages ----------------------------------------------------------------------------


def _pin(state: DebState, rule: Pin) -> Iterator[Verdict]:
    for package in packages_meant(state, rule):
        wanted = [version for version in package.versions if fits(rule, version)]
        chosen = choice.candidate(package)
        if not wanted:
            continue
        if chosen is None:
            first, cause = wanted[0], wanted[0].priority
            why = NeverTaken(name=package.name, version=first.text, priority=cause.value)
            yield _lost(cause, why)
        elif chosen not in wanted:
            yield _pin_lost(package, wanted[0], chosen)
        elif rule.source and chosen.offered and chosen.source != rule.source:
            same = SameElsewhere(
                name=package.name, version=chosen.text, first=chosen.source, source=rule.source
            )
            yield Verdict(False, same)


def _pin_lost(package: DebPackage, wanted: DebVersion, chosen: DebVersion) -> Verdict:
    installed = package.installed
    if (
        installed
        and choice.is_older(wanted, installed)
        and wanted.priority.value < choice.DOWNGRADES
    ):
        back = WouldGoBack(name=package.name, version=wanted.text, installed=installed.text)
        return Verdict(False, back)
    cause = wanted.priority if wanted.priority.value <= chosen.priority.value else chosen.priority
    if chosen.priority.record and cause.record is None:
        cause = chosen.priority
    return _other_wins(cause, package.name, wanted.text, chosen.text)


def _other_wins(cause: DebPriority, name: str, wanted: str, chosen: str) -> Verdict:
    why = OtherWins(name=name, version=wanted, chosen=chosen, priority=cause.value)
    return _lost(cause, why)


def _keep(state: DebState, rule: Keep) -> Iterator[Verdict]:
    for package in packages_meant(state, rule):
        chosen = choice.candidate(package)
        if package.installed and chosen and not chosen.installed:
            yield _other_wins(chosen.priority, package.name, package.installed.text, chosen.text)


def _bar(state: DebState, rule: Bar) -> Iterator[Verdict]:
    handles = handles_meant(state, [rule.source]) if rule.source else [""]
    for handle in handles:
        if rule.components:
            yield from _bar_components(state, handle, rule.components)
            continue
        names = names_meant(state, rule.names or ("*",), of=handle)
        for name in names[:: 1 + len(names) // _MOST_BARRED]:
            for package in state.packages.named(name).values():
                chosen = choice.candidate(package)
                if chosen and _is_barred(rule, chosen, handle):
                    yield _comes(chosen.priority, name, handle)


def _comes(cause: DebPriority, name: str, handle: str) -> Verdict:
    """A package that would come from a source from which it should not."""
    why = ComesAllTheSame(source=handle, name=name, priority=cause.value)
    return _lost(cause, why)


def _bar_components(state: DebState, handle: str, components: Sequence[str]) -> Iterator[Verdict]:
    for origin, _ in state.indexes.origins:
        if origin.source == handle and origin.component in components and origin.priority.value > 0:
            component = f"{handle} {origin.component}"
            why = NotConfined(source=component, priority=origin.priority.value)
            yield _lost(origin.priority, why)


def _is_barred(rule: Bar, chosen: DebVersion, handle: str) -> bool:
    if chosen.installed or (handle and not _is_taken(chosen, handle)):
        return False
    if rule.pre_releases:
        return is_pre_release(chosen.text)
    return not rule.version or fits(replace(rule, source=""), chosen)


def _is_taken(version: DebVersion, handle: str) -> bool:
    """Whether a version would come new from a source, and not because another has the same."""
    return not version.installed and version.source == handle and not _also_in(version, handle)
