"""When two entries of an index are one and the same version, by the text of their stanzas.

Observed rules: docs/how-hosts-choose/deb.md, "Names and versions".
"""

from __future__ import annotations

import re

from velpin.files.text import whole_number
from velpin.kinds.deb.control import parse_stanza

IDENTITY = (
    "installed-size", "depends", "pre-depends", "conflicts", "breaks", "replaces",
)  # fmt: skip
"""Fields that make two entries of an equal version one and the same (observed)."""


_IDENTIFYING = re.compile(
    rb"^(Installed-Size|Depends|Pre-Depends|Conflicts|Breaks|Replaces|Architecture|Multi-Arch)"
    rb":[ \t]*(.*(?:\n[ \t].*)*)",
    re.MULTILINE,
)


def is_same_version(one: bytes, other: bytes) -> bool:
    """Whether two stanzas of an equal version number are one and the same version, their
    sizes to fetch apart (observed)."""
    left, right = (dict(_IDENTIFYING.findall(text)) for text in (one, other))
    return left == right or identity(one) == identity(other)


def identity(text: bytes) -> tuple[str, ...]:
    """What makes entries of one version number the same version, normalised (observed)."""
    fields = parse_stanza(text)
    parts = [_folded(fields.get(name, "")) for name in IDENTITY]
    arch, multi = fields.get("architecture", ""), fields.get("multi-arch", "no").lower()
    if arch == "all" and multi == "same":
        multi = "no"  # means nothing there (observed)
    return (arch, multi, *parts)


def _folded(value: str) -> str:
    bare = re.sub(r"\s+", "", value).lower()
    return bare.replace("<=", "<").replace(">=", ">")


def number_in(text: bytes, field: str) -> int:
    """A field that is a number (lower-case name), 0 where it is missing or no number."""
    return whole_number(parse_stanza(text).get(field, "")) or 0
