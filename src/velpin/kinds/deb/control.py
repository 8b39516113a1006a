"""Stanzas of `Field: value` lines, as deb hosts use them in configuration and indexes.

Grammar (the distribution's policy manual, component "Syntax of control files"):

    file    = stanza (blank-line+ stanza)*
    stanza  = field+
    field   = name ":" value newline (blank value newline)*
    comment = "#" anything newline      only at the start of a line, in configuration files

Read leniently: a line that is none of these is returned in `Stanza.odd`, never dropped.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from velpin.files.text import bare, decode, split_lines, stripped, words


class Field(NamedTuple):
    """One field: name as written, value with inner newlines, first line and line after the last."""

    name: str
    value: str
    line: int
    end: int


@dataclass(slots=True)
class Stanza:
    """One stanza; fields by lower-case name, where a field stands twice the last counts."""

    line: int
    end: int = 0
    fields: dict[str, Field] = field(default_factory=dict)
    odd: list[tuple[int, str]] = field(default_factory=list)

    def get(self, name: str, default: str = "") -> str:
        """The value of a field, stripped; `default` where it is missing."""
        found = self.fields.get(name.lower())
        return stripped(found.value) if found else default

    def words(self, name: str) -> list[str]:
        """The words of a field, split at blanks."""
        return words(self.get(name))

    def line_of(self, name: str) -> int:
        """The line a field stands on, else the stanza's first line."""
        found = self.fields.get(name.lower())
        return found.line if found else self.line


def read_stanzas(text: str, *, comments: bool = True) -> Iterator[Stanza]:
    """The stanzas of a text, each with the lines it stands on (1-based)."""
    stanza: Stanza | None = None
    last = ""
    number = 0
    for number, raw in enumerate(split_lines(text), 1):
        line = bare(raw)
        if comments and line.startswith("#"):
            continue
        if not stripped(line):
            if stanza:
                yield stanza
            stanza = None
            continue
        if stanza is None:
            stanza, last = Stanza(number), ""
        stanza.end = number + 1
        last = _take(stanza, last, number, line)
    if stanza:
        yield stanza


def _take(stanza: Stanza, last: str, number: int, line: str) -> str:
    if line[0] in " \t":
        if not last:
            stanza.odd.append((number, line))
            return last
        before = stanza.fields[last]
        stanza.fields[last] = before._replace(
            value=f"{before.value}\n{stripped(line)}", end=number + 1
        )
        return last
    name, colon, value = line.partition(":")
    if not colon or not stripped(name):
        stanza.odd.append((number, line))
        return ""
    name = stripped(name)
    key = name.lower()
    stanza.fields[key] = Field(name, stripped(value), number, number + 1)
    return key


def parse_stanza(raw: bytes) -> dict[str, str]:
    """Fields of one index stanza by lower-case name, continuation lines joined by newlines."""
    fields: dict[str, str] = {}
    last = ""
    for line in decode(raw).split("\n"):
        if line[:1] in (" ", "\t"):
            if last:
                fields[last] += "\n" + stripped(line)
            continue
        name, colon, value = line.partition(":")
        if colon:
            last = name.lower()
            fields[last] = stripped(value)
    return fields
