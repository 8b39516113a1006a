"""Keys and signatures of another OpenPGP program."""

from __future__ import annotations

import base64
import json
from pathlib import Path

MADE = {
    name: base64.b64decode(text)
    for name, text in json.loads(
        (Path(__file__).parent / "data" / "signatures.json").read_text()
    ).items()
}
"""Keys and signatures of 2024-01-10 on one text, made by another OpenPGP program."""
