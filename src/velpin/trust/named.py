"""The keys that a host's configuration names for a source, and how they are told."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from velpin.files.tree import Tree
from velpin.model.host import KeyUse
from velpin.trust.openpgp import Key, read_sound_keys

KeyPlace = Literal["file", "fingerprint", "embedded", "common", "ring", "packages", "none"]
"""Where the keys of a source are: in files or by fingerprints that it names, written out in it,
in the folder that counts for all sources, in the host's own ring; `packages` where its packages
alone are signed, `none` where nothing is checked."""

OWN_KEYS: tuple[KeyPlace, ...] = ("file", "fingerprint", "embedded", "packages")
"""How keys are named that are a source's own, so that naming another replaces them."""


@dataclass(slots=True)
class NamedKeys:
    """The keys that may sign a source or its packages."""

    how: KeyPlace = "file"
    keys: list[Key] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    """Keys that are named and cannot be used, and why."""

    @property
    def own(self) -> frozenset[str]:
        """The fingerprints of the keys that are named for the source itself; not those that count
        for other sources as well because they lie in a common folder or in the host's ring."""
        if self.how in ("fingerprint", "embedded"):
            return frozenset(key.fingerprint for key in self.keys)
        if self.how not in ("file", "packages"):
            return frozenset()
        return frozenset(key.fingerprint for key in self.keys if key.where in self.files)


def use_of(key: Key, handles: Iterable[str], *, everything: bool = False) -> KeyUse:
    """A key and what it may sign; `everything` for all sources that name no key of their own."""
    return KeyUse(
        key.owner, key.fingerprint, key.created, key.expires, key.algorithm, key.revoked, key.where,
        tuple(dict.fromkeys(handles)), everything,
    )  # fmt: skip


def keys_in(tree: Tree, files: Iterable[str]) -> list[Key]:
    """Every key in some files, once for each file. That a key is here says nothing about whose
    sources it may sign."""
    return [
        key
        for file in dict.fromkeys(files)
        for key in read_sound_keys(tree.read(file) or b"", file)
    ]
