"""From rules to preference records: the fewest that do it, weaker ones tried first.

Some rules can be written in more than one way; every way is given, the smallest first, and
whoever asks takes the first that the forecast proves.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace

from velpin.errors import Refusal
from velpin.kinds.deb.choice import UNMARKED, DebPackage, DebVersion
from velpin.kinds.deb.rules.lookup import (
    PRE_RELEASE,
    fast_components,
    fits,
    in_records,
    names_of,
    packages_meant,
    sources_meant,
    unfinished_names,
)
from velpin.kinds.deb.rules.selector import pin_of, text_of
from velpin.kinds.deb.rules.store import record
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule

Records = tuple[str, ...]

NEVER_TAKEN = -1
_PINNED, _KEPT, _GOES_BACK = 990, 999, 1001
_MOST_NAMES = 100
"""Names that are written out one by one where no glob was given."""


def record_options(state: DebState, rule: Rule, priorities: Mapping[str, int]) -> Iterator[Records]:
    """Every way to write a rule, the smallest first.

    `priorities` are those that the asked for order of sources asks for. Raises Refusal where the
    host cannot express it, with the nearest that it can.
    """
    match rule:
        case Prefer():
            yield from _prefer(state, rule, priorities)
        case Confine():
            yield from _confine(state, rule, priorities)
        case Pin():
            yield from _pin(state, rule)
        case Bar():
            yield from _bar(state, rule)
        case Keep():
            yield from _keep(state, rule)


def has_several_ways(rule: Rule) -> bool:
    """Whether a rule may be written in more than one way."""
    return isinstance(rule, Pin) and bool(rule.version and rule.source)


def _prefer(state: DebState, rule: Prefer, priorities: Mapping[str, int]) -> Iterator[Records]:
    sources = sources_meant(state, rule.source)
    priority = priorities[sources[0].handle]
    yield tuple(record(rule, ["*"], text, priority) for text in _pins(state, sources))


def _pins(state: DebState, sources: Sequence[DebSource]) -> list[str]:
    """One text that selects all of some sources, or else one for each."""
    try:
        return [text_of(pin_of(state, sources))]
    except Refusal:
        return [text_of(pin_of(state, [source])) for source in sources]


def _confine(state: DebState, rule: Confine, priorities: Mapping[str, int]) -> Iterator[Records]:
    records = []
    names = [in_records(name) for name in rule.names]
    for source in sources_meant(state, rule.source):
        pin = text_of(pin_of(state, [source]))
        usual = max(
            (o.priority.value for o, _ in state.indexes.origins_of(source)), default=UNMARKED
        )
        priority = priorities.get(source.handle, usual if usual > 0 else UNMARKED)
        records.append(record(rule, names, pin, priority))
        records.append(record(rule, ["*"], pin, NEVER_TAKEN))
    yield tuple(records)


# -- single packages ---------------------------------------------------------------------


def _pin(state: DebState, rule: Pin) -> Iterator[Records]:
    names = [in_records(name) for name in rule.names]
    packages = list(packages_meant(state, rule))
    rivals = (v for package in packages for v in package.versions if not fits(rule, v))
    priority = _above(rivals, _GOES_BACK if rule.allow_older else _PINNED)
    source = sources_meant(state, rule.source) if rule.source else []
    if not rule.version:
        yield (record(rule, names, text_of(pin_of(state, source)), priority),)
        return
    plain = record(rule, names, f"version {rule.version}", priority)
    yield (plain,)
    if source:
        others = _others_with(state, rule, packages, source)
        barred = [record(rule, names, text, NEVER_TAKEN) for text in _pins(state, others)]
        yield (*barred, plain)


def _above(versions: Iterable[DebVersion], least: int) -> int:
    """A priority that beats some versions."""
    return max([least, *(version.priority.value + 1 for version in versions)])


def _others_with(
    state: DebState, rule: Pin, packages: Sequence[DebPackage], source: Sequence[DebSource]
) -> list[DebSource]:
    """Other sources that have a version which the pin names."""
    taken = {other.handle for other in source}
    wanted = replace(rule, source="")
    found = {
        held.origin.source
        for package in packages
        for version in package.versions
        if fits(wanted, version)
        for held in version.offered
    }
    return [source for source in state.configuration.sources if source.handle in found - taken]


def _keep(state: DebState, rule: Keep) -> Iterator[Records]:
    names = [in_records(name) for name in rule.names]
    packages = packages_meant(state, rule)
    rivals = (v for package in packages for v in package.versions if not v.installed)
    priority = _above(rivals, _KEPT)
    yield (record(rule, names, "release a=now", priority),)


# -- what may not come -------------------------------------------------------------------


def _bar(state: DebState, rule: Bar) -> Iterator[Records]:
    names = [in_records(name) for name in rule.names]
    if rule.pre_releases:
        yield tuple(_bar_unfinished(state, rule))
    elif rule.components:
        yield tuple(_bar_components(state, rule, rule.components))
    elif rule.version:
        yield (record(rule, names, f"version {rule.version}", NEVER_TAKEN),)
    else:
        texts = _pins(state, sources_meant(state, rule.source))
        yield tuple(record(rule, names, text, NEVER_TAKEN) for text in texts)


def _bar_components(state: DebState, rule: Rule, components: Sequence[str]) -> Iterator[str]:
    for source in sources_meant(state, rule.source):
        for component in components:
            if component not in source.components:
                has = ", ".join(source.components) or "none"
                raise Refusal(f"{source.handle} has no component {component}; it has {has}")
            pin = text_of(pin_of(state, [source], component))
            yield record(rule, ["*"], pin, NEVER_TAKEN)


def _bar_unfinished(state: DebState, rule: Rule) -> Iterator[str]:
    for source in sources_meant(state, rule.source):
        yield from _bar_components(state, rule, fast_components(state, source))
    names = rule.names or _names_to_write_out(state, rule)
    if names:
        named = [in_records(name) for name in names]
        yield record(rule, named, f"version {PRE_RELEASE}", NEVER_TAKEN)


def _names_to_write_out(state: DebState, rule: Rule) -> list[str]:
    """All names of a source, or, where those are many, the names that such versions have now."""
    handles = [source.handle for source in sources_meant(state, rule.source)]
    known = {name for handle in handles for name in names_of(state, handle)}
    if len(known) > _MOST_NAMES:
        known = {name for handle in handles for name in unfinished_names(state, handle)}
    if len(known) > _MOST_NAMES:
        raise Refusal(
            f"{len(known)} names of {rule.source} have versions that are not final; a record"
            " for versions cannot name a source",
            f"name the packages: velpin bar 'GLOB' --pre-releases --from {rule.source}",
        )
    return sorted(known)
