"""Every rule in force, whoever wrote it: what it says, what it decides today, what overrules it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from velpin.files.text import decode
from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebVersion, IndexEntry
from velpin.kinds.deb.control import read_stanzas
from velpin.kinds.deb.preferences import NEVER, is_pattern, name_matches, take_apart
from velpin.kinds.deb.rules.lookup import is_there
from velpin.kinds.deb.rules.priorities import precedence_of
from velpin.kinds.deb.rules.reasons import (
    RuleNoVersion,
    SaysBarVersion,
    SaysHold,
    SaysInstalled,
    SaysKeep,
    SaysNothing,
    SaysPin,
    SaysPinSource,
    SaysSource,
    SaysSourceNever,
    SaysTarget,
)
from velpin.kinds.deb.rules.store import places, recorded_rules, rule_of
from velpin.kinds.deb.rules.verify import verdict
from velpin.model.reason import Place, Reason
from velpin.model.rule import Prefer, RuleInForce, short_of
from velpin.model.rule_reasons import (
    RuleIdle,
    RuleNoPackage,
    RuleNoSource,
    RuleNotThere,
    RuleOdd,
    RuleOverruled,
    RuleSourceOff,
    SaysBar,
    SaysRule,
)
from velpin.ports.rules import Rules

if TYPE_CHECKING:
    from velpin.kinds.deb.control import Stanza
    from velpin.kinds.deb.preferences import Record
    from velpin.kinds.deb.sources import DebSource
    from velpin.kinds.deb.state import DebState
    from velpin.model.precedence import Precedence
    from velpin.model.rule import Rule, Verdict
    from velpin.model.source import Source


@dataclass(slots=True)
class _Found:
    """What is known of one record."""

    offers: int = 0
    installed: dict[str, None] = field(default_factory=dict)
    means: bool = False
    """Whether there is anything that it mentions."""
    overruled_by: dict[str, None] = field(default_factory=dict)


class DebRules(Rules):
    """Rules that stand on a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    @property
    def sources(self) -> Sequence[Source]:
        """Its sources."""
        return self._state.configuration.sources

    def in_force(self) -> list[RuleInForce]:
        """All rules: records in the order in which they are tried, the target release, holds."""
        found: dict[Place, _Found] = defaultdict(_Found)
        _count_general(self._state, found)
        _count_specific(self._state, found)
        _count_installed(self._state, found)
        told = [
            _of_record(self._state, record, found[record.place])
            for record in self._state.configuration.preferences.records
        ]
        odd = [
            RuleInForce(
                note.place, SaysNothing(what=note.text), None, 0, 0, (),
                RuleOdd(),
            )
            for note in self._state.configuration.preferences.notes
        ]  # fmt: skip
        return [*_joined(self._state, told), *odd, *_target(self._state), *_holds(self._state)]

    def recorded(self) -> list[Rule]:
        """The rules that stand; one that stands in both files counts once."""
        return list(dict.fromkeys(rule.rule for rule in recorded_rules(self._state)))

    def recorded_at(self, place: Place) -> Rule | None:
        """The rule of Velpin's whose record a place lies in."""
        for stanza in self._stanzas(place.file):
            if stanza.line <= place.line < stanza.end:
                return rule_of(stanza)
        return None

    def _stanzas(self, file: str) -> list[Stanza]:
        return list(read_stanzas(decode(self._state.tree.read(file) or b"")))

    def names_source(self, text: str) -> bool:
        """Whether a handle, a repository's name or a glob means a source that is there."""
        return is_there(self._state, text)

    def same_source(self, one: str, other: str) -> bool:
        """A repository's name means each of its sources."""
        known = {source.handle: source.repository for source in self._state.configuration.sources}
        return other in (one, known.get(one))

    def precedence(self, rule: Prefer) -> Precedence:
        """What a rule to prefer a source says of the order of sources."""
        return precedence_of(self._state, rule)

    def verdict(self, rule: Rule) -> Verdict:
        """Whether a rule holds on the host."""
        return verdict(self._state, rule)


