"""The smallest edits of the configuration: one section, one line; all else stays as it is.

A section is told from what surrounds it: comments right above its head go with it, and so do
its lines up to the last that says something; what floats between blank lines stays behind.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Hashable, Iterator, Sequence
from typing import NamedTuple

from velpin.change.readback import HOST, SourceStatements, Statement
from velpin.errors import Refusal
from velpin.files.text import BLANKS, HostText, bare
from velpin.files.tree import Edits, Tree
from velpin.kinds.alpm.config import (
    HEAD,
    MAIN,
    OF_SOURCES,
    OFF_HEAD,
    OFF_LINE,
    OPTIONS,
    included,
)
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reason import Place
from velpin.model.source import Source
from velpin.ports.editor import Editor

ADDED = "# added by velpin"
OWN_NOTES = ("# velpin ", "# before velpin: ")
"""How comments begin that say which command the line below is for, and what stood there."""

_COMMENTED = re.compile(r"(?a)#+\s*(" + "|".join(OF_SOURCES) + r")\s*=")
"""A comment that is a line of a source but for its marks."""


def is_own_note(line: str) -> bool:
    """Whether a line is a comment that Velpin wrote for a rule."""
    return line.strip(BLANKS).startswith(OWN_NOTES)


class Block(NamedTuple):
    """A section in one file: 0-based lines, the last one not of it any more."""

    name: str
    first: int
    """Where the comments above its head begin."""
    head: int
    last: int
    off: bool
    end: int
    """Where the next thing begins: its own lines and what floats after them."""


class Text(HostText):
    """A file of the configuration, with its sections."""

    def __init__(self, tree: Tree, file: str) -> None:
        super().__init__(tree.read(file), file)
        self._tree = tree

    def blocks(self) -> list[Block]:
        """Its sections, those commented out too, in order."""
        heads = [(at, name, off) for at, name, off in self._heads()]
        starts = [self._start(at, heads) for at, _, _ in heads]
        found = []
        for place, (at, name, off) in enumerate(heads):
            end = starts[place + 1] if place + 1 < len(heads) else len(self.lines)
            stop = next((line for line in range(at + 1, end) if self._brings_sections(line)), end)
            found.append(Block(name, starts[place], at, self._last(at, stop, off), off, stop))
        return found

    def block(self, name: str, *, off: bool = False) -> Block:
        """The first block of a name; Refusal where it is not there any more."""
        for block in self.blocks():
            if block.name == name and block.off == off:
                return block
        raise Refusal(f"{self.file}: the section {name} is not found there any more")

    def _heads(self) -> Iterator[tuple[int, str, bool]]:
        for at, line in enumerate(self.lines):
            head = HEAD.match(bare(line))
            if head:
                yield at, head.group(1), False
                continue
            off = OFF_HEAD.match(line.strip(BLANKS))
            if off and at + 1 < len(self.lines) and self._is_off_line(at + 1):
                yield at, off.group(1), True

    def _is_off_line(self, at: int) -> bool:
        """Whether a block that is commented out goes on: with a line of it, or a note to one."""
        while at < len(self.lines) and self.lines[at].strip(BLANKS).startswith("##"):
            at += 1
        return at < len(self.lines) and OFF_LINE.match(self.lines[at].strip(BLANKS)) is not None

    def _start(self, at: int, heads: Sequence[tuple[int, str, bool]]) -> int:
        """Where the comments begin that stand right above a head."""
        before = max((line for line, _, _ in heads if line < at), default=-1)
        while at - 1 > before and self._is_comment(at - 1):
            if _COMMENTED.match(self.lines[at - 1].strip(BLANKS)):
                break
            at -= 1
        return at

    def _is_comment(self, at: int) -> bool:
        return self.lines[at].strip(BLANKS).startswith("#")

    def _last(self, at: int, end: int, off: bool) -> int:
        """Where a section's own lines end: after the last that says something, and the
        comments right below it."""
        last = at + 1
        for line in range(at + 1, end):
            text = self.lines[line].strip(BLANKS)
            says = OFF_LINE.match(text) if off else text and not text.startswith("#")
            if says:
                last = line + 1
        while last < end and self._is_comment(last):
            last += 1
        return last

    def _brings_sections(self, at: int) -> bool:
        """Whether a line includes files with sections in them."""
        text = self.lines[at].strip(BLANKS)
        key, equals, value = text.partition("=")
        if key.strip(BLANKS) != "Include" or not equals:
            return False
        for name in included(self._tree, value.strip(BLANKS)):
            lines = HostText(self._tree.read(name), name).lines
            if any(HEAD.match(bare(line)) for line in lines):
                return True
        return False

    # -- changes ---------------------------------------------------------------------------

    def cut(self, block: Block) -> list[str]:
        """Take a section out, with the blank lines that parted it from the next."""
        taken = self.lines[block.first : block.last]
        last = block.last
        while last < len(self.lines) and not self.lines[last].strip(BLANKS):
            last += 1
        if last == len(self.lines):
            first = block.first
            while first and not self.lines[first - 1].strip(BLANKS):
                first -= 1
            self.lines[first:] = []
        else:
            self.lines[block.first : last] = []
        return taken

    def put_before(self, block: Block, taken: Sequence[str]) -> None:
        """Put a section before another."""
        self.put(block.first, [*taken, ""])

    def put_after(self, block: Block, taken: Sequence[str]) -> None:
        """Put a section after another."""
        self.put(block.last, ["", *taken])

    def append_section(self, taken: Sequence[str]) -> None:
        """Put a section at the end of the file, behind a blank line."""
        gap = [""] if self.lines and self.lines[-1].strip(BLANKS) else []
        self.put_last([*gap, *taken])

    def switch(self, name: str, on: bool) -> None:
        """Comment a section out, or in again; a comment that would be taken for a line of it
        then is marked twice."""
        block = self.block(name, off=on)
        for at in range(block.head, block.end):
            text = self.lines[at].strip(BLANKS)
            if on and (at == block.head or _COMMENTED.match(text)):
                self.lines[at] = self.lines[at].replace("#", "", 1)
            elif not on and text and (not text.startswith("#") or _COMMENTED.match(text)):
                self.lines[at] = "#" + self.lines[at]

    def notes_above(self, at: int) -> list[str]:
        """What Velpin's own comments right above a line say."""
        found: list[str] = []
        while at and is_own_note(self.lines[at - 1]):
            at -= 1
            found.insert(0, self.lines[at].strip(BLANKS).removeprefix("# "))
        return found

    def set_notes(self, at: int, notes: Sequence[str]) -> int:
        """Put comments above a line in the place of Velpin's own; where the line is then."""
        first = at
        while first and is_own_note(self.lines[first - 1]):
            first -= 1
        new = [f"# {note}{self.ending}" for note in notes]
        self.lines[first:at] = new
        return first + len(new)


