"""OpenPGP certificates and signatures: who vouches for what.

A verification returns exactly the bytes that were signed, and nothing else of the file is
used. The library underneath reports one undivided failure, so the cause (no such key,
expired key, changed bytes) is told apart here by comparing issuers and fingerprints.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, NamedTuple

from velpin.errors import BadKey, BadSignature, MissingKey

if TYPE_CHECKING:
    import pysequoia

_BLOCK = re.compile(
    rb"-----BEGIN PGP PUBLIC KEY BLOCK-----.*?-----END PGP PUBLIC KEY BLOCK-----", re.DOTALL
)
_SIGNATURE = re.compile(rb"-----BEGIN PGP SIGNATURE-----.*?-----END PGP SIGNATURE-----", re.DOTALL)
_KEYBOX = b"KBXf"


@dataclass(frozen=True, slots=True)
class Key:
    """One certificate, as a person should see it; times in seconds since 1970."""

    fingerprint: str
    """Of the primary key, upper-case hexadecimal without blanks."""
    owners: tuple[str, ...]
    created: float
    expires: float | None
    algorithm: str
    revoked: bool
    parts: frozenset[str]
    """Fingerprints of the primary key and of all its subkeys."""
    where: str
    cert: pysequoia.Cert = field(repr=False, compare=False)

    @property
    def owner(self) -> str:
        """The first user name on it."""
        return self.owners[0] if self.owners else "(no name)"

    @property
    def grouped(self) -> str:
        """The fingerprint in groups of four."""
        return grouped(self.fingerprint)

    def is_expired(self, now: float) -> bool:
        """Whether its time is over."""
        return self.expires is not None and self.expires <= now


class Signed(NamedTuple):
    """What a signature was found to cover, and the fingerprints of the keys that vouch."""

    data: bytes
    signers: tuple[str, ...]


def grouped(fingerprint: str) -> str:
    """A fingerprint as people compare it, in groups of four."""
    return " ".join(fingerprint[at : at + 4] for at in range(0, len(fingerprint), 4))


def bare(fingerprint: str) -> str:
    """A fingerprint as typed, without blanks, colons and `0x`, in upper case."""
    text = re.sub(r"[\s:]", "", fingerprint).upper()
    return text.removeprefix("0X")


def read_keys(data: bytes, where: str) -> list[Key]:
    """All certificates in a key file, armoured or binary; BadKey where there is none."""
    import pysequoia

    if data[8:12] == _KEYBOX:
        raise BadKey(f"{where}: a keybox file; the host's installer does not read it either")
    certs: list[Any] = []
    for block in _BLOCK.findall(data) or [data]:
        try:
            certs += pysequoia.Cert.split_bytes(block)
        except Exception as problem:
            raise BadKey(f"{where}: {_first_line(problem)}") from problem
    if not certs:
        raise BadKey(f"{where}: holds no OpenPGP key")
    return [_describe(cert, where) for cert in certs]


def _describe(cert: Any, where: str) -> Key:
    from pysequoia.packet import PacketPile, Tag

    packets = list(PacketPile.from_bytes(bytes(cert)))
    keys = [p for p in packets if p.tag in (Tag.PublicKey, Tag.PublicSubkey)]
    primary = keys[0]
    return Key(
        fingerprint=cert.fingerprint.upper(),
        owners=tuple(str(user) for user in _names(cert, packets)),
        created=primary.key_created.timestamp() if primary.key_created else 0.0,
        expires=cert.expiration.timestamp() if cert.expiration else None,
        algorithm=_algorithm(primary),
        revoked=bool(cert.is_revoked),
        parts=frozenset(key.fingerprint.upper() for key in keys if key.fingerprint),
        where=where,
        cert=cert,
    )


def _names(cert: Any, packets: list[Any]) -> list[str]:
    try:
        found = [str(user) for user in cert.user_ids]
    except Exception:
        found = []
    return found or [packet.user_id for packet in packets if packet.user_id]


def _algorithm(packet: Any) -> str:
    name = str(packet.key_algorithm).rpartition(".")[2]
    if not name.startswith("RSA"):
        return name
    body = bytes(packet.body)
    at = 6 if body[:1] == b"\x04" else 10
    return f"RSA {int.from_bytes(body[at : at + 2], 'big')}"


def armoured(keys: Iterable[Key]) -> bytes:
    """Certificates as armoured text, one block each."""
    return "".join(str(key.cert).strip() + "\n" for key in keys).encode()


def verify_clear(data: bytes, keys: Sequence[Key], where: str) -> Signed:
    """Check a clear-signed file and return what was signed.

    Raises MissingKey where none of `keys` made a signature, BadSignature where one did and
    it does not hold.
    """
    block = _SIGNATURE.search(data)
    if block is None:
        raise BadSignature(f"{where}: carries no signature")
    return _verify(data, None, block.group(), keys, where)


def verify_detached(data: bytes, signature: bytes, keys: Sequence[Key], where: str) -> Signed:
    """Check a file against its detached signature file, armoured or binary."""
    return _verify(data, signature, signature, keys, where)


def _verify(
    data: bytes, detached: bytes | None, block: bytes, keys: Sequence[Key], where: str
) -> Signed:
    import pysequoia

    issuers = signature_issuers(block, where)
    certs = [key.cert for key in keys]
    if detached is None:
        try:
            found = pysequoia.verify(bytes=data, store=lambda _ids: certs)
        except Exception as problem:
            raise _why(issuers, keys, where) from problem
        return Signed(found.bytes or b"", _signers(found.valid_sigs))
    signers: list[str] = []
    failed: Exception | None = None
    for packet in _signature_packets(detached, where):
        try:
            sig = pysequoia.Sig.from_bytes(bytes(packet))
            found = pysequoia.verify(bytes=data, store=lambda _ids: certs, signature=sig)
            signers += _signers(found.valid_sigs)
        except Exception as problem:
            failed = problem
    if not signers:
        raise _why(issuers, keys, where) from failed
    return Signed(data, tuple(dict.fromkeys(signers)))


def _signers(valid: list[Any]) -> tuple[str, ...]:
    """Fingerprints of the certificates whose signatures hold."""
    found: dict[str, None] = {}
    for one in valid:
        found[one.certificate.upper()] = None
    return tuple(found)


def clear_issuers(data: bytes, where: str) -> tuple[str, ...]:
    """Who a clear-signed file says has signed it; nothing where it carries no signature."""
    block = _SIGNATURE.search(data)
    return signature_issuers(block.group(), where) if block else ()


def signature_issuers(block: bytes, where: str) -> tuple[str, ...]:
    """Fingerprints (or key ids) of the keys that a signature names as its makers."""
    found: dict[str, None] = {}
    for packet in _signature_packets(block, where):
        issuer = packet.issuer_fingerprint or packet.issuer_key_id
        if issuer:
            found[issuer.upper()] = None
    return tuple(found)


def _signature_packets(block: bytes, where: str) -> list[Any]:
    from pysequoia.packet import PacketPile, Tag

    try:
        packets = list(PacketPile.from_bytes(block))
    except Exception as problem:
        raise BadSignature(f"{where}: the signature cannot be read") from problem
    return [packet for packet in packets if packet.tag == Tag.Signature]


def explain_missing(problem: MissingKey, handle: str, told: Sequence[str]) -> MissingKey:
    """A missing key's error with what was wrong with the named ones, and the command that
    would add the key to a source."""
    ids = ", ".join(problem.key_ids)
    beside = f" ({'; '.join(told)})" if told else ""
    return MissingKey(
        problem.message + beside,
        problem.key_ids,
        f"get key {ids} from whoever runs the source, compare its fingerprint, then:"
        f" velpin add {handle} --key FILE-or-URL",
    )


def key_with(keys: Iterable[Key], issuer: str) -> Key | None:
    """The key one of whose parts has this fingerprint or key id."""
    issuer = issuer.upper()
    for key in keys:
        if any(part == issuer or part.endswith(issuer) for part in key.parts):
            return key
    return None


def _why(issuers: tuple[str, ...], keys: Sequence[Key], where: str) -> MissingKey | BadSignature:
    import time

    known = [key for issuer in issuers if (key := key_with(keys, issuer))]
    if not known:
        shown = ", ".join(issuers) or "an unnamed key"
        return MissingKey(f"{where}: signed by {shown}, a key not named for it", issuers)
    for key in known:
        if key.is_expired(time.time()):
            day = time.strftime("%Y-%m-%d", time.gmtime(key.expires or 0))
            return BadSignature(f"{where}: the key {key.fingerprint} expired on {day}")
        if key.revoked:
            return BadSignature(f"{where}: the key {key.fingerprint} has been revoked by its owner")
    return BadSignature(
        f"{where}: the signature does not fit: the file was changed after it was signed",
        f"named keys: {', '.join(key.fingerprint for key in known)}",
    )


def _first_line(problem: Exception) -> str:
    return str(problem).split("\n")[0] or type(problem).__name__