# -- counting ----------------------------------------------------------------------------


def _count_general(state: DebState, found: dict[Place, _Found]) -> None:
    for record in state.configuration.preferences.general:
        mine = found[record.place]
        for origin, index in state.indexes.opened:
            if not record.pin.selects_site(origin.site):
                continue
            mine.means = True
            if origin.priority.record is record:
                mine.offers += index.count
            else:
                mine.overruled_by[_winner(origin.priority)] = None
        mine.means = mine.means or record.pin.selects_site(state.indexes.own_origin.site)


def _winner(priority: choice.DebPriority) -> str:
    return str(priority.record.place) if priority.record else "the target release"


def _count_specific(state: DebState, found: dict[Place, _Found]) -> None:
    for name, arch, version in _versions_spoken_of(state):
        built_from = version.built_from
        first = None
        never = all(held.origin.priority.value == NEVER for held in version.holders)
        for record in state.configuration.matcher.records_of(name, arch, built_from):
            if not choice.selects(record, version):
                continue
            mine = found[record.place]
            mine.means = True
            if never:
                mine.overruled_by[_winner(version.holders[0].origin.priority)] = None
            elif first is None:
                mine.offers += len(version.offered)
            else:
                mine.overruled_by[str(first.place)] = None
            first = first or record


def _versions_spoken_of(state: DebState) -> Iterator[tuple[str, str, DebVersion]]:
    """Versions of names that a specific record may mention: name, architecture, version."""
    grouped: dict[tuple[str, str, str], DebVersion] = {}
    for held in _entries_spoken_of(state):
        row = held.row
        arch = state.configuration.unit_arch(row.arch)
        version = grouped.setdefault((row.name, arch, row.version), DebVersion(row.version, []))
        version.holders.append(held)
        version.installed = version.installed or choice.is_installed(row.state)
    for (name, arch, _), version in grouped.items():
        yield name, arch, version


def _entries_spoken_of(state: DebState) -> Iterator[IndexEntry]:
    parts = [take_apart(t) for r in state.configuration.preferences.records for t in r.names]
    exact = {name for name, _, source in parts if not (source or is_pattern(name))}
    wide = [(name, source) for name, _, source in parts if source or is_pattern(name)]
    held = [*state.indexes.opened, (state.indexes.own_origin, state.recorded.index)]
    for origin, index in held:
        if index is None:
            continue
        rows = index.all_rows() if wide else (row for name in exact for row in index.rows(name))
        for row in rows:
            if row.name in exact or any(
                name_matches(name, (row.built_from or row.name) if source else row.name)
                for name, source in wide
            ):
                yield IndexEntry(origin, row)


def _count_installed(state: DebState, found: dict[Place, _Found]) -> None:
    """A rule decides what comes next of an installed package where it gave the version that
    would come, or one that was passed over for it and is newer, its priority."""
    for name in state.recorded.installed_names():
        for package in state.packages.named(name).values():
            chosen = choice.candidate(package)
            for version in package.versions if package.installed else ():
                if version.priority.record:
                    found[version.priority.record.place].installed[name] = None
                if version is chosen:
                    break


# -- telling -----------------------------------------------------------------------------


def _of_record(state: DebState, record: Record, found: _Found) -> RuleInForce:
    dead = None
    if not found.offers and not found.installed:
        dead = _why_dead(state, record, found)
    return RuleInForce(
        record.place, _says(state, record), None, record.priority, found.offers,
        tuple(found.installed), dead,
    )  # fmt: skip


def _why_dead(state: DebState, record: Record, found: _Found) -> Reason | None:
    if found.overruled_by:
        return RuleOverruled(by=tuple(found.overruled_by))
    if found.means:
        return RuleIdle()
    if record.pin.kind != "version" and not _selected(state, record):
        off = [
            s.handle for s in state.configuration.sources if not s.on and _selects(state, record, s)
        ]
        if off:
            return RuleSourceOff(sources=tuple(off))
        return RuleNoSource(pin=record.pin.text)
    names = " ".join(_without_any(record.names))
    if any(True for _ in _known_names(state, record)):
        if record.pin.kind == "version":
            return RuleNoVersion(names=names, version=record.pin.text)
        return RuleNotThere(names=names, version=record.pin.text)
    return RuleNoPackage(names=names)


