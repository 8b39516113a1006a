"""Keys for tests: values without a certificate, and keys and signatures of another program."""

from __future__ import annotations

import base64
import json
from pathlib import Path
from typing import Any

from velpin.trust.openpgp import Key, KeyPart

MADE = {
    name: base64.b64decode(text)
    for name, text in json.loads(
        (Path(__file__).parent / "data" / "signatures.json").read_text()
    ).items()
}
"""Keys and signatures of 2024-01-10 on one text, made by another OpenPGP program."""


def key(number: int = 1, *, expires: float | None = None, revoked: bool = False,
        algorithm: str = "EdDSA", **more: Any) -> Key:  # fmt: skip
    """A key of one part."""
    name = f"{number:040d}"
    return Key(name, (f"Crew {number}",), 0.0, expires, algorithm, revoked,
               (KeyPart(name, expires, revoked),), "k.asc", None, **more)  # type: ignore[arg-type]  # fmt: skip
