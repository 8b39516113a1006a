"""The smallest edits of section files: one key, one section; everything else stays as it is."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterator
from typing import TYPE_CHECKING

from velpin.change.readback import HOST, SourceStatements, Statement
from velpin.errors import Refusal
from velpin.files.text import HostText, stripped
from velpin.files.tree import Edits
from velpin.kinds.rpm.ini import IniSection, read_sections
from velpin.kinds.rpm.owners import edit_notes
from velpin.model.reason import Reason
from velpin.model.source import Source
from velpin.ports.editor import Editor

if TYPE_CHECKING:
    from velpin.kinds.rpm.state import RpmState

ADDED = "# added by velpin"
_SPACED = re.compile(r"(?a)^[^=\n]*\S([ \t]*)=([ \t]*)")


def find_section(data: bytes, file: str, name: str) -> IniSection:
    """A section of a file as it is now; Refusal where it is gone."""
    for section in read_sections(data, file):
        if section.name == name:
            return section
    raise Refusal(f"{file}: the section {name} is not found there any more")


def with_section(data: bytes, file: str, name: str) -> bytes:
    """A file with a section of a name, put last where there is none."""
    if any(section.name == name for section in read_sections(data, file)):
        return data
    text = HostText(data, file)
    text.put_last([f"[{name}]"])
    return text.data


def with_value(
    data: bytes, file: str, name: str, key: str, value: str | None, note: str | None = None
) -> bytes:
    """A file with a key of a section set, or taken away where the value is None.

    `note` is what a comment above the key says, empty for none; what an earlier one said is
    replaced. None leaves comments be.
    """
    text = HostText(data, file)
    lines = text.lines
    section = find_section(data, file, name)
    found = section.find(key)
    if found is None:
        if value is None:
            return data
        new = f"{key}{_equals(section, lines)}{value}"
        text.put(max(section.last, section.line), [*_noted(note), *new.split("\n")])
        return text.data
    first, last = found.line - 1, found.last
    start = first
    while note is not None and start and is_own_note(lines[start - 1]):
        start -= 1
    if value is None:
        text.replace(start, last, [])
        return text.data
    written = _SPACED.match(lines[first])
    head = written.group() if written else f"{key}{_equals(section, lines)}"
    text.replace(start, last, [*_noted(note), *f"{head}{value}".split("\n")])
    return text.data


OWN_NOTES = ("# velpin ", "# before velpin: ")
"""How comments begin that say which command the line below is for, and what stood there."""


def is_own_note(line: str) -> bool:
    """Whether a line is a comment that Velpin wrote for a rule."""
    return stripped(line).startswith(OWN_NOTES)


def _noted(note: str | None) -> list[str]:
    return [f"# {line}" for line in (note or "").split("\n") if line]


def _equals(section: IniSection, lines: list[str]) -> str:
    """How the section writes its equal signs."""
    for value in section.values:
        found = _SPACED.match(lines[value.line - 1])
        if found:
            return f"{found.group(1)}={found.group(2)}"
    return "="


def without_section(data: bytes, file: str, name: str) -> bytes | None:
    """A file without a section; None where nothing but Velpin's own words would be left.

    Raises Refusal where it has no such section."""
    text = HostText(data, file)
    lines = text.lines
    sections = read_sections(data, file)
    place = next((at for at, section in enumerate(sections) if section.name == name), None)
    if place is None:
        raise Refusal(f"{file}: the section {name} is not found there any more")
    first, last = sections[place].line - 1, max(sections[place].last, sections[place].line)
    while last < len(lines) and not stripped(lines[last]):
        last += 1
    del lines[first:last]
    left = [line for line in lines if stripped(line) and not line.startswith(ADDED)]
    return text.data if left else None


class RpmEditor(Editor):
    """Edits of the sources of an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def switched(self, source: Source, on: bool) -> Edits:
        """Switch a source on or off where that is said of it."""
        tree, source = self._state.tree, self._state.configuration.by_handle[source.handle]
        file = source.file_of("enabled")
        data = with_section(tree.read(file) or b"", file, source.handle)
        value = "1" if on else "0"
        return {file: with_value(data, file, source.handle, "enabled", value)}

    def dropped(self, source: Source) -> Edits:
        """Take a source's section away, and the file with it where nothing is left."""
        tree, source = self._state.tree, self._state.configuration.by_handle[source.handle]
        data = tree.read(source.file) or b""
        return {source.file: without_section(data, source.file, source.handle)}

    @property
    def rule_fields(self) -> Collection[str]:
        """Keys of sections that are rules."""
        return self._state.rule_files.keys

    def edit_notes(self, files: Collection[str]) -> Iterator[Reason]:
        """Who else writes some files, and what of a change survives."""
        return edit_notes(self._state.tree, self._state.configuration.sources, files)

    def statements(self) -> SourceStatements:
        """What the source files and the main one of a host state, key by key."""
        said: Counter[Statement] = Counter()
        for source in self._state.configuration.sources:
            values = {value.key: value.text for value in source.section.values}
            said.update(
                Statement(source.handle, source.on, key, text)
                for key, text in {**values, "file": source.file}.items()
                if key != "enabled"
            )
        for key, text in self._state.configuration.settings_said.items():
            said[Statement(HOST, True, key, text)] += 1
        for problem in self._state.configuration.config_errors:
            said[Statement(HOST, True, "unreadable", f"{problem.file}: {problem.what}")] += 1
        order = tuple(source.handle for source in self._state.configuration.sources if source.on)
        return SourceStatements(
            said,
            order,
            {source.handle: source.places for source in self._state.configuration.sources},
        )
