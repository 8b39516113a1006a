"""Which key of an alpm host may sign for which source."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.kinds.alpm.source_reasons import CheckOffAnyKey, CheckOffNever, CheckOffOptional
from velpin.kinds.alpm.trust import KEYBOX, RING, folder_of, ring
from velpin.model.source_reasons import PlainIndex, PlainWay, Unchecked
from velpin.ports.signers import Signers
from velpin.trust.named import NamedKeys, use_of

if TYPE_CHECKING:
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.host import KeyUse
    from velpin.model.source import Source


class AlpmSigners(Signers):
    """Who may sign what on an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def uses(self) -> list[KeyUse]:
        """Every key of the ring: each signs for every source whose level asks for signatures."""
        found = ring(self._state)
        handles = tuple(
            source.handle
            for source in self._state.configuration.sources
            if source.on and (source.level.of_index, source.level.of_packages) != ("never", "never")
        )
        return [use_of(key, handles, everything=True) for key in found.keys]

    def problems(self) -> list[str]:
        """Keys of the ring that cannot be used, and why."""
        return ring(self._state).problems

    def checks_off(self, source: Source) -> list[Unchecked]:
        """What a source's own section, or the host where it says nothing, keeps from being
        checked."""
        source = self._state.configuration.by_handle[source.handle]
        section = next(
            (
                section
                for section in (
                    *self._state.configuration.config.sections,
                    *self._state.configuration.config.off,
                )
                if section.name == source.handle
            ),
            None,
        )
        said = (
            " ".join(directive.text or "" for directive in section.of("SigLevel"))
            if section
            else ""
        )
        setting = f"SigLevel = {said}" if said else "the host's SigLevel"
        level = source.level
        found: list[Unchecked] = []
        if "never" in (level.of_index, level.of_packages):
            found.append(CheckOffNever(source=source.handle, setting=setting))
        if "optional" in (level.of_index, level.of_packages) and said:
            found.append(CheckOffOptional(source=source.handle, setting=setting))
        if level.any_key and said:
            found.append(CheckOffAnyKey(source=source.handle, setting=setting))
        if level.of_index != "required" and source.address.startswith(("http:", "ftp:")):
            plain = PlainIndex if level.of_packages == "required" else PlainWay
            found.append(plain(source=source.handle))
        return found

    def keys_of(self, source: Source) -> NamedKeys:
        """The host's ring, for every source that is checked."""
        mine = self._state.configuration.by_handle[source.handle]
        if (mine.level.of_index, mine.level.of_packages) == ("never", "never"):
            return NamedKeys(how="none")
        found = ring(self._state)
        return NamedKeys("ring", list(found.keys), [found.file], list(found.problems))

    def index_signers(self, source: Source) -> Sequence[str]:
        """Who signed the list that Velpin fetched."""
        fetched = self._state.indexes.copies[source.handle].fetched
        return fetched.signed_by if fetched else ()

    def key_files(self) -> Sequence[str]:
        """The ring's."""
        folder = folder_of(self._state)
        files = (f"{folder}/{name}" for name in (RING, KEYBOX))
        return [file for file in files if self._state.tree.stat(file) is not None]
