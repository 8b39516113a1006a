"""Which key of an rpm host may sign for which source."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from velpin.kinds.rpm.trust import CHECKS, OWN_FOLDER, named_keys, ring, weakens
from velpin.model.source_reasons import PlainIndex, PlainWay, Unchecked
from velpin.ports.signers import Signers
from velpin.trust.named import use_of

if TYPE_CHECKING:
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.host import KeyUse
    from velpin.model.source import Source
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import Key


class RpmSigners(Signers):
    """Who may sign what on an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def uses(self) -> list[KeyUse]:
        """Every named key once for each place it stands in; those of the host's ring come last."""
        uses: dict[tuple[str, str], tuple[Key, list[str]]] = {}
        unnamed: list[str] = []
        for source in self._state.configuration.sources:
            named = named_keys(self._state, source)
            if named.how == "none":
                continue
            if not source.keys:
                unnamed.append(source.handle)
            for key in named.keys:
                if key.where in named.files:
                    uses.setdefault((key.fingerprint, key.where), (key, []))[1].append(
                        source.handle
                    )
        found = [use_of(key, handles) for key, handles in uses.values()]
        return found + [use_of(key, unnamed, everything=True) for key in ring(self._state)]

    def problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""
        found = (
            text
            for source in self._state.configuration.sources
            for text in named_keys(self._state, source).problems
        )
        return list(dict.fromkeys(found))

    def checks_off(self, source: Source) -> list[Unchecked]:
        """What a source's own section keeps from being checked."""
        source = self._state.configuration.by_handle[source.handle]
        section = source.section
        found: list[Unchecked] = [
            kind(source=source.handle, setting=f"{key}={section.get(key)}")
            for key, kind in CHECKS.items()
            if key in section and weakens(key, section.get(key))
        ]
        if not source.signed_index and source.address.startswith(("http:", "ftp:")):
            plain = PlainIndex if source.signed_packages else PlainWay
            found.append(plain(source=source.handle))
        return found

    def keys_of(self, source: Source) -> NamedKeys:
        """The keys its section names, else those of the host's ring."""
        return named_keys(self._state, self._state.configuration.by_handle[source.handle])

    def index_signers(self, source: Source) -> Sequence[str]:
        """Who signed the index that Velpin fetched; a key that an address merely offers is left
        out, since nobody on this host has taken it yet."""
        fetched = self._state.indexes.copies[source.handle].fetched
        if fetched is None:
            return ()
        return [key for key in fetched.signed_by if key not in fetched.offered]

    def package_signers(self, source: Source) -> Sequence[str]:
        """Who signed the few packages that were looked at."""
        fetched = self._state.indexes.copies[source.handle].fetched
        if fetched is None:
            return ()
        return [key for key in fetched.packages_signed_by if key not in fetched.offered]

    def key_files(self) -> Sequence[str]:
        """Those of the folder for keys, and those that sections name."""
        tree = self._state.tree
        found = [f"{OWN_FOLDER}/{name}" for name in tree.names(OWN_FOLDER)]
        for source in self._state.configuration.sources:
            found += [unquote(urlsplit(address).path).lstrip("/") for address in source.keys
                      if address.startswith(("file:", "/"))]  # fmt: skip
        return [file for file in dict.fromkeys(found) if tree.stat(file) is not None]

    def key_addresses(self, source: Source) -> Sequence[str]:
        """As its section names them."""
        mine = self._state.configuration.by_handle[source.handle]
        return [key for key in mine.keys if key.startswith(("http://", "https://"))]
