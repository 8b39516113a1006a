"""Whether one key has certified another: the owner of the old one vouches for the new one; and
whether a subkey is its certificate's own.

A certification (RFC 9580, section 5.2.1: types 0x10 to 0x13) is a signature by one certificate's
primary key over the primary key and a user name of another. A back signature (0x19) is one by a
subkey over the primary key and itself: without it anybody can put a subkey of somebody else into a
certificate of theirs. The OpenPGP library verifies
signatures of files alone, so the packet is taken apart here, and the arithmetic is left to
`cryptography`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any, NamedTuple

from velpin.trust.openpgp import Key, known_packets

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.hashes import HashAlgorithm

_CERTIFICATIONS = range(0x10, 0x14)
_BACK_SIGNATURE = range(0x19, 0x1A)
_EMBEDDED_SIGNATURE = 32
_VERSION = 4
_HASHES = {8: "SHA256", 9: "SHA384", 10: "SHA512", 11: "SHA224"}
"""Those that are good enough, by their numbers (RFC 9580, section 9.5)."""
_RSA, _RSA_SIGN, _ECDSA, _EDDSA, _ED25519 = 1, 3, 19, 22, 27
_CURVES = {
    "2a8648ce3d030107": "SECP256R1", "2b81040022": "SECP384R1", "2b81040023": "SECP521R1",
}  # fmt: skip
_ED25519_CURVE = "2b06010401da470f01"


class _Signature(NamedTuple):
    """A version 4 signature packet, taken apart."""

    kind: int
    algorithm: int
    digest: int
    hashed: bytes
    """The part of the packet that is signed along."""
    values: bytes
    """The numbers that make it up."""


def is_certified_by(new: Key, old: Key) -> bool:
    """Whether a certification by the primary key of `old` on `new` holds."""
    packets = known_packets(new.cert)
    signer, subject = _primary(known_packets(old.cert)), _primary(packets)
    if signer is None or subject is None:
        return False
    for name, signature in _certifications(packets):
        if (signature.issuer_fingerprint or "").upper() != old.fingerprint:
            continue
        about = _hashed_key(subject) + b"\xb4" + len(name).to_bytes(4, "big") + name
        if _holds(bytes(signature.body), _CERTIFICATIONS, signer, about):
            return True
    return False


def is_fingerprint_of(fingerprint: str, key: Key) -> bool:
    """Whether a fingerprint is that of a key, or of one of its subkeys that has agreed to be one.

    Vendors publish either. A subkey that cannot sign, for encryption say, agrees to nothing.
    """
    if fingerprint == key.fingerprint:
        return True
    packets = known_packets(key.cert)
    primary = _primary(packets)
    return primary is not None and any(
        _holds(signature, _BACK_SIGNATURE, subkey, _hashed_key(primary) + _hashed_key(subkey))
        for subkey, binding in _bindings(packets, fingerprint)
        for signature in _embedded(binding)
    )


def _bindings(packets: Iterable[Any], fingerprint: str) -> Iterator[tuple[bytes, bytes]]:
    """The subkey with a fingerprint, with each signature that stands behind it."""
    from pysequoia.packet import Tag

    subkey: bytes | None = None
    for packet in packets:
        if packet.tag == Tag.PublicSubkey:
            is_it = (packet.fingerprint or "").upper() == fingerprint
            subkey = bytes(packet.body) if is_it else None
        elif packet.tag == Tag.Signature and subkey is not None:
            yield subkey, bytes(packet.body)


def _embedded(binding: bytes) -> Iterator[bytes]:
    """The signatures inside a version 4 signature (RFC 9580, sections 5.2.3.7 and 5.2.3.34)."""
    if binding[:1] != bytes([_VERSION]):
        return
    end = 6 + int.from_bytes(binding[4:6], "big")
    rest = end + 2 + int.from_bytes(binding[end : end + 2], "big")
    for area in (binding[6:end], binding[end + 2 : rest]):
        at = 0
        while at < len(area):
            size, start = area[at], at + 1
            if size == 255:
                size, start = int.from_bytes(area[start : start + 4], "big"), start + 4
            elif size >= 192:
                size = ((size - 192) << 8) + int.from_bytes(area[start : start + 1], "big") + 192
                start += 1
            at = start + max(size, 1)
            if area[start : start + 1] and area[start] & 0x7F == _EMBEDDED_SIGNATURE:
                yield area[start + 1 : at]


def _primary(packets: Iterable[Any]) -> bytes | None:
    from pysequoia.packet import Tag

    return next((bytes(packet.body) for packet in packets if packet.tag == Tag.PublicKey), None)


def _certifications(packets: Iterable[Any]) -> Iterator[tuple[bytes, Any]]:
    """Each signature that stands behind a user name, with that name."""
    from pysequoia.packet import Tag

    name: bytes | None = None
    for packet in packets:
        if packet.tag == Tag.UserID:
            name = bytes(packet.body)
        elif packet.tag == Tag.Signature and name is not None:
            yield name, packet
        elif packet.tag != Tag.Signature:
            name = None


def _hashed_key(body: bytes) -> bytes:
    """A key as signatures over it hash it (RFC 9580, section 5.2.4)."""
    return b"\x99" + len(body).to_bytes(2, "big") + body


def _holds(packet: bytes, kinds: range, signer: bytes, about: bytes) -> bool:
    """Whether a signature is of one of some kinds, and by a key, and over what it is about."""
    try:
        found = _take_apart(packet)
        if found is None or found.kind not in kinds or found.digest not in _HASHES:
            return False
        trailer = bytes([_VERSION, 0xFF]) + len(found.hashed).to_bytes(4, "big")
        return _verifies(signer, found, about + found.hashed + trailer)
    except (ValueError, IndexError, OverflowError):
        return False


def _take_apart(packet: bytes) -> _Signature | None:
    """RFC 9580, section 5.2.3; None for a version that is not read."""
    if packet[0] != _VERSION:
        return None
    end = 6 + int.from_bytes(packet[4:6], "big")
    behind = end + 2 + int.from_bytes(packet[end : end + 2], "big") + 2
    return _Signature(packet[1], packet[2], packet[3], packet[:end], packet[behind:])


def _numbers(data: bytes) -> list[int]:
    """Numbers as they stand one after the other: a length in bits, then so many bytes."""
    found, at = [], 0
    while at + 2 <= len(data):
        size = (int.from_bytes(data[at : at + 2], "big") + 7) // 8
        found.append(int.from_bytes(data[at + 2 : at + 2 + size], "big"))
        at += 2 + size
    return found


def _verifies(signer: bytes, signature: _Signature, said: bytes) -> bool:
    from cryptography.exceptions import InvalidSignature, UnsupportedAlgorithm
    from cryptography.hazmat.primitives import hashes

    digest: HashAlgorithm = getattr(hashes, _HASHES[signature.digest])()
    algorithm, key = signer[5], signer[6:]
    if signer[0] != _VERSION or algorithm != signature.algorithm:
        return False
    try:
        if algorithm in (_RSA, _RSA_SIGN):
            _check_rsa(key, signature.values, said, digest)
        elif algorithm == _ECDSA:
            _check_ecdsa(key, signature.values, said, digest)
        elif algorithm in (_EDDSA, _ED25519):
            _check_ed25519(algorithm, key, signature.values, said, digest)
        else:
            return False
    except (InvalidSignature, UnsupportedAlgorithm):
        return False
    return True


def _check_rsa(key: bytes, values: bytes, said: bytes, digest: HashAlgorithm) -> None:
    from cryptography.hazmat.primitives.asymmetric import padding, rsa

    modulus, exponent = _numbers(key)[:2]
    (value,) = _numbers(values)[:1]
    size = (modulus.bit_length() + 7) // 8
    public = rsa.RSAPublicNumbers(exponent, modulus).public_key()
    public.verify(value.to_bytes(size, "big"), said, padding.PKCS1v15(), digest)


def _check_ecdsa(key: bytes, values: bytes, said: bytes, digest: HashAlgorithm) -> None:
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.hazmat.primitives.asymmetric.utils import encode_dss_signature

    curve, rest = key[1 : 1 + key[0]].hex(), key[1 + key[0] :]
    if curve not in _CURVES:
        raise ValueError(curve)
    point = rest[2:]
    public = ec.EllipticCurvePublicKey.from_encoded_point(getattr(ec, _CURVES[curve])(), point)
    public.verify(encode_dss_signature(*_numbers(values)[:2]), said, ec.ECDSA(digest))


def _check_ed25519(
    algorithm: int, key: bytes, values: bytes, said: bytes, digest: HashAlgorithm
) -> None:
    """Signed is the digest, not the text; the older form writes numbers and marks points."""
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
    from cryptography.hazmat.primitives.hashes import Hash

    if algorithm == _EDDSA:
        if key[1 : 1 + key[0]].hex() != _ED25519_CURVE:
            raise ValueError(key)
        point = key[1 + key[0] + 3 :]
        signed = b"".join(number.to_bytes(32, "big") for number in _numbers(values)[:2])
    else:
        point, signed = key[:32], values[:64]
    summed = Hash(digest)
    summed.update(said)
    Ed25519PublicKey.from_public_bytes(point).verify(signed, summed.finalize())
