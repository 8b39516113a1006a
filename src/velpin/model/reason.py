"""Causes as data: a code and its facts; the words for them are made at the front."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, NamedTuple


class Place(NamedTuple):
    """Where something stands: a file under the root (no leading slash) and a 1-based line."""

    file: str
    line: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


NoteCode = Literal["", "refused", "listed-twice", "for-people"]
"""What a note is: one that the installer refuses everything for, one of something that stands
twice, one that only tells how a file is kept; else something that is ignored."""


class Note(NamedTuple):
    """Something found while reading that does not stop the work."""

    place: Place
    text: str
    code: NoteCode = ""


Fact = str | int | Place | tuple[str, ...]
"""One fact of a reason; its words are made at the front."""


class Reason(NamedTuple):
    """One cause of a decision, as data."""

    code: str
    facts: Mapping[str, Fact]
    because: tuple[Reason, ...] = ()
    """The causes of this one."""

    @property
    def place(self) -> Place | None:
        """Where in the host's files the rule stands that it is about."""
        found = self.facts.get("place")
        return found if isinstance(found, Place) else None

    def texts(self, name: str) -> tuple[str, ...]:
        """A fact that is several texts; none where it is not there."""
        found = self.facts.get(name, ())
        return found if isinstance(found, tuple) and not isinstance(found, Place) else ()


AsText = Literal["as text"]
"""Mark of a reason whose JSON is its sentence alone."""
Inline = Literal["inline"]
"""Mark of a value whose fields stand, in JSON, among those of the value it belongs to."""
Sentence = Annotated[Reason, AsText]
