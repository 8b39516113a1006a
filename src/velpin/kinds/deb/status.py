"""How the sources of a deb host stand: their priorities and tiers, signed by whom, how old."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.deb.conf import is_yes
from velpin.kinds.deb.preferences import NEVER
from velpin.kinds.deb.trust import installer_head
from velpin.model.host import SourcePriority
from velpin.model.shell import shell_word
from velpin.ports.standing import Standing, StatusParts
from velpin.trust.openpgp import key_with

if TYPE_CHECKING:
    from velpin.kinds.deb.copies import DebCopy
    from velpin.kinds.deb.sources import DebSource
    from velpin.kinds.deb.state import DebState
    from velpin.model.source import Source
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import SignedHead


class DebStanding(Standing):
    """The sources of a deb host beside each other."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def tiers(self) -> dict[str, int]:
        """By the highest priority that a source has; one that is never taken has none."""
        best = {
            source.handle: max(
                (entry.priority for entry in _priorities(self._state, source)), default=0
            )
            for source in self._state.configuration.sources
            if source.on
        }
        live = sorted({priority for priority in best.values() if priority > 0}, reverse=True)
        places = {priority: place for place, priority in enumerate(live, 1)}
        return {handle: places[priority] for handle, priority in best.items() if priority in places}

    def parts_of(self, source: Source) -> StatusParts:
        """How one source stands."""
        source = self._state.configuration.by_handle[source.handle]
        copy = self._state.indexes.copies[source.handle]
        named = self._state.keys.of(source)
        head = None if copy.fetched else installer_head(self._state.tree, copy.release_file)
        signers = tuple(copy.fetched.signed_by) if copy.fetched else ()
        if head is not None:
            signers = head.verified_by(named.keys)
        return StatusParts(
            priorities=_priorities(self._state, source) if copy.holder else (),
            channel=_channel(copy),
            signed=named.how,
            keys=named.keys,
            signed_by=signers,
            dated=copy.release.date,
            copy_problem=str(copy.problem) if copy.problem else "",
            key_problem=_key_problem(source, named, head),
        )

    def valid_until(self, source: Source) -> float | None:
        """As its release file says, where that is checked."""
        mine = self._state.configuration.by_handle[source.handle]
        default = self._state.configuration.conf.switch("Acquire::Check-Valid-Until", True)
        if not is_yes(mine.option("check-valid-until"), default):
            return None
        try:
            return self._state.indexes.copies[source.handle].release.valid_until
        except HostFileError:
            return None

    def installer_looked_at(self, source: Source) -> float | None:
        """The newest change in its folder of lists: it writes there whenever it refreshes."""
        folder = self._state.configuration.conf.file("Dir::State", "lists", "lists")
        times = []
        for name in (folder, f"{folder}/partial", f"{folder}/lock"):
            try:
                times.append(self._state.tree.path(name).stat().st_mtime)
            except OSError:
                continue
        return max(times, default=None)

    def never_taken(self, priority: int) -> bool:
        """Below 0."""
        return priority < 0 or priority == NEVER


def _priorities(state: DebState, source: DebSource) -> tuple[SourcePriority, ...]:
    found: dict[int, dict[str, None]] = {}
    for origin, _ in state.indexes.origins_of(source):
        found.setdefault(origin.priority.value, {})[origin.component] = None
    return tuple(
        SourcePriority(priority, tuple(found[priority])) for priority in sorted(found, reverse=True)
    )


def _channel(copy: DebCopy) -> tuple[str, ...]:
    release = copy.release
    names = [name for name in (release.suite, release.codename, release.version) if name]
    notes = list(dict.fromkeys(names))
    if release.but_automatic_upgrades:
        notes.append("upgrades only")
    elif release.not_automatic:
        notes.append("not automatic")
    return tuple(notes)


def _key_problem(source: DebSource, named: NamedKeys, head: SignedHead | None) -> str:
    """Keys that cannot be used, or an index whose signature names others."""
    if not source.on or source.trusted:
        return ""
    if named.problems:
        return "; ".join(named.problems)
    claimed = head.claimed() if head else ()
    if not claimed or any(key_with(named.keys, each) for each in claimed):
        return ""
    return (
        f"the signature of its index names the key {', '.join(claimed)}, which is not named for"
        f" it\nget that key from the vendor, then:"
        f" velpin add {shell_word(source.handle)} --key FILE-or-URL"
    )