def _known_names(state: DebState, record: Record) -> Iterator[str]:
    for text in record.names:
        name, _, source = take_apart(text)
        if source or is_pattern(name):
            known = state.indexes.offered_names() | set(state.recorded.installed_names())
            yield from (handle for handle in known if source or name_matches(name, handle))
        elif state.packages.named(name):
            yield name


def _selects(state: DebState, record: Record, source: DebSource) -> bool:
    return any(
        record.pin.selects_site(origin.site) for origin, _ in state.indexes.origins_of(source)
    )


def _selected(state: DebState, record: Record) -> list[str]:
    """The sources that are on of which a record speaks."""
    found = [o.source for o, _ in state.indexes.origins if record.pin.selects_site(o.site)]
    return list(dict.fromkeys(found))


def _says(state: DebState, record: Record) -> Reason:
    selected = _selected(state, record)
    sources = ", ".join(selected) or f"sources with {record.pin.text}"
    priority, never = record.priority, record.priority <= 0
    if record.general:
        if (
            state.indexes.own_origin.site
            and record.pin.selects_site(state.indexes.own_origin.site)
            and not selected
        ):
            return SaysInstalled(sources=sources, priority=priority)
        return (SaysSourceNever if never else SaysSource)(sources=sources, priority=priority)
    names = " ".join(_without_any(record.names))
    if record.pin.kind == "version":
        kind = SaysBarVersion if never else SaysPin
        return kind(names=names, version=record.pin.text, sources=sources, priority=priority)
    if record.pin.selects_site(state.indexes.own_origin.site) and not selected:
        return SaysKeep(names=names, sources=sources, priority=priority)
    if never:
        return SaysBar(names=names, sources=sources, priority=priority)
    return SaysPinSource(names=names, sources=sources, priority=priority)


def _without_any(names: Iterable[str]) -> Iterator[str]:
    return (name.removesuffix(":any") for name in names)


def _joined(state: DebState, told: list[RuleInForce]) -> Iterator[RuleInForce]:
    """The records of one rule of Velpin's as one rule."""
    rules = places(recorded_rules(state))
    whole: dict[tuple[str, object], list[RuleInForce]] = {}
    for in_force in told:
        rule = rules.get(in_force.place)
        key: tuple[str, object] = (in_force.place.file, rule) if rule else ("", in_force.place)
        whole.setdefault(key, []).append(in_force._replace(rule=rule))
    for rules_of_it in whole.values():
        first = rules_of_it[0]
        if first.rule is None:
            yield first
            continue
        dead = [in_force.dead for in_force in rules_of_it]
        yield first._replace(
            says=SaysRule(rule=short_of(first.rule)),
            offers=sum(in_force.offers for in_force in rules_of_it),
            installed=tuple(
                dict.fromkeys(n for in_force in rules_of_it for n in in_force.installed)
            ),
            dead=dead[0] if all(dead) else None,
        )


def _target(state: DebState) -> Iterator[RuleInForce]:
    place = state.configuration.conf.place("APT::Default-Release")
    if not state.configuration.target or place is None:
        return
    named = [(o, index) for o, index in state.indexes.opened if o.priority.cause == "target"]
    sources = ", ".join(dict.fromkeys(origin.source for origin, _ in named))
    says = SaysTarget(target=state.configuration.target, sources=sources or "no source")
    dead = None if named else RuleNoSource(pin=state.configuration.target)
    offers = sum(index.count for _, index in named)
    yield RuleInForce(place, says, None, choice.TARGET, offers, (), dead)


def _holds(state: DebState) -> Iterator[RuleInForce]:
    for row in state.recorded.installed_rows():
        if row.state.startswith("hold "):
            place = Place(state.recorded.file, 0)
            yield RuleInForce(place, SaysHold(names=row.name), None, 0, 0, (row.name,))