class AlpmEditor(Editor):
    """Edits of the sources of an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def switched(self, source: Source, on: bool) -> Edits:
        """Switch a source on or off where its section stands."""
        tree, source = self._state.tree, self._state.configuration.by_handle[source.handle]
        text = Text(tree, source.file)
        text.switch(source.handle, on)
        return {text.file: text.data}

    def dropped(self, source: Source) -> Edits:
        """Take a source's section away, wherever parts of it stand."""
        tree, source = self._state.tree, self._state.configuration.by_handle[source.handle]
        edits: dict[str, bytes | None] = {}
        for file in dict.fromkeys(place.file for place in source.places):
            text = Text(tree, file)
            while True:
                found = [
                    block
                    for block in text.blocks()
                    if block.name == source.handle and block.off != source.on
                ]
                if not found:
                    break
                text.cut(found[0])
            edits[file] = text.data
        return edits

    @property
    def rule_fields(self) -> Collection[str]:
        """Settings that are rules."""
        return ("Usage", "IgnorePkg", "IgnoreGroup")

    def statements(self) -> SourceStatements:
        """What the configuration states, line by line."""
        config = self._state.configuration.config
        said: Counter[Statement] = Counter()
        places: dict[Hashable, tuple[Place, ...]] = {}
        for on, sections in ((True, config.sections), (False, config.off)):
            for section in sections:
                said[Statement(section.name, on, "section", section.name)] += 1
                said.update(
                    Statement(section.name, on, directive.key, directive.text or "")
                    for directive in section.directives
                    if directive.key != "Include"
                )  # fmt: skip
                places[section.name] = tuple(section.places)
        said.update(
            Statement(HOST, True, directive.key, directive.text or "")
            for directive in config.options.directives
        )
        for problem in config.errors:
            said[Statement(HOST, True, "unreadable", f"{problem.file}: {problem.what}")] += 1
        return SourceStatements(said, tuple(section.name for section in config.sections), places)


def options_end(text: Text) -> int:
    """The line before which a further setting of the host goes; a section for it is made where
    there is none."""
    found = [block for block in text.blocks() if block.name == OPTIONS and not block.off]
    if not found:
        text.append_section([f"[{OPTIONS}]"])
        return len(text.lines)
    last = found[-1].last
    text.close_line(last)
    return last


def main_text(tree: Tree) -> Text:
    """The main file."""
    return Text(tree, MAIN)
