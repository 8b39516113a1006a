"""What the imagined host holds while instructions are read: texts, files, keys, effects."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple, Protocol

from velpin.instructions.words import UNKNOWN


class Spot(NamedTuple):
    """A line of the text that is read, or of a script that it fetches."""

    line: int
    script: str = ""
    """The script's address; empty for the text itself."""


_MOST_PARTS = 200
"""Pieces from different places in one text."""


@dataclass(frozen=True, slots=True)
class Data:
    """What a command prints or a file holds: a text, or what stands at an address."""

    text: str | None = ""
    """None where it has not been fetched yet."""
    address: str = ""
    """Where it is from."""
    fingerprints: tuple[str, ...] = ()
    """Of keys that are asked from a key server, whose address is `address`."""
    spots: tuple[Spot, ...] = ()
    """The lines by which it came about."""
    more: tuple[Data, ...] = ()
    """What follows behind it."""

    @property
    def is_empty(self) -> bool:
        """Whether nothing is in it."""
        return self.text == "" and not self.more

    @property
    def parts(self) -> tuple[Data, ...]:
        """It and what follows behind it, without what is empty."""
        return tuple(part for part in (self, *self.more) if part.text != "")

    @property
    def every_spot(self) -> tuple[Spot, ...]:
        """The lines by which all of it came about."""
        return tuple(dict.fromkeys(s for part in (self, *self.more) for s in part.spots))

    def and_then(self, other: Data) -> Data:
        """It, and another behind it."""
        if other.is_empty:
            return self
        if self.is_empty:
            return other
        if self._is_text and other._is_text:
            spots = tuple(dict.fromkeys((*self.spots, *other.spots)))
            return Data(f"{self.text}{other.text}", spots=spots)
        if len(self.more) + len(other.more) > _MOST_PARTS:
            return NOT_KNOWN
        first, *rest = (*self.parts, *other.parts)
        return Data(
            first.text, first.address, first.fingerprints, first.spots,
            tuple(Data(p.text, p.address, p.fingerprints, p.spots) for p in rest),
        )  # fmt: skip

    @property
    def _is_text(self) -> bool:
        return self.text is not None and not self.more and not self.address

    def by(self, spot: Spot) -> Data:
        """The same, with one more line that has to do with it."""
        if spot in self.spots:
            return self
        return Data(self.text, self.address, self.fingerprints, (*self.spots, spot), self.more)


NOTHING = Data()
NOT_KNOWN = Data(UNKNOWN)


class Facts(Protocol):
    """The host that instructions are read for."""

    kind: str
    arch: str
    """As its own installer calls it."""
    release: dict[str, str]
    """Its os-release."""
    generation: str
    """Of its installer: `older` or `newer`; empty if all are alike."""

    def read(self, file: str) -> bytes | None:
        """Return a file below the root; None where there is none."""

    def has(self, file: str) -> bool:
        """Whether there is a file or a folder."""

    def compare(self, one: str, other: str) -> int:
        """Return -1, 0 or 1 for two versions, in the order of its packages."""

    def opened(self, packed: bytes, where: str) -> Mapping[str, bytes]:
        """Return the files of a package by name below the root; none if it is no package."""


Fetch = Callable[[str], bytes]
"""Fetches an address; FetchError where that fails."""

EffectKind = Literal[
    "request", "package", "key", "keep", "bar", "module", "unneeded", "not-followed", "weaker",
    "switch", "other-kind", "said", "opened",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Effect:
    """Something that a line does beside writing a file."""

    kind: EffectKind
    spot: Spot
    text: str = ""
    names: tuple[str, ...] = ()
    data: Data | None = None
    on: str = ""
    """The kind of host it is for; empty for any."""
    may_change: bool = False
    """Whether a source, a key or a rule may be behind it."""


@dataclass(slots=True)
class Written:
    """A file that was written, and what it held before."""

    data: Data
    before: list[Data] = field(default_factory=list)
    """What was written to it and then replaced."""
    removed: bool = False
    is_over: bool = False
    """Whether a file of the host that was there is written over."""
    has_more: bool = False
    """Whether a file of the host holds more, before what was written."""


@dataclass(slots=True)
class Overlay:
    """Files of the imagined host, over those that are there."""

    facts: Facts
    files: dict[str, Written] = field(default_factory=dict)
    rings: dict[str, Data] = field(default_factory=dict)
    """Keyrings by file; that of nobody in particular is called by the empty name."""

    def read(self, file: str) -> Data | None:
        """What a file holds; None where there is none."""
        written = self.files.get(file)
        if written is not None:
            return None if written.removed else written.data
        ring = self.rings.get(file)
        if ring is not None:
            return ring
        data = self.facts.read(file.lstrip("/"))
        return None if data is None else Data(data.decode("utf-8", "surrogateescape"))

    def has(self, file: str) -> bool:
        """Whether a file or folder is there."""
        written = self.files.get(file)
        if written is not None:
            return not written.removed
        return any(
            name.startswith(file.rstrip("/") + "/") for name in self.files
        ) or self.facts.has(file.lstrip("/"))

    def write(self, file: str, data: Data, *, behind: bool = False) -> None:
        """Put something into a file, or behind what is in it."""
        written = self.files.get(file)
        if written is None:
            is_there = self.facts.read(file.lstrip("/")) is not None
            self.files[file] = Written(
                data, is_over=is_there and not behind, has_more=is_there and behind
            )
        elif behind and not written.removed:
            written.data = written.data.and_then(data)
        else:
            if not written.data.is_empty:
                written.before.append(written.data)
            written.data, written.removed, written.has_more = data, False, False

    def remove(self, file: str, spot: Spot) -> None:
        """Take a file away."""
        written = self.files.setdefault(file, Written(NOTHING))
        written.data, written.removed, written.has_more = NOTHING.by(spot), True, False

    def into_ring(self, ring: str, data: Data) -> None:
        """Put keys into a ring."""
        self.rings[ring] = self.rings.get(ring, NOTHING).and_then(data)


def joined(parts: Iterable[Data]) -> Data:
    """Several outputs one behind another."""
    whole = NOTHING
    for part in parts:
        whole = whole.and_then(part)
    return whole
