"""Which keys vouch on an alpm host: one ring for all sources.

The ring is a folder of GnuPG's own: `pubring.gpg`, certificates one after the other, or
`pubring.kbx`, blobs of them. Who trusts whom in it is for the host's installer; a list signed
by a key that is not in the ring is refused here as there.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from velpin.errors import BadKey
from velpin.kinds.alpm.state import AlpmState
from velpin.trust.openpgp import Key, read_keys

_FOLDER = "etc/pacman.d/gnupg"
RING = "pubring.gpg"
KEYBOX = "pubring.kbx"
_OPENPGP = 2
"""The type of a blob that holds a certificate."""


@dataclass(slots=True)
class Ring:
    """The keys of a host's ring."""

    keys: list[Key] = field(default_factory=list)
    file: str = ""
    problems: list[str] = field(default_factory=list)


def folder_of(state: AlpmState) -> str:
    """The folder of the ring, below the root."""
    given = [
        directive.text
        for directive in state.configuration.config.options.of("GPGDir")
        if directive.text
    ]
    return given[-1].strip("/") if given else _FOLDER


def ring(state: AlpmState) -> Ring:
    """The keys of the host's ring; what cannot be read of it is told."""
    folder = folder_of(state)
    for name in (RING, KEYBOX):
        file = f"{folder}/{name}"
        data = state.tree.read(file)
        if not data:
            continue
        found = Ring(file=file)
        for blob in blobs(data) if name == KEYBOX else [data]:
            try:
                found.keys += read_keys(blob, file, found.problems)
            except BadKey as problem:
                found.problems.append(problem.message)
        return found
    return Ring(file=f"{folder}/{RING}", problems=[f"/{folder} holds no keyring"])


def blobs(data: bytes) -> Iterator[bytes]:
    """The certificates of a keybox file (GnuPG, kbx/keybox-blob.c): each blob begins with its
    length and type; where its certificate lies is said after that."""
    at = 0
    while at + 16 <= len(data):
        length = int.from_bytes(data[at : at + 4], "big")
        if length < 16:
            return
        if data[at + 4] == _OPENPGP:
            first = int.from_bytes(data[at + 8 : at + 12], "big")
            size = int.from_bytes(data[at + 12 : at + 16], "big")
            yield data[at + first : at + first + size]
        at += length
