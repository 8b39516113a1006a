"""The rules that stand in a host's files, and the smallest edits of those.

A rule is kept nowhere but in the host's own files: a comment above a line, or above a block
of the list of locks, says the command it is for. A line may be for several.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from velpin.files.text import HostText, bare, stripped
from velpin.kinds.rpm.edit import is_own_note, with_section, with_value
from velpin.kinds.rpm.ini import IniValue, read_sections, words
from velpin.kinds.rpm.state import RpmState
from velpin.model.reason import Place
from velpin.model.rule import Rule, command_of, read_rule

_BEFORE = "# before velpin: "


class Slot(NamedTuple):
    """Where a rule is written: a key of a section, or (without both) blocks of a file."""

    file: str
    section: str = ""
    key: str = ""


class RuleLine(NamedTuple):
    """What a rule puts into one slot: items of a list, or blocks of lines."""

    slot: Slot
    items: tuple[str, ...]
    starts: tuple[str, ...] = ()
    """How items begin that are its own too, from when it was written: those with a colon."""

    def owns(self, item: str) -> bool:
        """Whether an item of its slot is its own."""
        return item in self.items or (":" in item and item.startswith(self.starts))


class RpmRecordedRule(NamedTuple):
    """A rule that stands in the files, and where."""

    rule: Rule
    slot: Slot
    place: Place
    last: int
    """The last line that is for it."""


def recorded_rules(state: RpmState) -> list[RpmRecordedRule]:
    """All rules that stand, in the order of files and lines; one may stand in several places."""
    found = []
    for file in state.rule_files.sections:
        found += list(_of_sections(state, file))
    for file in state.rule_files.blocks:
        found += list(_of_blocks(state, file))
    return found


def rules_of(found: Iterable[RpmRecordedRule]) -> list[Rule]:
    """The rules themselves, each once."""
    return list(dict.fromkeys(recorded.rule for recorded in found))


def _of_sections(state: RpmState, file: str) -> Iterator[RpmRecordedRule]:
    data = state.tree.read(file)
    if not data:
        return
    lines = HostText(data, file).lines
    for section in read_sections(data, file):
        for value in section.values:
            for note in _notes_above(lines, value.line):
                rule = read_rule(note)
                if rule:
                    slot = Slot(file, section.name, value.key)
                    yield RpmRecordedRule(rule, slot, Place(file, value.line), value.last)


def _notes_above(lines: Sequence[str], line: int) -> list[str]:
    found: list[str] = []
    at = line - 2
    while at >= 0 and is_own_note(lines[at]):
        found.insert(0, stripped(lines[at]).removeprefix("# "))
        at -= 1
    return found


class Block(NamedTuple):
    """Some lines without a blank one between, 1-based, and their notes."""

    first: int
    last: int
    notes: tuple[str, ...]
    text: str


def blocks(data: bytes) -> list[Block]:
    """The blocks of a file, comments with the block they stand above."""
    found: list[Block] = []
    held: list[str] = []
    first = 0
    for priority, line in enumerate([*HostText(data).lines, ""], 1):
        if stripped(line):
            first = first or priority
            held.append(bare(line))
            continue
        if held:
            notes = tuple(stripped(line).removeprefix("# ") for line in held if is_own_note(line))
            text = "\n".join(line for line in held if not is_own_note(line))
            found.append(Block(first, priority - 1, notes, text))
        held, first = [], 0
    return found


def _of_blocks(state: RpmState, file: str) -> Iterator[RpmRecordedRule]:
    for block in blocks(state.tree.read(file) or b""):
        for note in block.notes:
            rule = read_rule(note)
            if rule:
                line = block.first + len(block.notes)
                yield RpmRecordedRule(rule, Slot(file), Place(file, line), block.last)


# -- writing -------------------------------------------------------------------------------


class PrioritySlot(NamedTuple):
    """A source's priority as rules want it: the text to write, or None for the one before."""

    slot: Slot
    priority: int | None
    rules: tuple[Rule, ...]


