"""In which order a host first comes across package names while it reads its indexes.

Where nothing else tells providers of a name apart, the host takes the one it came across
last (observed): as a package, or as a name in any relation of an earlier one.

Observed rules: docs/how-hosts-choose/deb.md.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

_FIELDS = (
    b"Package", b"Pre-Depends", b"Depends", b"Conflicts", b"Breaks", b"Recommends", b"Suggests",
    b"Replaces", b"Enhances", b"Provides",
)  # fmt: skip
"""Fields that name packages, in the order in which the host goes through them."""
_BEFORE, _AFTER = b" ,|", b" ,|(\n"
"""What stands around a name; one with an architecture is another name to the host."""


def in_order_of_sight(blocks: Iterable[bytes], names: Sequence[str]) -> list[str]:
    """Names in the order in which they first appear in blocks of stanzas; others last."""
    waiting = {name.encode(): name for name in names}
    found: list[str] = []
    for block in blocks:
        here = [(place, name) for name in waiting if (place := _first_in(block, name))]
        for _, name in sorted(here):
            found.append(waiting.pop(name))
        if len(waiting) <= 1:
            break
    return [*found, *waiting.values()]


def _first_in(block: bytes, name: bytes) -> tuple[int, int, int] | None:
    """Stanza, field and place of the first stanza of a block that names a package."""
    return min(_places(block, name), default=None)


def _places(block: bytes, name: bytes) -> Iterator[tuple[int, int, int]]:
    at = block.find(name)
    first = -1
    while at >= 0:
        end = at + len(name)
        if block[at - 1 : at] in _BEFORE and block[end : end + 1] in _AFTER:
            start = block.rfind(b"\n\n", 0, at)
            if first >= 0 and start > first:
                return
            rank = _field_of(block, at)
            if rank >= 0:
                first = start
                yield start, rank, at
        at = block.find(name, end)


def _field_of(block: bytes, at: int) -> int:
    """The place of the field that a position is in among those that name packages, or -1."""
    line = block.rfind(b"\n", 0, at) + 1
    while block[line : line + 1] in (b" ", b"\t"):
        line = block.rfind(b"\n", 0, line - 1) + 1
    name = block[line : block.find(b":", line)]
    return _FIELDS.index(name) if name in _FIELDS else -1
