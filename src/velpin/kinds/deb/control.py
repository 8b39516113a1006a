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

from velpin.errors import HostFileError
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
    repeated: list[tuple[int, str]] = field(default_factory=list)
    """Lines at which a field stands again that the stanza has already, and its name."""

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
    reader: _StanzaReader | None = None
    for number, raw in enumerate(split_lines(text), 1):
        line = bare(raw)
        if comments and line.startswith("#"):
            continue
        if not stripped(line):
            if reader:
                yield reader.done()
            reader = None
            continue
        reader = reader or _StanzaReader(number)
        reader.take(number, line)
    if reader:
        yield reader.done()


def whole_text(text: str, file: str) -> str:
    """The text of a configuration file as the host's installer takes it.

    HostFileError where its last line is neither a field nor goes on with one: then the installer
    refuses the whole file. A last stanza of just such a line is passed over (both observed, see
    docs/how-hosts-choose/deb.md, "How stanzas end").
    """
    lines = text.rstrip("\n").split("\n")
    last = lines[-1]
    if not last or ":" in last or last[0] in " \t#":
        return text
    if len(lines) == 1 or not stripped(lines[-2]):
        return "\n".join(lines[:-1])
    raise HostFileError(file, len(lines), f"{last[:60]!r} at the end of the file is not a field")


def told_twice(stanza: Stanza, what: str) -> tuple[int, str] | None:
    """The line and words for a stanza that has a field twice: mostly two records without the blank
    line between them, of which the installer reads one: the last of each field counts."""
    if not stanza.repeated:
        return None
    line, name = stanza.repeated[0]
    return line, (
        f"a second {name} in one {what}: only the last counts; is a blank line missing before it?"
    )


class _StanzaReader:
    """Takes the lines of one stanza; those of a long value are joined once, at the end."""

    def __init__(self, number: int) -> None:
        self._stanza = Stanza(number)
        self._open: tuple[str, int, list[str]] | None = None
        """Name, first line and lines of the field that is being read."""
        self._end = number

    def take(self, number: int, line: str) -> None:
        """Take a line that is not blank."""
        self._stanza.end = number + 1
        if line[0] in " \t":
            if self._open:
                self._open[2].append(stripped(line))
                self._end = number + 1
            else:
                self._stanza.odd.append((number, line))
            return
        self._close()
        name, colon, value = line.partition(":")
        if colon and stripped(name):
            self._open = stripped(name), number, [stripped(value)]
            self._end = number + 1
        else:
            self._stanza.odd.append((number, line))

    def done(self) -> Stanza:
        """The stanza, once all its lines were taken."""
        self._close()
        return self._stanza

    def _close(self) -> None:
        if self._open:
            name, first, lines = self._open
            found = Field(name, "\n".join(lines), first, self._end)
            if name.lower() in self._stanza.fields:
                self._stanza.repeated.append((first, name))
            self._stanza.fields[name.lower()] = found
        self._open = None


def parse_stanza(raw: bytes) -> dict[str, str]:
    """Fields of one index stanza by lower-case name, continuation lines joined by newlines."""
    fields: dict[str, list[str]] = {}
    last = ""
    for line in decode(raw).split("\n"):
        if line[:1] in (" ", "\t"):
            if last:
                fields[last].append(stripped(line))
            continue
        name, colon, value = line.partition(":")
        if colon:
            last = name.lower()
            fields[last] = [stripped(value)]
    return {name: "\n".join(lines) for name, lines in fields.items()}