def edits_replacing(
    state: RpmState,
    old: Sequence[tuple[Rule, Sequence[RuleLine]]],
    new: Sequence[tuple[Rule, Sequence[RuleLine]]],
    numbered: Sequence[PrioritySlot],
) -> dict[str, bytes | None]:
    """The edits that take the pieces of some rules out and put those of others in."""
    texts: dict[str, bytes] = {}
    slots = dict.fromkeys(
        piece.slot for _, pieces in (*old, *new) for piece in pieces if piece.slot.key
    )
    for slot in slots:
        data = texts.get(slot.file, state.tree.read(slot.file) or b"")
        texts[slot.file] = _with_list(data, slot, old, new)
    for entry in numbered:
        data = texts.get(entry.slot.file, state.tree.read(entry.slot.file) or b"")
        texts[entry.slot.file] = _with_priority(data, entry)
    files = dict.fromkeys(
        piece.slot.file for _, pieces in (*old, *new) for piece in pieces if not piece.slot.key
    )
    for file in files:
        there = state.tree.read(file) or state.rule_files.block_preamble
        texts[file] = _with_blocks(there, file, old, new)
    edits: dict[str, bytes | None] = {}
    for file, data in texts.items():
        if data != (state.tree.read(file) or b""):
            edits[file] = data
    return edits


def _items(rules: Sequence[tuple[Rule, Sequence[RuleLine]]], slot: Slot) -> dict[str, None]:
    return {
        item: None
        for _, pieces in rules
        for piece in pieces
        if piece.slot == slot
        for item in piece.items
    }


def _with_list(
    data: bytes,
    slot: Slot,
    old: Sequence[tuple[Rule, Sequence[RuleLine]]],
    new: Sequence[tuple[Rule, Sequence[RuleLine]]],
) -> bytes:
    current = _value(data, slot)
    mine = [piece for _, pieces in old for piece in pieces if piece.slot == slot]
    wanted = _items(new, slot)
    here = words(current.text if current else "")
    kept = [word for word in here if not any(piece.owns(word) for piece in mine)]
    final = list(dict.fromkeys([*kept, *wanted]))
    notes = [
        command_of(rule) for rule, pieces in new if any(piece.slot == slot for piece in pieces)
    ]
    text = " ".join(final)
    if current and words(current.text) == final:
        text = current.text.replace("\n", "\n        ")
    data = with_section(data, slot.file, slot.section)
    return with_value(
        data, slot.file, slot.section, slot.key, text if final else None, "\n".join(notes)
    )


def _value(data: bytes, slot: Slot) -> IniValue | None:
    for section in read_sections(data, slot.file):
        if section.name == slot.section:
            return section.find(slot.key)
    return None


def _with_priority(data: bytes, one: PrioritySlot) -> bytes:
    slot = one.slot
    data = with_section(data, slot.file, slot.section)
    current = _value(data, slot)
    before = before_velpin(data, slot)
    if one.priority is None:
        if before is None:
            return data
        return with_value(data, slot.file, slot.section, slot.key, before or None, "")
    was = before if before is not None else (current.text if current else "")
    notes = [command_of(rule) for rule in one.rules] + [f"before velpin: {was or 'none'}"]
    return with_value(data, slot.file, slot.section, slot.key, str(one.priority), "\n".join(notes))


def before_velpin(data: bytes, slot: Slot) -> str | None:
    """What stood in a slot before Velpin wrote there, empty for nothing; None where it did not."""
    current = _value(data, slot)
    if current is None:
        return None
    for note in _notes_above(HostText(data, slot.file).lines, current.line):
        if note.startswith(_BEFORE.removeprefix("# ")):
            text = note.removeprefix(_BEFORE.removeprefix("# "))
            return "" if text == "none" else text
    return None


def _with_blocks(
    data: bytes,
    file: str,
    old: Sequence[tuple[Rule, Sequence[RuleLine]]],
    new: Sequence[tuple[Rule, Sequence[RuleLine]]],
) -> bytes:
    wanted = [
        (command_of(rule), item)
        for rule, pieces in new
        for piece in pieces
        if piece.slot == Slot(file)
        for item in piece.items
    ]
    gone = {command_of(rule) for rule, _ in old}
    text = HostText(data, file)
    for block in reversed(blocks(data)):
        note = block.notes[0] if block.notes else ""
        if note not in gone and (note, block.text) not in wanted:
            continue
        if (note, block.text) in wanted:
            wanted.remove((note, block.text))
            continue
        _cut(text, block)
    for note, item in wanted:
        gap = [""] if text.lines else []
        text.put_last([*gap, f"# {note}", *item.split("\n")])
    return text.data


def _cut(text: HostText, block: Block) -> None:
    """Take a block out, with the blank lines that part it from the next."""
    last = block.last
    while last < len(text.lines) and not stripped(text.lines[last]):
        last += 1
    del text.lines[block.first - 1 : last]


def without_block(data: bytes, line: int) -> bytes | None:
    """A file without the block at a line; None where none stands there."""
    text = HostText(data)
    for block in blocks(data):
        if block.first <= line <= block.last:
            _cut(text, block)
            return text.data
    return None
