"""Causes as data: a code and its facts; the words for them are made at the front."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, NamedTuple

Fact = str | int


class Place(NamedTuple):
    """Where something stands: a file under the root (no leading slash) and a 1-based line."""

    file: str
    line: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


class Note(NamedTuple):
    """Something found while reading that does not stop the work."""

    place: Place
    text: str


class Reason(NamedTuple):
    """One cause of a decision, as data."""

    code: str
    facts: Mapping[str, Fact]
    because: tuple[Reason, ...] = ()
    """The causes of this one."""


AsText = Literal["as text"]
"""Mark of a reason whose JSON is its sentence alone."""
Inline = Literal["inline"]
"""Mark of a value whose fields stand, in JSON, among those of the value it belongs to."""
Sentence = Annotated[Reason, AsText]
