"""Keys made for the demo, and signatures by them."""

from __future__ import annotations

import base64
from typing import NamedTuple

import pysequoia


class Signer(NamedTuple):
    """A key made for signing."""

    secret: pysequoia.Tsk

    @property
    def fingerprint(self) -> str:
        """Of the primary key, upper-case hexadecimal."""
        return self.secret.extract_certificate().fingerprint.upper()

    @property
    def public(self) -> bytes:
        """The certificate as armoured text."""
        return str(self.secret.extract_certificate()).encode()

    def clear(self, data: bytes) -> bytes:
        """A text with a signature around it."""
        mode = pysequoia.SignatureMode.CLEAR
        return bytes(pysequoia.sign(self.secret.signer(), data, mode=mode))

    def detached(self, data: bytes) -> bytes:
        """An armoured signature of a text."""
        mode = pysequoia.SignatureMode.DETACHED
        return bytes(pysequoia.sign(self.secret.signer(), data, mode=mode))

    def detached_binary(self, data: bytes) -> bytes:
        """The same without armour (RFC 9580, section 6.2: base64 between the head's blank line
        and the foot)."""
        body = self.detached(data).replace(b"\r", b"").partition(b"\n\n")[2]
        lines = body.partition(b"-----END")[0].split(b"\n")
        return base64.b64decode(b"".join(line for line in lines if not line.startswith(b"=")))


def new_signer(name: str, days: int | None = 1095) -> Signer:
    """A fresh key that is good for some days (None: for ever)."""
    seconds = days * 86400 if days is not None else None
    return Signer(pysequoia.Tsk.generate(user_id=name, validity_seconds=seconds))
