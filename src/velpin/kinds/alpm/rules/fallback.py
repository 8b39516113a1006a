"""Rules that this kind of host cannot express, and the nearest that may do instead."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.kinds.alpm.rules.resolve import ALL, names_meant, version_is
from velpin.kinds.alpm.rules.store import recorded_rules
from velpin.kinds.alpm.state import AlpmState
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule
from velpin.ports.configuration import find_source
from velpin.ports.rule_writer import Unexpressed


def unexpressed(state: AlpmState, rule: Rule) -> Unexpressed | None:
    """What to try instead of a rule that this kind of host cannot express; None where it can."""
    told = _told(state, rule)
    if told is None:
        return None
    ordered = [
        recorded.rule for recorded in recorded_rules(state) if isinstance(recorded.rule, Prefer)
    ]
    lifted: list[tuple[Rule, bool]] = [
        (other, True) for other in ordered if isinstance(rule, Pin | Bar)
    ]
    made = [(other, False) for other in _nearest(state, rule)]
    return Unexpressed(
        told, sorted(made + lifted, key=lambda tried: not isinstance(tried[0], Prefer))
    )


def _told(state: AlpmState, rule: Rule) -> str | None:
    """What this kind of host cannot express of a rule; None if it can."""
    match rule:
        case Confine():
            return _confine(rule)
        case Pin():
            return _pin(rule)
        case Bar():
            return _bar(rule)
        case Keep():
            return _keep(state, rule)
        case _:
            return None


def _nearest(state: AlpmState, rule: Rule) -> Iterator[Rule]:
    match rule:
        case Confine():
            return _nearest_confine(state, rule)
        case Pin():
            return _nearest_pin(state, rule)
        case Bar():
            return _nearest_bar(state, rule)
        case Keep():
            return _nearest_keep(rule)
        case _:
            return iter(())


def _confine(rule: Confine) -> str:
    return (
        f"this kind of host cannot confine {rule.source}: a section provides everything it has, or"
        " nothing"
    )


def _pin(rule: Pin) -> str:
    name = rule.names[0]
    if rule.version:
        return (
            f"this kind of host cannot pin {name} to a version ({rule.version}): it installs"
            " what the first source has, and leaves ignored packages as they are"
        )
    return f"this kind of host cannot pin {name} to a source: the order of sections counts"


def _bar(rule: Bar) -> str | None:
    if rule.names in ((), (ALL,)) and not (rule.version or rule.pre_releases):
        return None
    if rule.pre_releases or rule.version:
        return "this kind of host cannot bar single versions, only names and whole sections"
    return (
        f"this kind of host cannot bar {rule.names[0]} from {rule.source} alone: what it ignores,"
        " it ignores from every source"
    )


def _keep(state: AlpmState, rule: Keep) -> str | None:
    colons = [name for name in rule.names if ":" in name and not names_meant(state, name)]
    return f"packages are ignored by name, without an architecture: {colons[0]}" if colons else None


def _nearest_confine(state: AlpmState, rule: Confine) -> Iterator[Rule]:
    others = tuple(
        source.handle
        for source in state.configuration.sources
        if source.on and source.handle != rule.source
    )
    if others:
        yield Prefer(rule.source, under=others)


def _nearest_pin(state: AlpmState, rule: Pin) -> Iterator[Rule]:
    here = [state.packages.pool.installed(name) for name in rule.names]
    if rule.version and all(package and version_is(rule, package.version) for package in here):
        yield Keep(rule.names)
    for source in state.configuration.sources:
        if not source.on or rule.source not in ("", source.handle):
            continue
        shown = [
            package
            for name in rule.names
            for package in state.packages.pool.offered(name)
            if package.origin.handle == source.handle and version_is(rule, package.version)
        ]
        others = _before(state, source.handle, rule.names)
        if len(shown) == len(rule.names) and others:
            yield Prefer(source.handle, others)
        elif shown and rule.source:
            yield Prefer(source.handle, over_all=True)


def _before(state: AlpmState, handle: str, names: tuple[str, ...]) -> tuple[str, ...]:
    """Sources that stand before one and have some of the names."""
    rank = find_source(state.configuration.by_handle, handle).rank
    return tuple(
        dict.fromkeys(
            package.origin.handle
            for name in names
            for package in state.packages.pool.offered(name)
            if package.origin.rank < rank
        )
    )


def _nearest_bar(state: AlpmState, rule: Bar) -> Iterator[Rule]:
    names = [name for text in rule.names for name in names_meant(state, text, rule.source)]
    offered = [package for name in names for package in state.packages.pool.offered(name)]
    barred = {
        package.origin.handle
        for package in offered
        if rule.source in ("", package.origin.handle)
        and (not rule.version or version_is(rule, package.version))
    }
    others = {package.origin.handle for package in offered} - barred
    for source in state.configuration.sources:
        if source.handle in others and barred:
            over = tuple(
                source.handle for source in state.configuration.sources if source.handle in barred
            )
            yield Prefer(source.handle, over)
    if names and all(state.packages.pool.installed(name) for name in names):
        yield Keep(rule.names)
    if rule.source:
        yield Bar((ALL,), source=rule.source)


def _nearest_keep(rule: Keep) -> Iterator[Rule]:
    yield Keep(tuple(name.partition(":")[0] for name in rule.names))


def serves(after: AlpmState, rule: Rule, nearest: Rule) -> bool:
    """Whether the nearest does for the names what was asked for."""
    if isinstance(rule, Pin) and isinstance(nearest, Prefer):
        chosen = [after.packages.choice_of(name) for name in rule.names]
        return all(
            package is not None
            and version_is(rule, package.version)
            and rule.source in ("", package.origin.handle)
            for package in chosen
        )
    if isinstance(rule, Bar) and isinstance(nearest, Prefer):
        texts = rule.names or (ALL,)
        names = [name for text in texts for name in names_meant(after, text, rule.source)]
        return not any(_still(after, rule, name) for name in names)
    return True


def _still(after: AlpmState, rule: Rule, name: str) -> bool:
    """Whether what was to be barred comes all the same."""
    found = after.packages.choice_of(name)
    if found is None or rule.source not in ("", found.origin.handle):
        return False
    return not rule.version or version_is(rule, found.version)
