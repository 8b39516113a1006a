"""Which key of a deb host may sign for which source."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.deb.trust import (
    COMMON_FILE,
    COMMON_FOLDER,
    OWN_FOLDER,
    WEAKENING,
    installer_head,
    weakens,
)
from velpin.model.source_reasons import PlainWay, Unchecked
from velpin.ports.signers import Signers
from velpin.trust.named import keys_in, use_of

if TYPE_CHECKING:
    from velpin.kinds.deb.state import DebState
    from velpin.model.host import KeyUse
    from velpin.model.source import Source
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import Key, SignedHead

_KEY_FOLDERS = (OWN_FOLDER, "usr/share/keyrings", COMMON_FOLDER)


class DebSigners(Signers):
    """Who may sign what on a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def uses(self) -> list[KeyUse]:
        """Every named key once for each place it stands in; those that sign for all come last."""
        uses: dict[tuple[str, str], tuple[Key, list[str]]] = {}
        by_all: list[str] = []
        for source in self._state.configuration.sources:
            named = self._state.keys.of(source)
            if named.how in ("common", "none"):
                if named.how == "common":
                    by_all.append(source.handle)
                continue
            for key in named.keys:
                uses.setdefault((key.fingerprint, key.where), (key, []))[1].append(source.handle)
        found = [use_of(key, handles) for key, handles in uses.values()]
        return found + [
            use_of(key, by_all, everything=True) for key in self._state.keys.for_all([])
        ]

    def problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""
        problems: list[str] = []
        self._state.keys.for_all(problems)
        for source in self._state.configuration.sources:
            problems += self._state.keys.of(source).problems
        return list(dict.fromkeys(problems))

    def checks_off(self, source: Source) -> list[Unchecked]:
        """What a source's own options keep from being checked."""
        source = self._state.configuration.by_handle[source.handle]
        said = {name: value for entry in source.entries for name, value in entry.options.items()}
        found: list[Unchecked] = [
            kind(source=source.handle, setting=f"{name}={said[name]}")
            for name, (_, kind) in WEAKENING.items()
            if name in said and weakens(name, said[name])
        ]
        unsigned = source.trusted or source.switch("allow-insecure", False)
        if unsigned and source.address.startswith(("http:", "ftp:")):
            found.append(PlainWay(source=source.handle))
        return found

    def keys_of(self, source: Source) -> NamedKeys:
        """The keys that its configuration names, else the common ones."""
        return self._state.keys.of(self._state.configuration.by_handle[source.handle])

    def index_signers(self, source: Source) -> Sequence[str]:
        """Who signed the release file that counts, as verified by Velpin when it fetched it, else
        now, with all the keys of the host."""
        copy = self._state.indexes.copies[source.handle]
        if copy.fetched:
            return copy.fetched.signed_by
        if source.handle not in self._signers:
            head = self.index_head(source)
            keys = [
                *self._state.keys.of(self._state.configuration.by_handle[source.handle]).keys,
                *self._keys,
            ]
            self._signers[source.handle] = head.verified_by(keys) if head else ()
        return self._signers[source.handle]

    def index_head(self, source: Source) -> SignedHead | None:
        """The release file that the host's installer keeps, where that is the one that counts."""
        copy = self._state.indexes.copies[source.handle]
        return None if copy.fetched else installer_head(self._state.tree, copy.release_file)

    def key_files(self) -> Sequence[str]:
        """Those of the folders for keys, and those that sources name."""
        tree = self._state.tree
        found = [f"{folder}/{name}" for folder in _KEY_FOLDERS for name in tree.names(folder)]
        named = [
            file
            for source in self._state.configuration.sources
            for file in self.keys_of(source).files
        ]
        files = dict.fromkeys([COMMON_FILE, *found, *named])
        return [file for file in files if tree.stat(file) is not None]

    @cached_property
    def _signers(self) -> dict[str, Sequence[str]]:
        return {}

    @cached_property
    def _keys(self) -> list[Key]:
        return keys_in(self._state.tree, self.key_files())
