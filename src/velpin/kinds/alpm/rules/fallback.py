"""Rules that this kind of host cannot express, and the nearest that may do instead."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from velpin.kinds.alpm.rules.resolve import ALL, names_meant, version_is
from velpin.kinds.alpm.rules.store import recorded_rules
from velpin.kinds.alpm.state import AlpmState
from velpin.model.rule import Rule
from velpin.ports.configuration import find_source
from velpin.ports.rule_writer import Unexpressed


def unexpressed(state: AlpmState, rule: Rule) -> Unexpressed | None:
    """What to try instead of a rule that this kind of host cannot express; None where it can."""
    told = _TOLD[rule.kind](state, rule) if rule.kind in _TOLD else None
    if told is None:
        return None
    ordered = [
        recorded.rule for recorded in recorded_rules(state) if recorded.rule.kind == "prefer"
    ]
    lifted = [(other, True) for other in ordered if rule.kind in ("pin", "bar")]
    made = [(other, False) for other in _NEAREST[rule.kind](state, rule)]
    return Unexpressed(told, sorted(made + lifted, key=lambda tried: tried[0].kind != "prefer"))


def _confine(state: AlpmState, rule: Rule) -> str:
    return (
        f"this kind of host cannot confine {rule.source}: a section provides everything it has, or"
        " nothing"
    )


def _pin(state: AlpmState, rule: Rule) -> str:
    name = rule.names[0]
    if rule.version:
        return (
            f"this kind of host cannot pin {name} to a version ({rule.version}): it installs"
            " what the first source has, and leaves ignored packages as they are"
        )
    return f"this kind of host cannot pin {name} to a source: the order of sections counts"


def _bar(state: AlpmState, rule: Rule) -> str | None:
    if rule.names in ((), (ALL,)) and not (rule.version or rule.pre_releases):
        return None
    if rule.pre_releases or rule.version:
        return "this kind of host cannot bar single versions, only names and whole sections"
    return (
        f"this kind of host cannot bar {rule.names[0]} from {rule.source} alone: what it ignores,"
        " it ignores from every source"
    )


def _keep(state: AlpmState, rule: Rule) -> str | None:
    colons = [name for name in rule.names if ":" in name and not names_meant(state, name)]
    return f"packages are ignored by name, without an architecture: {colons[0]}" if colons else None


def _nearest_confine(state: AlpmState, rule: Rule) -> Iterator[Rule]:
    others = tuple(
        source.handle
        for source in state.configuration.sources
        if source.on and source.handle != rule.source
    )
    if others:
        yield Rule("prefer", (), rule.source, under=others)


def _nearest_pin(state: AlpmState, rule: Rule) -> Iterator[Rule]:
    here = [state.packages.pool.installed(name) for name in rule.names]
    if rule.version and all(package and version_is(rule, package.version) for package in here):
        yield Rule("keep", rule.names)
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
            yield Rule("prefer", (), source.handle, over=others)
        elif shown and rule.source:
            yield Rule("prefer", (), source.handle, over_all=True)


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


def _nearest_bar(state: AlpmState, rule: Rule) -> Iterator[Rule]:
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
            yield Rule("prefer", (), source.handle, over=over)
    if names and all(state.packages.pool.installed(name) for name in names):
        yield Rule("keep", rule.names)
    if rule.source:
        yield Rule("bar", (ALL,), rule.source)


def _nearest_keep(state: AlpmState, rule: Rule) -> Iterator[Rule]:
    yield Rule("keep", tuple(name.partition(":")[0] for name in rule.names))


def serves(after: AlpmState, rule: Rule, nearest: Rule) -> bool:
    """Whether the nearest does for the names what was asked for."""
    if rule.kind == "pin" and nearest.kind == "prefer":
        chosen = [after.packages.choice_of(name) for name in rule.names]
        return all(
            package is not None
            and version_is(rule, package.version)
            and rule.source in ("", package.origin.handle)
            for package in chosen
        )
    if rule.kind == "bar" and nearest.kind == "prefer":
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


_TOLD: dict[str, Callable[[AlpmState, Rule], str | None]] = {
    "confine": _confine, "pin": _pin, "bar": _bar, "keep": _keep,
}  # fmt: skip
_NEAREST: dict[str, Callable[[AlpmState, Rule], Iterator[Rule]]] = {
    "confine": _nearest_confine, "pin": _nearest_pin, "bar": _nearest_bar, "keep": _nearest_keep,
}  # fmt: skip
