"""From wishes to preference records: the fewest that do it, weaker ones tried first.

Some wishes can be written in more than one way; every way is given, the smallest first, and
whoever asks takes the first that the forecast proves.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from velpin.errors import Refusal
from velpin.kinds.deb.choice import UNMARKED, Package, Version
from velpin.kinds.deb.rules.meaning import (
    PRE_RELEASE,
    fast_sections,
    fits,
    in_records,
    names_of,
    packages_meant,
    sources_meant,
    unfinished_names,
)
from velpin.kinds.deb.rules.selector import pin_of, text_of
from velpin.kinds.deb.rules.written import record
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.wish import Wish

Records = tuple[str, ...]

NEVER_TAKEN = -1
_PINNED, _KEPT, _GOES_BACK = 990, 999, 1001
_MOST_NAMES = 100
"""Names that are written out one by one where no glob was given."""


def ways(host: DebState, wish: Wish, numbers: Mapping[str, int]) -> Iterator[Records]:
    """Every way to write a wish, the smallest first.

    `numbers` are those that the wished order of sources asks for. Raises Refusal where the
    host cannot express it, with the nearest that it can.
    """
    yield from {
        "prefer": _prefer, "confine": _confine, "pin": _pin, "bar": _bar, "keep": _keep,
    }[wish.kind](host, wish, numbers)  # fmt: skip


def has_several_ways(wish: Wish) -> bool:
    """Whether a wish may be written in more than one way."""
    return wish.kind == "pin" and bool(wish.version and wish.source)


def _prefer(host: DebState, wish: Wish, numbers: Mapping[str, int]) -> Iterator[Records]:
    sources = sources_meant(host, wish.source)
    number = numbers[sources[0].handle]
    yield tuple(record(wish, ["*"], text, number) for text in _pins(host, sources))


def _pins(host: DebState, sources: Sequence[DebSource]) -> list[str]:
    """One text that selects all of some sources, or else one for each."""
    try:
        return [text_of(pin_of(host, sources))]
    except Refusal:
        return [text_of(pin_of(host, [source])) for source in sources]


def _confine(host: DebState, wish: Wish, numbers: Mapping[str, int]) -> Iterator[Records]:
    records = []
    names = [in_records(name) for name in wish.names]
    for source in sources_meant(host, wish.source):
        pin = text_of(pin_of(host, [source]))
        usual = max((o.number.value for o, _ in host.origins_of(source)), default=UNMARKED)
        number = numbers.get(source.handle, usual if usual > 0 else UNMARKED)
        records.append(record(wish, names, pin, number))
        records.append(record(wish, ["*"], pin, NEVER_TAKEN))
    yield tuple(records)


# -- single packages ---------------------------------------------------------------------


def _pin(host: DebState, wish: Wish, _: Mapping[str, int]) -> Iterator[Records]:
    names = [in_records(name) for name in wish.names]
    packages = list(packages_meant(host, wish))
    rivals = (v for package in packages for v in package.versions if not fits(wish, v))
    number = _above(rivals, _GOES_BACK if wish.allow_older else _PINNED)
    source = sources_meant(host, wish.source) if wish.source else []
    if not wish.version:
        yield (record(wish, names, text_of(pin_of(host, source)), number),)
        return
    plain = record(wish, names, f"version {wish.version}", number)
    yield (plain,)
    if source:
        others = _others_with(host, wish, packages, source)
        barred = [record(wish, names, text, NEVER_TAKEN) for text in _pins(host, others)]
        yield (*barred, plain)


def _above(versions: Iterable[Version], least: int) -> int:
    """A number that beats some versions."""
    return max([least, *(version.number.value + 1 for version in versions)])


def _others_with(
    host: DebState, wish: Wish, packages: Sequence[Package], source: Sequence[DebSource]
) -> list[DebSource]:
    """Other sources that have a version which the pin names."""
    taken = {one.handle for one in source}
    wanted = wish._replace(source="")
    found = {
        held.origin.source
        for package in packages
        for version in package.versions
        if fits(wanted, version)
        for held in version.offered
    }
    return [one for one in host.sources if one.handle in found - taken]


def _keep(host: DebState, wish: Wish, _: Mapping[str, int]) -> Iterator[Records]:
    names = [in_records(name) for name in wish.names]
    packages = packages_meant(host, wish)
    rivals = (v for package in packages for v in package.versions if not v.installed)
    number = _above(rivals, _KEPT)
    yield (record(wish, names, "release a=now", number),)


# -- what may not come -------------------------------------------------------------------


def _bar(host: DebState, wish: Wish, _: Mapping[str, int]) -> Iterator[Records]:
    names = [in_records(name) for name in wish.names]
    if wish.pre_releases:
        yield tuple(_bar_unfinished(host, wish))
    elif wish.sections:
        yield tuple(_bar_sections(host, wish, wish.sections))
    elif wish.version:
        yield (record(wish, names, f"version {wish.version}", NEVER_TAKEN),)
    else:
        texts = _pins(host, sources_meant(host, wish.source))
        yield tuple(record(wish, names, text, NEVER_TAKEN) for text in texts)


def _bar_sections(host: DebState, wish: Wish, sections: Sequence[str]) -> Iterator[str]:
    for source in sources_meant(host, wish.source):
        for section in sections:
            if section not in source.sections:
                has = ", ".join(source.sections) or "none"
                raise Refusal(f"{source.handle} has no section {section}; it has {has}")
            pin = text_of(pin_of(host, [source], section))
            yield record(wish, ["*"], pin, NEVER_TAKEN)


def _bar_unfinished(host: DebState, wish: Wish) -> Iterator[str]:
    for source in sources_meant(host, wish.source):
        yield from _bar_sections(host, wish, fast_sections(host, source))
    names = wish.names or _names_to_write_out(host, wish)
    if names:
        named = [in_records(name) for name in names]
        yield record(wish, named, f"version {PRE_RELEASE}", NEVER_TAKEN)


def _names_to_write_out(host: DebState, wish: Wish) -> list[str]:
    """All names of a source, or, where those are many, the names that such versions have now."""
    handles = [source.handle for source in sources_meant(host, wish.source)]
    known = {name for handle in handles for name in names_of(host, handle)}
    if len(known) > _MOST_NAMES:
        known = {name for handle in handles for name in unfinished_names(host, handle)}
    if len(known) > _MOST_NAMES:
        raise Refusal(
            f"{len(known)} names of {wish.source} have versions that are not final; a record"
            " for versions cannot name a source",
            f"name the packages: velpin bar 'GLOB' --pre-releases --from {wish.source}",
        )
    return sorted(known)
