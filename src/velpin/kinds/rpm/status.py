"""How the sources of an rpm host stand: their priorities, signed by whom, how old."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.kinds.rpm.trust import key_addresses, named_keys
from velpin.model.host import SourcePriority
from velpin.model.safe_text import bare_address, grouped
from velpin.model.shell import shell_word
from velpin.ports.standing import Standing, StatusParts

if TYPE_CHECKING:
    from velpin.kinds.rpm.copies import RpmCopy
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.source import Source
    from velpin.trust.named import NamedKeys


class RpmStanding(Standing):
    """The sources of an rpm host beside each other."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def tiers(self) -> Mapping[str, int]:
        """By priority: the lowest is the strongest."""
        live = sorted(
            {source.priority for source in self._state.configuration.sources if source.on}
        )
        places = {priority: place for place, priority in enumerate(live, 1)}
        return {
            source.handle: places[source.priority]
            for source in self._state.configuration.sources
            if source.on
        }

    def parts_of(self, source: Source) -> StatusParts:
        """How one source stands."""
        source = self._state.configuration.by_handle[source.handle]
        copy = self._state.indexes.copies[source.handle]
        named = named_keys(self._state, source)
        fetched = copy.fetched
        problems = list(named.problems)
        key_problem = ""
        if source.on and (source.signed_index or source.signed_packages) and problems:
            key_problem = (
                "; ".join(problems) + "\nget its key from the vendor, then:"
                f" velpin add {shell_word(source.handle)} --key FILE-or-URL"
            )
        return StatusParts(
            priorities=(SourcePriority(source.priority, ()),),
            channel=_channel(source, copy),
            signed=named.how,
            keys=named.keys,
            signed_by=fetched.signed_by if fetched else (),
            packages_signed_by=fetched.packages_signed_by if fetched else (),
            to_import=_to_import(source, copy, named),
            dated=copy.repomd.date,
            copy_problem=str(copy.problem) if copy.problem else "",
            key_problem=key_problem,
        )

    def installer_looked_at(self, source: Source) -> float | None:
        """The newest change among its copies: it touches them whenever it has looked."""
        tree = self._state.tree
        times = []
        for folder in self._state.configuration.copy_folders(
            self._state.configuration.by_handle[source.handle]
        ):
            for name in ("repodata/repomd.xml", "cookie", "."):
                try:
                    times.append(tree.path(f"{folder}/{name}").stat().st_mtime)
                except OSError:
                    continue
        return max(times, default=None)


def _to_import(source: RpmSource, copy: RpmCopy, named: NamedKeys) -> list[str]:
    """Keys that the installer will fetch and ask about, with fingerprints that Velpin has seen."""
    if named.how == "none" or not source.on:
        return []
    if copy.fetched and copy.fetched.offered_keys:
        return [f"{owner} {grouped(key)} ({where})" for where, key, owner in
                copy.fetched.offered_keys]  # fmt: skip
    return [] if copy.fetched or named.keys else [bare_address(a) for a in key_addresses(source)]


def _channel(source: RpmSource, copy: RpmCopy) -> tuple[str, ...]:
    told = list(copy.repomd.tags[:2])
    if source.cost != 1000:
        told.append(f"cost {source.cost}")
    if source.includes:
        told.append("only some packages")
    if source.excludes:
        told.append("some packages barred")
    return tuple(told)
