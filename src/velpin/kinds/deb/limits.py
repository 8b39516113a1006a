"""Sources of which only some names count, or all but some (observed: newer generation only).

    Include: NAME ...      only these, by their exact names; patterns mean nothing
    Exclude: NAME ...      all but these

Observed rules: docs/how-hosts-choose/deb-newer.md, "Sources".
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.kinds.deb.sources import DebSource

_NO_SNAPSHOT = ("", "no", "enable")


class Limit(NamedTuple):
    """What a source says of the names that count."""

    names: frozenset[str]
    only: bool
    """Whether these alone count, rather than all others."""

    def takes(self, name: str) -> bool:
        """Whether a name counts."""
        return (name in self.names) == self.only


def limits_of(sources: Iterable[DebSource]) -> dict[str, Limit]:
    """The limits of sources that have one, by handle."""
    found = {}
    for source in sources:
        for option, only in (("include", True), ("exclude", False)):
            text = source.option(option)
            if text:
                found[source.handle] = Limit(frozenset(re.split(r"[\s,]+", text.strip())), only)
    return found


def unreadable(sources: Iterable[DebSource]) -> Iterator[HostFileError]:
    """What makes the installer read no source at all: both limits on one source, or a snapshot
    on a source that has none."""
    for source in sources:
        if not source.on:
            continue
        place = source.places[0]
        if source.option("include") and source.option("exclude"):
            what = "Include and Exclude stand on one source"
            yield HostFileError(place.file, place.line, what)
        if source.option("snapshot").lower() not in _NO_SNAPSHOT:
            what = f"no snapshot {source.option('snapshot')!r} can be had from this source"
            yield HostFileError(place.file, place.line, what)
