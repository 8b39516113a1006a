"""Who signed the packages of a source, as the beginnings of a few of them show.

A package file is a lead, a header of signatures, and the header with all that the package says of
itself; a signature over that last header stands in the one before it:

    tag 268   an OpenPGP signature, binary (RSA)        tag 267   the same (DSA, ECDSA, EdDSA)
    tag 278   OpenPGP signatures as base64 texts (packages of version 6)

Observed: docs/how-hosts-choose/signatures.md, "Packages of rpm hosts".
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import BadSignature, FetchError, HostFileError, MissingKey, TrustError
from velpin.kinds.rpm.header import LEAD, LEAD_SIZE, read_header
from velpin.kinds.rpm.primary import listed_places
from velpin.trust.openpgp import verify_detached

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.trust.openpgp import Key

_TAGS = (268, 267)
_TEXTS_TAG = 278
_FIRST_BYTES = 64 << 10
_MOST_BYTES = 2 << 20
"""No more of one package is fetched, in bytes."""
_MOST_LISTED = 400
"""So many packages of a list are looked at for some with short headers."""
_FEW = 3
"""So many packages are looked at."""


class PackageSignatures(NamedTuple):
    """What the beginnings of some packages of a source showed."""

    signers: tuple[str, ...] = ()
    """Fingerprints of the keys that were verified to have signed them all."""
    seen: int = 0
    """How many packages were looked at; 0 where none could be fetched."""
    problem: TrustError | None = None
    """Why one of them would be refused."""


def look_at_packages(
    base: str, primary: Path, keys: Sequence[Key], transport: Transport
) -> PackageSignatures:
    """Fetch the beginnings of a few packages and check their signatures.

    A server that lacks a package, or does not answer, is not a finding: then less was seen.
    """
    seen = 0
    found: dict[str, None] = {}
    for place in _short_ones(primary):
        url = base + place
        try:
            signatures, header = _parts(url, transport)
        except FetchError:
            continue
        except HostFileError as problem:
            return PackageSignatures((), seen + 1, BadSignature(f"{url}: {problem.what}"))
        seen += 1
        if not signatures:
            return PackageSignatures((), seen, BadSignature(f"{url}: the package is not signed"))
        try:
            signers = _signers(header, signatures, keys, url)
        except TrustError as problem:
            return PackageSignatures((), seen, problem)
        found = dict.fromkeys(each for each in signers if seen == 1 or each in found)
    return PackageSignatures(tuple(found), seen)


def _short_ones(primary: Path) -> Iterator[str]:
    """Where a few packages lie, by the list, those with the shortest headers first."""
    listed = list(islice(listed_places(primary), _MOST_LISTED))
    listed.sort(key=lambda place: place.header_end)
    for place in listed[:_FEW]:
        if place.header_end <= _MOST_BYTES:
            yield place.location


def _parts(url: str, transport: Transport) -> tuple[list[bytes], bytes]:
    """The signatures of a package, and the header that they are made over."""
    size = _FIRST_BYTES
    while True:
        data = transport.read_beginning(url, size)
        try:
            return parts_of(data, url)
        except HostFileError:
            if len(data) < size or size >= _MOST_BYTES or not data.startswith(LEAD):
                raise
            size = min(size * 8, _MOST_BYTES)


def parts_of(data: bytes, where: str) -> tuple[list[bytes], bytes]:
    """The signatures at the beginning of a package file, and the header that they are made over.

    Raises HostFileError where it is no package, or cut off within these.
    """
    if not data.startswith(LEAD):
        raise HostFileError(where, 0, "is not a package")
    signing, end = read_header(data, where, LEAD_SIZE)
    start = end + -end % 8
    _, last = read_header(data, where, start)
    found = [signing[tag] for tag in _TAGS if isinstance(signing.get(tag), bytes)]
    for text in signing.get(_TEXTS_TAG, []):
        try:
            found.append(base64.b64decode(text, validate=True))
        except (binascii.Error, ValueError) as problem:
            raise HostFileError(where, 0, "a signature that cannot be read") from problem
    return found, data[start:last]


def _signers(
    header: bytes, signatures: Sequence[bytes], keys: Sequence[Key], url: str
) -> tuple[str, ...]:
    failed: MissingKey | BadSignature | None = None
    for signature in signatures:
        try:
            return verify_detached(header, signature, keys, url).signers
        except (MissingKey, BadSignature) as problem:
            failed = failed or problem
    assert failed is not None
    raise failed
