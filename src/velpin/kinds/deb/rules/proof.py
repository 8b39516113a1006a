"""Whether a host, as its files are or would be, does what a wish says.

Asked of the same choice as every forecast. Where a wish does not hold, the record that wins
over it is named.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import Number, Package, Version
from velpin.kinds.deb.preferences import take_apart
from velpin.kinds.deb.rules.meaning import (
    fits,
    handles_meant,
    is_meant,
    is_of,
    is_pre_release,
    names_meant,
    names_of,
    packages_meant,
    sources_meant,
)
from velpin.kinds.deb.rules.numbers import order_of
from velpin.kinds.deb.rules.written import standing
from velpin.kinds.deb.state import DebState
from velpin.model import Fact, Reason
from velpin.wish import Verdict, Wish

_MOST = 400
"""Packages that are looked at one by one for a wish about many."""


def verdict(host: DebState, wish: Wish) -> Verdict:
    """Whether a wish holds; it must be one that means something here."""
    failures = {
        "prefer": _prefer, "confine": _confine, "pin": _pin, "bar": _bar, "keep": _keep,
    }[wish.kind](host, wish)  # fmt: skip
    return next(failures, Verdict(True))


def _lost(code: str, number: Number, **facts: Fact) -> Verdict:
    """A wish that does not hold, because of what set a number."""
    record = number.record
    return Verdict(False, Reason(code, {**facts, "number": number.value}), record and record.place)


# -- sources -----------------------------------------------------------------------------


def _prefer(host: DebState, wish: Wish) -> Iterator[Verdict]:
    confined = _confined(host)
    for above, below in order_of(host, wish).pairs():
        one, other = _weakest(host, above), _strongest(host, below)
        if one is None or other is None or confined & {above, below}:
            continue
        if one.value <= other.value:
            cause = one if one.record else other
            yield _lost("still-below", cause, source=above, other=below)
    yield from _prefer_by_names(host, wish)


def _confined(host: DebState) -> set[str]:
    """Sources that a standing wish confines, by handle; one that is gone does not count."""
    told = {one.wish.source for one in standing(host) if one.wish.kind == "confine"}
    return {one.handle for one in host.sources if {one.handle, one.repository} & told}


def _prefer_by_names(host: DebState, wish: Wish) -> Iterator[Verdict]:
    """Names that both have: a record for single packages may say otherwise; where one does for
    every name, the wish does not hold."""
    for above, below in order_of(host, wish).pairs():
        if not any(record.names for record in host.preferences.records):
            return
        lost = None
        for name in sorted(names_of(host, above) & names_of(host, below))[:_MOST]:
            found = _rival(host.packages(name).values(), above, below)
            if found is None:
                lost = None
                break
            lost = _lost("still-below", found, source=above, other=below)
        if lost:
            yield lost


def _rival(packages: Iterable[Package], above: str, below: str) -> Number | None:
    """The number with which a source still wins a name, None where it does not."""
    for package in packages:
        mine = [v.number.value for v in package.versions if is_of(v, above)]
        others = [v for v in package.versions if is_of(v, below) and not is_of(v, above)]
        for version in others:
            if mine and version.number.value >= max(mine):
                return version.number
    return None


def _weakest(host: DebState, handle: str) -> Number | None:
    numbers = [origin.number for origin, _ in host.origins if origin.source == handle]
    return min(numbers, key=lambda number: number.value, default=None)


def _strongest(host: DebState, handle: str) -> Number | None:
    numbers = [origin.number for origin, _ in host.origins if origin.source == handle]
    return max(numbers, key=lambda number: number.value, default=None)


def _confine(host: DebState, wish: Wish) -> Iterator[Verdict]:
    for source in sources_meant(host, wish.source):
        number = _strongest(host, source.handle)
        if number and number.value > 0:
            yield _lost("not-confined", number, source=source.handle)
        allowed = names_meant(host, wish.names, of=source.handle)
        for name in _others_named(host, source.handle, set(allowed)):
            for package in host.packages(name).values():
                chosen = choice.candidate(package)
                if chosen and _is_taken(chosen, source.handle):
                    yield _lost(
                        "comes-all-the-same", chosen.number, source=source.handle, name=name
                    )
        yield from _none_allowed(host, allowed, source.handle)


def _none_allowed(host: DebState, allowed: Sequence[str], handle: str) -> Iterator[Verdict]:
    """Where not one of the allowed names may come, another rule keeps them all away."""
    found = [
        v
        for n in allowed[:_MOST]
        for p in host.packages(n).values()
        for v in p.versions
        if is_of(v, handle)
    ]
    if found and all(version.number.value <= 0 for version in found):
        yield _lost("never-comes", found[0].number, source=handle, name=allowed[0])


def _others_named(host: DebState, handle: str, allowed: set[str]) -> list[str]:
    """Names of a source, beside some, that a record for single packages speaks of."""
    parts = [take_apart(text) for record in host.preferences.records for text in record.names]
    texts = [name for name, _, of_source in parts if not of_source]
    built = [name for name, _, of_source in parts if of_source]
    names = {name for name in names_of(host, handle) if texts and is_meant(texts, name)}
    if built:
        names |= {
            row.name
            for origin, index in host.indexes
            if origin.source == handle
            for row in index.all_rows()
            if is_meant(built, row.built_from or row.name)
        }
    return sorted(names - allowed)[:_MOST]


def same_elsewhere(host: DebState, handle: str, names: Iterable[str]) -> dict[str, str]:
    """Names that the host downloads from a source only because it is listed before another one
    that has the very same version; that other one, by name. At most some hundred are looked at."""
    elsewhere: set[str] = set()
    for source in host.sources:
        if source.on and source.handle != handle:
            elsewhere |= names_of(host, source.handle)
    found = {}
    for name in sorted(elsewhere.intersection(names))[:_MOST]:
        for package in host.packages(name).values():
            chosen = choice.candidate(package)
            if chosen and not chosen.installed and _also_in(chosen, handle):
                found[name] = _also_in(chosen, handle)
    return found


def _also_in(version: Version, handle: str) -> str:
    """Another source that has the version which the host downloads from a source."""
    sources = [held.origin.source for held in version.offered]
    others = [source for source in sources if source != handle]
    return others[0] if others and sources[0] == handle else ""


# -- packages ----------------------------------------------------------------------------


def _pin(host: DebState, wish: Wish) -> Iterator[Verdict]:
    for package in packages_meant(host, wish):
        wanted = [version for version in package.versions if fits(wish, version)]
        chosen = choice.candidate(package)
        if not wanted:
            continue
        if chosen is None:
            first = wanted[0]
            yield _lost("never-taken", first.number, name=package.name, version=first.text)
        elif chosen not in wanted:
            yield _pin_lost(package, wanted[0], chosen)
        elif wish.source and chosen.offered and chosen.source != wish.source:
            facts: dict[str, Fact] = {
                "name": package.name,
                "version": chosen.text,
                "first": chosen.source,
                "source": wish.source,
            }
            yield Verdict(False, Reason("same-elsewhere", facts))


def _pin_lost(package: Package, wanted: Version, chosen: Version) -> Verdict:
    installed = package.installed
    if installed and choice.is_older(wanted, installed) and wanted.number.value < choice.DOWNGRADES:
        facts: dict[str, Fact] = {
            "name": package.name,
            "version": wanted.text,
            "installed": installed.text,
        }
        return Verdict(False, Reason("would-go-back", facts))
    cause = wanted.number if wanted.number.value <= chosen.number.value else chosen.number
    if chosen.number.record and cause.record is None:
        cause = chosen.number
    return _lost("other-wins", cause, name=package.name, version=wanted.text, chosen=chosen.text)


def _keep(host: DebState, wish: Wish) -> Iterator[Verdict]:
    for package in packages_meant(host, wish):
        chosen = choice.candidate(package)
        if package.installed and chosen and not chosen.installed:
            yield _lost(
                "other-wins", chosen.number, name=package.name, version=package.installed.text,
                chosen=chosen.text,
            )  # fmt: skip


def _bar(host: DebState, wish: Wish) -> Iterator[Verdict]:
    handles = handles_meant(host, [wish.source]) if wish.source else [""]
    for handle in handles:
        if wish.sections:
            yield from _bar_sections(host, handle, wish.sections)
            continue
        for name in names_meant(host, wish.names or ("*",), of=handle)[: _MOST * 10]:
            for package in host.packages(name).values():
                chosen = choice.candidate(package)
                if chosen and _is_barred(wish, chosen, handle):
                    yield _lost("comes-all-the-same", chosen.number, name=name, source=handle)


def _bar_sections(host: DebState, handle: str, sections: Sequence[str]) -> Iterator[Verdict]:
    for origin, _ in host.origins:
        if origin.source == handle and origin.section in sections and origin.number.value > 0:
            yield _lost("not-confined", origin.number, source=f"{handle} {origin.section}")


def _is_barred(wish: Wish, chosen: Version, handle: str) -> bool:
    if chosen.installed or (handle and not _is_taken(chosen, handle)):
        return False
    if wish.pre_releases:
        return is_pre_release(chosen.text)
    return not wish.version or fits(wish._replace(source=""), chosen)


def _is_taken(version: Version, handle: str) -> bool:
    """Whether a version would come new from a source, and not because another has the same."""
    return not version.installed and version.source == handle and not _also_in(version, handle)
