"""The smallest edits of section files: one key, one section; everything else stays as it is."""

from __future__ import annotations

import re

from velpin.errors import Refusal
from velpin.kinds.rpm.ini import Section, read_sections
from velpin.kinds.rpm.source import RpmSource
from velpin.tree import Tree

ADDED = "# added by velpin"
_SPACED = re.compile(r"^[^=\n]*\S(\s*)=(\s*)")


def find_section(data: bytes, file: str, name: str) -> Section:
    """A section of a file as it is now; Refusal where it is gone."""
    for section in read_sections(data, file, joined=True):
        if section.name == name:
            return section
    raise Refusal(f"{file}: the section {name} is not found there any more")


def with_value(
    data: bytes, file: str, name: str, key: str, value: str | None, note: str | None = None
) -> bytes:
    """A file with a key of a section set, or taken away where the value is None.

    `note` is what a comment above the key says, empty for none; what an earlier one said is
    replaced. None leaves comments be.
    """
    lines = _lines(data)
    section = find_section(data, file, name)
    found = section.find(key)
    ending = "\r\n" if lines and lines[0].endswith("\r\n") else "\n"
    if found is None:
        if value is None:
            return data
        at = max(section.last, section.line)
        new = [f"{key}{_equals(section, lines)}{value}{ending}"]
        if at and not lines[at - 1].endswith("\n"):
            lines[at - 1] += ending
        lines[at:at] = [*_noted(note, ending), *new]
        return "".join(lines).encode()
    first, last = found.line - 1, found.last
    start = first
    while note is not None and start and is_own_note(lines[start - 1]):
        start -= 1
    new = []
    if value is not None:
        tail = ending if lines[last - 1].endswith("\n") else ""
        written = _SPACED.match(lines[first])
        head = written.group() if written else f"{key}{_equals(section, lines)}"
        new = [*_noted(note, ending), f"{head}{value}{tail}"]
    lines[start:last] = new
    return "".join(lines).encode()


OWN_NOTES = ("# velpin ", "# before velpin: ")
"""How comments begin that say which command the line below is for, and what stood there."""


def is_own_note(line: str) -> bool:
    """Whether a line is a comment that Velpin wrote for a wish."""
    return line.strip().startswith(OWN_NOTES)


def _noted(note: str | None, ending: str) -> list[str]:
    return [f"# {one}{ending}" for one in (note or "").split("\n") if one]


def _equals(section: Section, lines: list[str]) -> str:
    """How the section writes its equal signs."""
    for value in section.values:
        found = _SPACED.match(lines[value.line - 1])
        if found:
            return f"{found.group(1)}={found.group(2)}"
    return "="


def without_section(data: bytes, file: str, name: str) -> bytes | None:
    """A file without a section; None where nothing but Velpin's own words would be left."""
    lines = _lines(data)
    sections = read_sections(data, file, joined=True)
    place = next((at for at, one in enumerate(sections) if one.name == name), None)
    if place is None:
        raise Refusal(f"{file}: the section {name} is not found there any more")
    first, last = sections[place].line - 1, max(sections[place].last, sections[place].line)
    while last < len(lines) and not lines[last].strip():
        last += 1
    rest = [*lines[:first], *lines[last:]]
    left = [line for line in rest if line.strip() and not line.startswith(ADDED)]
    return "".join(rest).encode() if left else None


def switch(tree: Tree, source: RpmSource, on: bool) -> dict[str, bytes | None]:
    """Switch a source on or off where its section stands."""
    data = tree.read(source.file) or b""
    value = "1" if on else "0"
    return {source.file: with_value(data, source.file, source.handle, "enabled", value)}


def drop(tree: Tree, source: RpmSource) -> dict[str, bytes | None]:
    """Take a source's section away, and the file with it where nothing is left."""
    data = tree.read(source.file) or b""
    return {source.file: without_section(data, source.file, source.handle)}


def _lines(data: bytes) -> list[str]:
    return data.decode("utf-8-sig").splitlines(keepends=True)
